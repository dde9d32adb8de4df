"""A recipe as a file: how the table is read, and what is done to it."""

from __future__ import annotations

from typing import Any

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.reading import ReadingSettings
from night_trail.core.recipe.steps import MOST_STEPS, Step
from night_trail.core.structs import looked_through

VERSION = 1


class Recipe(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Settings of reading, and the steps after it. ``recipe`` is the version of this format."""

    recipe: int
    part: str = ""
    settings: ReadingSettings = ReadingSettings()
    steps: tuple[Step, ...] = ()
    words: tuple[str, ...] = ()


def to_plain(settings: ReadingSettings, part: str, steps: tuple[Step, ...]) -> Any:
    """Return a recipe as what a JSON file holds, with its steps in words for who reads it."""
    words = tuple(step.words() for step in steps)
    # the version must stand in the file even though it is the only one so far
    return msgspec.to_builtins(Recipe(VERSION, part, settings, steps, words))


def decode_recipe(data: bytes | str) -> Recipe:
    """Return a recipe from JSON, refused with the field that is wrong."""
    try:
        found = msgspec.json.decode(data, type=Recipe)
    except (msgspec.MsgspecError, UnicodeDecodeError) as error:
        raise BadQuestion(
            f"The recipe cannot be understood: {error}", "", "Choose an exported one."
        ) from None
    if found.recipe != VERSION or len(found.steps) > MOST_STEPS:
        raise BadQuestion("The recipe is of another version or too long", "", "Export it again.")
    return found


looked_through(Recipe)
