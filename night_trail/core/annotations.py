"""Notes, arrows, ranges, lines, rings and brackets on a picture, anchored to data and not to pixels.

A place on a measured axis is a number (dates in seconds since 1970-01-01); on
an axis of groups it is the group's label and a fraction of its lane from 0 to
1. In a picture of several plots, or of parts without axes, ``panel`` says in
or beside which one. So an annotation stays where it points when the picture is
drawn at another size, with other bins or in another order.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.structs import looked_through

MOST = 40
"""How many annotations one picture may carry."""

Words = Annotated[str, msgspec.Meta(max_length=280)]
Lane = tuple[str, float]
At = float | Lane
Panel = Annotated[str, msgspec.Meta(max_length=500)]
Id = Annotated[str, msgspec.Meta(pattern=r"^[a-z0-9]{1,24}$")]


class _Mark(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="mark"):
    """Shared settings of all annotations."""


def _check(*places: At) -> None:
    # by hand: msgspec misreads bounds on a float that shares a union with a tuple
    for at in places:
        if not (len(at[0]) <= 500 and -1 <= at[1] <= 2 if isinstance(at, tuple) else abs(at) < 1e300):
            raise BadQuestion("A mark lies outside the picture", "annotations", "Place it again.")


class Note(_Mark, frozen=True, tag="note"):
    """Words at a place."""

    id: Id
    x: At
    y: At
    text: Words = ""
    panel: Panel = ""

    def __post_init__(self) -> None:
        _check(self.x, self.y)


class Arrow(_Mark, frozen=True, tag="arrow"):
    """An arrow from a place to what it points at."""

    id: Id
    x: At
    y: At
    to_x: At
    to_y: At
    panel: Panel = ""

    def __post_init__(self) -> None:
        _check(self.x, self.y, self.to_x, self.to_y)


class Range(_Mark, frozen=True, tag="range"):
    """A stretch of the horizontal axis, highlighted over the height of the picture."""

    id: Id
    low: float
    high: float
    text: Words = ""
    panel: Panel = ""

    def __post_init__(self) -> None:
        if not -1e300 < self.low <= self.high < 1e300:
            raise BadQuestion("A range runs from low to high", "annotations", "Draw it again.")


class Line(_Mark, frozen=True, tag="line"):
    """A line across a picture at a place of an axis, with its word."""

    id: Id
    at: float
    axis: Literal["x", "y"] = "y"
    text: Words = ""
    panel: Panel = ""

    def __post_init__(self) -> None:
        _check(self.at)


class Ring(_Mark, frozen=True, tag="ring"):
    """A ring round marks, inscribed between two corners."""

    id: Id
    x: At
    y: At
    to_x: At
    to_y: At
    text: Words = ""
    panel: Panel = ""

    def __post_init__(self) -> None:
        _check(self.x, self.y, self.to_x, self.to_y)


class Bracket(_Mark, frozen=True, tag="bracket"):
    """A bracket between two marks; where both are named its words are their difference, as it now is."""

    id: Id
    x: At
    y: At
    to_x: At
    to_y: At
    marks: tuple[Panel, Panel] | None = None
    text: Words = ""
    panel: Panel = ""

    def __post_init__(self) -> None:
        _check(self.x, self.y, self.to_x, self.to_y)


Annotation = Note | Arrow | Range | Line | Ring | Bracket
Annotations = Annotated[tuple[Annotation, ...], msgspec.Meta(max_length=MOST)]


def merged(
    before: tuple[Annotation, ...], mine: tuple[Annotation, ...], there: tuple[Annotation, ...]
) -> tuple[Annotation, ...]:
    """Return annotations with what one writer changed put into what others left there meanwhile.

    Parameters
    ----------
    before, mine
        What the writer saw, and what the writer made of it.
    there
        What stands now.

    Raises
    ------
    BadQuestion
        Where the writer and another changed the same annotation.
    """
    saw, made, now = ({a.id: a for a in those} for those in (before, mine, there))
    kept: list[Annotation] = []
    for id_ in dict.fromkeys((*now, *made)):
        one, other = made.get(id_), now.get(id_)
        if one == saw.get(id_):
            one = other  # left alone, whatever others did to it
        elif other not in (saw.get(id_), one):
            raise BadQuestion(
                f"An annotation was changed elsewhere meanwhile, {_said(other)} there and {_said(one)} here",
                "",
                "Reload the page, then change it again.",
            )
        if one is not None:
            kept.append(one)
    return tuple(kept)


def _said(annotation: Annotation | None) -> str:
    if annotation is None:
        return "taken away"
    text = getattr(annotation, "text", "")
    return f"“{text}”" if text else "moved"


looked_through(Annotations)
