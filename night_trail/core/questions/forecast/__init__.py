"""Where a series is going."""
