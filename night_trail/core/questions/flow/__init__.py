"""Where a figure flows: from the groups of one column to those of the next."""
