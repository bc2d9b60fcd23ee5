"""A whole trial to take away, and one that somebody else took away."""
