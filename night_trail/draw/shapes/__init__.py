"""A module for each shape: an answer, drawn as marks on a canvas."""
