"""Answers that take long: made piece by piece by a worker, while pages go on."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from night_trail.core.rows import Rows


@dataclass(frozen=True)
class Pending:
    """How far an answer is that is made piece by piece: so many of how many, stopped by hand, or refused."""

    done: int
    of: int
    stopped: bool = False
    refused: str = ""


@dataclass(frozen=True)
class Behind:
    """How questions of a kind that take long are answered piece by piece, while pages go on.

    Attributes
    ----------
    algorithm
        The edition of what makes the pieces: those of another are made anew.
    piece
        The type of a piece, plain enough for JSON.
    applies
        Whether a question takes so long.
    bare
        The question whose pieces serve this one.
    check
        Refuses at once, from rows, what the pieces would refuse later.
    count, pieces
        How many pieces there will be, and the pieces one after another.
    whole, meanwhile
        The answer from all pieces, and the one shown until they are made.
    """

    algorithm: int
    piece: type
    applies: Callable[[Any], bool]
    bare: Callable[[Any], Any]
    check: Callable[[Any, Rows], None]
    count: Callable[[Any, Rows], int]
    pieces: Callable[[Any, Rows], Iterator[Any]]
    whole: Callable[[Any, Rows, Sequence[Any]], Any]
    meanwhile: Callable[[Any, Rows, Pending], Any]
