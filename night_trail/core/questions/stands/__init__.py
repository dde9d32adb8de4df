"""What stands out: what breaks with the rest of a table, each kind with its reason and its rows."""
