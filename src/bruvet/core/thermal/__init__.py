"""A piece of meat in a cooker, from physics: conduction inside, convection, radiation and evaporation outside.

The first simulator: one dimension, one surface, invented cooker constants, named as such.
"""
