"""Stand-ins for devices: they make what a thermometer would, from the simulator."""
