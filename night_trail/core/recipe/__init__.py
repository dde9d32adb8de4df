"""What is done to a table after it was read, as an ordered list in plain words: its recipe.

``steps`` says what can be done, ``apply`` does it, ``sql`` and ``example`` are
behind calculated columns, ``clusters`` behind unified spellings, ``joining``
behind joins and stacks, and ``offers`` says which remedies suit a table.
"""

from __future__ import annotations

from night_trail.core.recipe.apply import apply, take
from night_trail.core.recipe.draft import Draft, Origin, Place
from night_trail.core.recipe.files import Recipe, decode_recipe
from night_trail.core.recipe.steps import Step, decode_step

__all__ = ["Draft", "Origin", "Place", "Recipe", "Step", "apply", "decode_recipe", "decode_step", "take"]
