"""How a measure changed over time."""
