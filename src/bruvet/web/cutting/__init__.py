"""What the cook sees and measures at the board, and photos under one scale."""
