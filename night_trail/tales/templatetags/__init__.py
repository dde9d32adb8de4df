"""Tags for templates."""
