"""What every shape stands in: the canvas with its axes and places, scales, texts, colours."""
