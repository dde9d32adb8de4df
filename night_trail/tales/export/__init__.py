"""A tale in files that stand alone: ``gathered`` is what all of them tell, each form has a module."""
