"""How some rows differ from others, column by column."""
