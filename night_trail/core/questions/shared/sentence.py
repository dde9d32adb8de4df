"""What a sentence is made of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from night_trail.core.errors import BadQuestion


@dataclass(frozen=True)
class Part:
    """A piece of a sentence; with a slot name it can be changed."""

    text: str
    slot: str = ""


@dataclass(frozen=True)
class Sentence:
    """A question's sentence and the slots that can still be added to it."""

    parts: tuple[Part, ...]
    addable: tuple[Part, ...] = ()

    def __str__(self) -> str:
        return "".join(part.text for part in self.parts)


def chosen(slot: str, value: Any, words: Mapping[str, str]) -> str:
    """Return the words of a choice, or refuse one that the slot does not have."""
    if value not in words:
        raise BadQuestion(f"“{value}” does not fit there", slot, f"Choose {' or '.join(words)}.")
    return words[value]
