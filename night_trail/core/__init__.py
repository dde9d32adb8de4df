"""Pure computation: tables, questions, answers and words.

What lives here knows nothing of the web, of markup or of drawing; it takes
bytes and values and gives values back. What does not live here: geometry
(``night_trail.draw``), storage and rights (the applications beside it).
"""
