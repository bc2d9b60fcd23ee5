"""Ballots on the panellists' own phones."""
