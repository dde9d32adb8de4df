"""How a measure compares across groups."""
