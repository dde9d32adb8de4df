"""Invented, seeded data (the night buses of Marrow Haven) with a ready trail and tale."""
