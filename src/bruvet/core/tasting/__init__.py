"""What the tasters said, and what so many tasters can show."""
