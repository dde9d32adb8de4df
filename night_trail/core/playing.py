"""A picture that plays through time: its periods, and the scene at each of them.

The rows of the period that is shown are kept like those of any filter, so that every picture and
the words are of them; the scene knows which of its conditions that is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from night_trail.core.conditions import Between, between, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import bare, stretch
from night_trail.core.moments import GRAINS, GrainName, numbered, starts
from night_trail.core.question import Plays, Scene
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import calendar_of, unfinished
from night_trail.core.table import YEAR, Column, Floats, Kind, Table

MOST_FRAMES = 240
UNFINISHED = " (unfinished)"
AGREEABLE = 60
"""A time is first played in the finest periods that are no more than this."""


@dataclass(frozen=True)
class Frame:
    """A period that is played: its condition, what it is called, how many kept rows lie in it."""

    period: Between
    label: str
    n: int


def plays(scene: Scene) -> bool:
    """Whether the main picture of a scene is of a kind that can play."""
    return scene.main is not None and kind_of(scene.main).playing is not None


def whole(scene: Scene) -> Scene:
    """Return a scene with the rows of all its periods."""
    if scene.plays is None:
        return scene
    only = tuple(c for c in scene.only if c != scene.plays.period)
    return replace(scene, only=only, plays=None)


def frames(rows: Rows, time: str, grain: GrainName) -> tuple[Frame, ...]:
    """Return the periods that kept rows lie in, the first of them first; periods without rows are none.

    Raises
    ------
    BadQuestion
        Where they are none, or too many to be played.
    """
    return rows.remember(("frames", time, grain), lambda: _frames(rows, time, grain))


def _frames(rows: Rows, time: str, grain: GrainName) -> tuple[Frame, ...]:
    column = rows.table.column(time)
    found = _present(rows, column)
    numbers, counts = np.unique(_numbered(found, column, grain), return_counts=True)
    if len(numbers) > MOST_FRAMES:
        raise BadQuestion(
            f"{len(numbers):,} {grain}s are too many to play through",
            "grain",
            f"Choose longer periods, or keep fewer rows: at most {MOST_FRAMES}.",
        )
    if column.yearly:
        return tuple(
            Frame(between(column, y, y, True), bare(y, YEAR), int(n))
            for y, n in zip(numbers.astype(float).tolist(), counts, strict=True)
        )
    if not len(numbers):
        return ()
    begins, ends = starts(numbers, grain).tolist(), starts(numbers + 1, grain).tolist()
    labels = [stretch(low, high, column.kind) for low, high in zip(begins, ends, strict=True)]
    calendar = calendar_of(grain, int(numbers[0]), int(numbers[-1]) + 1)
    present = np.unique(numbered(found, "hour" if grain == "hour" else "day"))
    cut = unfinished(present, float(found.max()), float(found.min()), calendar)
    for at, partly in zip((0, -1), cut, strict=True):
        # its sums are those of a part of it
        labels[at] += UNFINISHED if partly and not labels[at].endswith(UNFINISHED) else ""
    return tuple(
        Frame(between(column, low, high), words, int(n))
        for low, high, words, n in zip(begins, ends, labels, counts, strict=True)
    )


def grains_of(rows: Rows, time: str) -> tuple[GrainName, ...]:
    """Return the periods a time can be played in, the first to begin with."""
    return rows.remember(("grains", time), lambda: _grains_of(rows, time))


def _grains_of(rows: Rows, time: str) -> tuple[GrainName, ...]:
    column = rows.table.column(time)
    if column.yearly:
        return ("year",)
    found = _present(rows, column)
    if not len(found):
        return ()
    able = [
        (grain, n)
        for grain in GRAINS
        if not (grain == "hour" and column.kind == Kind.DATE)
        and 1 < (n := len(np.unique(_numbered(found, column, grain)))) <= MOST_FRAMES
    ]
    # what can be watched in a minute comes first, the finest of it before the others
    return tuple(grain for grain, n in sorted(able, key=lambda one: one[1] > AGREEABLE))


def how_many(rows: Rows, time: str, grain: GrainName) -> int:
    """Return how many periods of a time the kept rows lie in."""
    column = rows.table.column(time)
    return len(np.unique(_numbered(_present(rows, column), column, grain)))


def _present(rows: Rows, column: Column) -> Floats:
    values = rows.table.axis(column.name).values
    values = values if rows.kept is None else values[rows.kept]
    return np.asarray(values[~np.isnan(values)])


def _numbered(found: Floats, column: Column, grain: GrainName) -> Any:
    return found.astype(np.int64) if column.yearly else numbered(found, grain)


def started(
    scene: Scene, table: Table, time: str | None = None, grain: GrainName | None = None, at: int | None = None
) -> tuple[Scene, str]:
    """Return a scene playing: at a period by its place, else where the lit rows begin, else at the first.

    Raises
    ------
    BadQuestion
        Where the picture or the table cannot play, or no row has a time.
    """
    now, before = scene.plays, whole(scene)
    if before.main is None or (playing := kind_of(before.main).playing) is None:
        raise BadQuestion(
            "This picture does not play through time", "", "Groups, points, parts and places do."
        )
    if time is None:
        column = now.time if now is not None else getattr(time_column(table), "name", None)
        if column is None:
            raise BadQuestion("There is no column of time", table.name, "Read one as dates, or as years.")
        time = column
    if not table.column(time).dated:
        raise BadQuestion(
            f"“{time}” is {table.column(time).kind} and no time", "time", "Choose dates or years."
        )
    rows = Rows(table, before.only, before.lit)
    if grain is None:
        able = grains_of(rows, time)
        if not able:
            raise BadQuestion(
                f"There are no periods of {time} to play through",
                "",
                f"At least two, at most {MOST_FRAMES} are needed.",
            )
        grain = now.grain if now is not None and now.time == time and now.grain in able else able[0]
    found = frames(rows, time, grain)
    if not found:
        raise BadQuestion(f"No row that is kept has a {time}", "", "Lift a condition.")
    place = at if at is not None else _first_lit(rows, time, found)
    if not 0 <= place < len(found):
        raise BadQuestion("There is no such period", "at", "Reload the page.")
    frame = found[place]
    after = standing(replace(before, main=playing.fixed(before.main, rows)), time, grain, frame)
    return after, frame.label if now is not None else f"playing through {time}: {frame.label}"


def standing(scene: Scene, time: str, grain: GrainName, frame: Frame) -> Scene:
    """Return a scene at one of the periods it plays through."""
    before = whole(scene)
    return replace(before, only=(*before.only, frame.period), plays=Plays(time, grain, frame.period))


def _first_lit(rows: Rows, time: str, found: Sequence[Frame]) -> int:
    if rows.lit is None or not rows.lit.any():
        return 0
    lit = rows.lit
    return next((i for i, frame in enumerate(found) if (lit & mask(frame.period, rows.table)).any()), 0)


def still_plays(scene: Scene) -> Scene:
    """Return a scene after any change: it plays no more where its period or its kind of picture is gone."""
    if scene.plays is not None and (scene.plays.period not in scene.only or not plays(scene)):
        return replace(scene, plays=None)
    return scene


def place_of(scene: Scene, found: Sequence[Frame]) -> int | None:
    """Return which of the periods a scene is at; None where it is none of them any more."""
    assert scene.plays is not None  # noqa: S101  (asked only of scenes that play)
    return next((i for i, frame in enumerate(found) if frame.period == scene.plays.period), None)
