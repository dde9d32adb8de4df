"""Where a figure lies on Earth: spots from coordinates or names, hexagons, areas."""
