"""Template filters of tables."""
