"""Small pictures on pages: the footpath, what a join would do, what is missing, silhouettes."""
