"""What people say for a picture, and what it puts into which slot of its sentence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

WAY = "way"
"""The slot of a phrase that only asks for its kind."""


@dataclass(frozen=True)
class Phrase:
    """Words for a choice of a kind of question.

    ``said`` are the words, several forms apart by ``|``; ``#`` stands for a
    number, ``@`` for a column, ``^`` for a value, ``&`` for what a row is.
    ``value`` goes into ``slot``: as it is, or what it returns of the arguments
    and the present question. ``vote`` is how much they speak for this kind.
    """

    said: str
    slot: str = WAY
    value: Any = None
    vote: float = 0.0


def column_name(args: tuple[Any, ...], question: Any) -> Any:
    """Return the name of the column that was named."""
    return args[0].name


def whole_number(args: tuple[Any, ...], question: Any) -> Any:
    """Return the number that was named as it is written into a slot."""
    return f"{args[0]:.0f}" if args[0] == int(args[0]) else f"{args[0]:g}"


@dataclass(frozen=True)
class Outline:
    """What was asked in the rough, by which each kind says how likely it is meant.

    ``figured`` says that a figure or a count is asked, ``counted`` that it is
    only the rows that were named, ``ranked`` that an end of
    a ranking is; ``numbers`` and ``categories`` count the columns named without
    a figure, ``groups`` what rows are grouped by. ``timed`` says that steps of
    time are named, ``moves`` that one column is said to go with another,
    ``linked`` that columns are joined by a word, ``votes`` how much the phrases
    of this kind speak for it, ``kept`` that rows are named.
    """

    figured: bool = False
    counted: bool = False
    ranked: bool = False
    numbers: int = 0
    categories: int = 0
    groups: int = 0
    timed: bool = False
    moves: bool = False
    linked: bool = False
    kept: bool = False
    votes: float = 0.0
