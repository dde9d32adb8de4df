"""Tables whose rows stay where they are: what a question needs of all of them, asked of an engine."""
