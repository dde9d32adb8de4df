"""Trend, seasons and what remains of a series."""
