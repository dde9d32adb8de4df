"""Words that say nothing by themselves."""

from __future__ import annotations

FILLER = frozenset(
    "a an the of in on at for to is are was were be been do does did how show me give please i want see draw plot "
    "chart picture graph figure there it they we our us as by with that this these those can could would should have "
    "has had if any some all so than then from much many looks look like make out into about their its my your you "
    "which what who when where number between during each get let need want find tell view display visualise "
    "visualize drawn shown using use but not yet still per made ? ( ) % . up level levels value values again lot go "
    "went being get gets across will group groups type types kind kinds here now really very just even carry carries carried actual actually amount list".split()
)
"""Words that say nothing by themselves."""
NOUNS = frozenset("night day time one ones thing those measurement column variable case".split())
"""Nouns that only carry what stands before them: festival nights, the late ones."""
ROWS = frozenset("row record entry case observation item person respondent sample".split())
"""What a row may be called in any table."""
