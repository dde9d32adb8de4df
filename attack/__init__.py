"""Attacks on a Night Trail of our own, on this machine only: ``python -m attack``."""
