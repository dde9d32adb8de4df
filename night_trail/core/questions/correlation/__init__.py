"""How many numbers move together."""
