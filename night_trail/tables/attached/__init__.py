"""Tables whose rows stay where they are: what may be attached, how it is opened, what is kept of it."""
