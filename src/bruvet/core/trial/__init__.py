"""The trial: its words, its phases, and what differed between its arms."""
