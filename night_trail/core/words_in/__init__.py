"""Typed words become pictures: the word box.

Words are cut into tokens (``tokens``), looked up in an index of the table
(``index``: names, values, units, synonyms) and in the phrases of all kinds of
questions (``phrases``), and told apart by the cheapest way through them
(``tags``). What they ask for (``asked``) is put into the gist that every kind
of question can be made from, or changes the picture on the desk; ``readings``
ranks what comes of it. ``complete`` finishes the word that is being typed.

The sentences of the house are read exactly (``core.sentence``) before any of
this: a picture's own words always lead back to it.
"""
