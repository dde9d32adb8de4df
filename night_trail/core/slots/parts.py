"""What a sentence is made of."""

from __future__ import annotations

from dataclasses import dataclass


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
