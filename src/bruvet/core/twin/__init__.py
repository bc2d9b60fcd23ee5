"""The twin: one piece in one cooker, told ahead with its doubt, corrected by readings, and asked what if."""
