"""The cook as it goes: where each arm stands, what deserves a warning, what is to be decided."""
