"""What words are made of: spans with a role, named facts, cautions."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

import msgspec

Role = Literal["", "figure", "lit"]


@dataclass(frozen=True)
class Span:
    """A piece of text; a figure stands out, what is lit is amber."""

    text: str
    role: Role = ""


@dataclass(frozen=True)
class Fact:
    """A named figure of an answer, as number and as words."""

    key: str
    label: str
    value: float
    text: str


class Caution(str):
    """A caution in one sentence; ``way`` names the way on, ``post`` is the turn that takes it, as JSON."""

    __slots__ = ("post", "way")
    way: str
    post: str

    def __new__(cls, text: str, way: str = "", **change: Any) -> Caution:
        """Make a caution; ``change`` are the fields of the turn."""
        made = super().__new__(cls, text)
        made.way = way
        made.post = msgspec.json.encode(change).decode() if change else ""
        return made


@dataclass(frozen=True)
class Words:
    """What is said beside a picture: the main fact first, then figures, then cautions."""

    headline: tuple[Span, ...]
    facts: tuple[Fact, ...] = ()
    cautions: tuple[str, ...] = ()


def plain(spans: Iterable[Span]) -> str:
    """Return spans as one text."""
    return "".join(span.text for span in spans)


def first_sentence(text: str, n: int = 1) -> str:
    """Return the first sentence of a text, or the first few.

    >>> first_sentence("Half lie above 4.1 min. The rest do not.")
    'Half lie above 4.1 min.'
    """
    return " ".join(re.split(r"(?<=[.?!])\s+(?=[A-Z\d])", text.strip())[:n])


LONGEST = 120


def shortened(text: str) -> str:
    """Return a text short enough to stand in a sentence: groups may be named by whole paragraphs.

    >>> shortened("Quayside"), len(shortened("a" * 500))
    ('Quayside', 120)
    """
    return text if len(text) <= LONGEST else text[: LONGEST - 1].rstrip() + "…"


def spans(text: str, **figures: str | Span) -> tuple[Span, ...]:
    """Return a text whose ``{names}`` are replaced by spans, figures by default.

    >>> plain(spans("half within {a}", a="4 min"))
    'half within 4 min'
    """
    found: list[Span] = []
    rest = text
    while "{" in rest:
        before, _, after = rest.partition("{")
        name, _, rest = after.partition("}")
        if before:
            found.append(Span(before))
        value = figures[name]
        found.append(value if isinstance(value, Span) else Span(shortened(value), "figure"))
    if rest:
        found.append(Span(rest))
    return tuple(found)
