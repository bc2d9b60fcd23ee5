"""Temperature curves: cleaned, stalls named, measured and compared."""
