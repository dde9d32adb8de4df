"""The filter, the lantern and the zoom, after what typed words ask of rows."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from night_trail.core.conditions import Between, Condition, Not, OneOf, Recurs, joined_all
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.moments import seconds_of
from night_trail.core.question import Scene
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.table import Table
from night_trail.core.words_in.amounts import when_condition
from night_trail.core.words_in.asked import Asked


def rows_turned(asked: Asked, scene: Scene, table: Table) -> Scene:
    """Return the scene with the filter, the lantern and the zoom that were asked for."""
    scene = _kept(scene, _without(scene.only, asked.dropped))
    scene = narrowed(scene, asked.only, table)
    if asked.zoomed is not None:
        scene, zoomed = _zoomed(scene, asked, table)
        scene = narrowed(scene, zoomed, table)
    return replace(scene, lit=joined_all(*asked.lit)) if asked.lit else scene


def _zoomed(scene: Scene, asked: Asked, table: Table) -> tuple[Scene, list[Condition]]:
    """Return the scene zoomed into a stretch of time; what cannot be zoomed keeps its rows only."""
    stretch = asked.zoomed
    assert stretch is not None  # noqa: S101  (asked where there is one)
    main = scene.main
    if main is None or (stretch.low is None and stretch.high is None):
        raise BadQuestion("What to zoom into is not said", "", "Write it like: zoom to 2023.")
    if hasattr(main, "window_at") and stretch.low is not None and stretch.high is not None:
        window = (seconds_of(stretch.low), seconds_of(stretch.high))
        return replace(scene, main=replace(main, window_at=window)), []
    column = time_column(table)
    condition = when_condition(column, stretch) if column is not None else None
    if condition is None:
        raise BadQuestion("The table has no column of dates", table.name, "Zoom on the picture instead.")
    return scene, [condition]


def _without(only: tuple[Condition, ...], dropped: Sequence[Condition]) -> tuple[Condition, ...]:
    """Return a filter without the conditions that were dropped; values that are not in it are set aside."""
    for gone in dropped:
        hits = tuple(c for c in only if c == gone or _speaks_of(c, gone))
        only = tuple(c for c in only if c not in hits) if hits else (*only, Not(gone))
    return only


def _speaks_of(condition: Condition, gone: Condition) -> bool:
    if isinstance(condition, OneOf) and isinstance(gone, OneOf):
        return condition.column == gone.column and set(gone.values) >= set(condition.values)
    return isinstance(condition, Between) and isinstance(gone, Between) and condition.column == gone.column


def narrowed(scene: Scene, new: Sequence[Condition], table: Table) -> Scene:
    """Return a scene with more conditions: other values or times take the place of those before.

    Those that are new at once hold together: Quayside, and not on Fridays.
    """
    kept = [c for c in scene.only if c in new or not any(_takes_place(one, c, table) for one in new)]
    return _kept(scene, (*kept, *(one for one in new if one not in kept)))


def _kept(scene: Scene, only: tuple[Condition, ...]) -> Scene:
    """Return a scene with another filter; groups whose rows it lets go are come up from."""
    within = tuple(level for level in scene.within if level.rows in only)
    return replace(scene, only=only, within=within)


def _takes_place(new: Condition, old: Condition, table: Table) -> bool:
    inner_new = new.part if isinstance(new, Not) else new
    inner_old = old.part if isinstance(old, Not) else old
    if isinstance(inner_new, OneOf) and isinstance(inner_old, OneOf):
        both_out = isinstance(new, Not) and isinstance(old, Not)
        return inner_new.column == inner_old.column and not both_out
    if isinstance(new, Between) and isinstance(old, Between) and new.column == old.column:
        return table.column(new.column).dated and (new.low is None) == (old.low is None)
    return (
        type(new) is type(old)
        and isinstance(new, Recurs)
        and isinstance(old, Recurs)
        and new.part == old.part
    )


def checked(scene: Scene, table: Table) -> Scene:
    """Return a scene all of whose conditions a table can tell, or refuse it."""
    for condition in (*scene.only, scene.lit):
        if condition is not None:
            check_condition(condition, table)
    return scene


def label_of(before: Scene, after: Scene, table: Table) -> str:
    """Return what changed in a few words."""
    changes = []
    if after.main != before.main and after.main is not None:
        changes.append(kind_of(after.main).short_name(after.main))
    new = [c for c in after.only if c not in before.only]
    gone = [c for c in before.only if c not in after.only]
    if new:
        changes.append("only " + " and ".join(in_words(c, table) for c in new))
    elif gone:
        changes.append("no longer only " + " and ".join(in_words(c, table) for c in gone))
    if after.lit != before.lit and after.lit is not None:
        changes.append(f"lit: {in_words(after.lit, table)}")
    return ", ".join(changes)
