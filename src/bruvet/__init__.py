"""Bruvet: side-by-side barbecue trials, planned, logged, compared and judged honestly."""
