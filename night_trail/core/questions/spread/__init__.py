"""How one column is spread."""
