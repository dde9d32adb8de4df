"""Is it really so: a difference or a slope with other columns held fixed, beside the plain one."""
