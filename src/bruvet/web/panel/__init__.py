"""Blind panels, as the host sees them."""
