"""Tales: stops in order, written, walked, and passed on by a link."""
