"""Who belongs to whom: a tree from a column of names and one of the names above them."""
