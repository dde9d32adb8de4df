"""Which columns drive another, and what each of them does to it."""
