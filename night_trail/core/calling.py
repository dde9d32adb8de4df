"""What the analysts of a table call things."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.structs import looked_through

MOST_CALLED = 500
Called = Annotated[str, msgspec.Meta(min_length=1, max_length=100)]
Meaning = Annotated[str, msgspec.Meta(min_length=1, max_length=500)]


class Vocabulary(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What phrases mean in a table, beyond its own names.

    ``means`` is what a phrase stands for: a column's name, or a condition in
    words; ``good`` says of columns whether high or low figures are good.
    """

    means: dict[Called, Meaning] = {}
    good: dict[Meaning, Literal["high", "low"]] = {}


looked_through(Vocabulary)
