"""Filters for templates."""
