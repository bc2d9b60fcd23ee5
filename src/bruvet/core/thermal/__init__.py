"""A piece of meat in a cooker, from physics: conduction inside; convection, radiation and evaporation outside."""
