"""Draw it as…: every shape that fits what is asked, best first with the reason, what would mislead last.

The rules go by what makes shapes readable (Cleveland & McGill 1984: positions before lengths, lengths
before angles and areas) and by how much there is to be shown; each is a line of ``RULES``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from night_trail.core.errors import NightTrailError
from night_trail.core.measure import Measure
from night_trail.core.playing import grains_of, how_many
from night_trail.core.question import Question, Scene
from night_trail.core.questions.registry import KINDS, kind_of
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.offers import Looking
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.core.turns import Change, Slot, turn

OTHER_WAYS = ("spread", "compare", "over time", "cycle", "make-up", "flow", "place", "relate", "goes")
"""Ways of asking that the same figure, or its groups, may be drawn in; models are not among them."""

MOST_PARTS, MANY, FEW_ROWS, MANY_ROWS, MOST_RIM = 6, 12, 30, 1_500, 40


@dataclass(frozen=True)
class Facts:
    """What decides between shapes: how many groups there are and what becomes of their figures."""

    rows: int
    groups: int
    second: int
    periods: int
    adds_up: bool
    below: bool


@dataclass(frozen=True)
class Judged:
    """How well a shape fits, from 0 to 1, why, and how it would mislead, empty where it would not."""

    weight: float
    why: str
    misleads: str = ""


@dataclass(frozen=True)
class Suggested:
    """A shape that fits what is asked: the turn to it, what it is called, and how it is judged."""

    change: Change
    words: str
    judged: Judged
    present: bool = False


def guide(scene: Scene, look: Looking) -> tuple[Suggested, ...]:
    """Return every shape that fits what a scene asks, the best first, those that would mislead last."""
    main = scene.main
    if main is None:
        return ()
    found = [*_own_shapes(scene, main, look), *_other_ways(scene, main, look)]
    # of equal ones the present comes first, and one's own shapes before other ways
    found.sort(key=lambda one: (bool(one.judged.misleads), -one.judged.weight, not one.present))
    return tuple(found)


def _own_shapes(scene: Scene, main: Question, look: Looking) -> list[Suggested]:
    kind = kind_of(main)
    slots = {part.slot for part in kind.said(main, look.table, None).parts}
    if "shape" not in slots:
        return [Suggested(Slot("way", kind.tag), kind.way, judged(main, look), True)]
    found, facts = [], facts_of(main, look)
    for offer in kind.offers("shape", look, main):
        change = Slot("shape", offer.value)
        after = _after(scene, change, look.table)
        if after is not None:
            found.append(Suggested(change, offer.text, judged(after, look, facts), after == main))
    return found


def _other_ways(scene: Scene, main: Question, look: Looking) -> list[Suggested]:
    """Return the same figure asked in other ways: one that speaks of something else is none."""
    before, named = kind_of(main), set(filter(None, main.mentions))
    found = []
    for kind in KINDS:
        if kind is before or kind.tag not in OTHER_WAYS:
            continue
        change = Slot("way", kind.tag)
        after = _after(scene, change, look.table)
        if after is None or not named & set(filter(None, after.mentions)):
            continue
        shape = getattr(after, "shape", "")
        said = next((p.text for p in kind.said(after, look.table, None).parts if p.slot == "shape"), "")
        words = f"{kind.way}, as {said}" if shape and said else kind.way
        found.append(Suggested(change, words, _lighter(judged(after, look))))
    return found


def _lighter(one: Judged) -> Judged:
    """Return a judgement of another way of asking: what was asked comes before it."""
    return Judged(0.6 * one.weight, one.why, one.misleads)


def _after(scene: Scene, change: Change, table: Table) -> Question | None:
    try:
        return turn(scene, change, table)[0].main
    except NightTrailError:
        return None


def judged(question: Question, look: Looking, facts: Facts | None = None) -> Judged:
    """Return how well the shape of a question fits what it shows; the facts are the same in any shape."""
    rule = RULES.get((kind_of(question).tag, getattr(question, "shape", "")))
    if rule is None:
        return Judged(0.5, "another side of the same rows")
    return rule(facts if facts is not None else facts_of(question, look))


def facts_of(question: Question, look: Looking) -> Facts:
    """Return what decides between shapes, of a question on the rows that are kept."""
    rows = look.rows
    groups = [name for name in (getattr(question, "across", None), getattr(question, "split", None)) if name]
    levels: tuple[str, ...] = getattr(question, "levels", ()) or getattr(question, "stations", ())
    second = getattr(question, "also", None) or next(iter(levels[1:2]), None)
    measure = getattr(question, "measure", None)
    time = getattr(question, "time", None)
    return Facts(
        rows=rows.n,
        groups=_present(rows, groups[0] if groups else None),
        second=_present(rows, second),
        periods=_periods(rows, question, time),
        adds_up=isinstance(measure, Measure) and measure.aggregate in ADDS_UP,
        below=_below(question, rows, groups),
    )


def _present(rows: Rows, name: str | None) -> int:
    """Return how many values of a column the kept rows have."""
    if name is None:
        return 0
    if rows.kept is None:
        return rows.table.column(name).distinct
    codes = rows.table.coded(name).codes[rows.kept]
    return int(np.count_nonzero(np.bincount(codes[codes >= 0])))


def _periods(rows: Rows, question: Any, time: str | None) -> int:
    if time is None or not rows.table.column(time).dated:
        return 0
    grain = getattr(question, "grain", None) or next(iter(grains_of(rows, time)), None)
    return how_many(rows, time, grain) if grain is not None else 0


def _below(question: Any, rows: Rows, groups: list[str]) -> bool:
    if not groups or getattr(question, "measure", None) is None:
        return False
    column = question.measure.column
    values = (
        None
        if column is None or not rows.table.column(column).kind.numeric
        else rows.table.axis(column).values
    )
    return values is not None and bool((values < 0).any())


def _always(weight: float, why: str) -> Callable[[Facts], Judged]:
    return lambda facts: Judged(weight, why)


def _parts(weight: float, why: str, most: int, few: str) -> Callable[[Facts], Judged]:
    """Return the rule of a shape that shows few parts of a whole."""

    def rule(facts: Facts) -> Judged:
        if facts.below:
            return Judged(0.1, why, "some figures are below 0, and no part of a whole is")
        if facts.groups > most:
            return Judged(0.1, why, f"of {facts.groups:,} parts {few}")
        return Judged(weight, why)

    return rule


def _stacked(why: str) -> Callable[[Facts], Judged]:
    def rule(facts: Facts) -> Judged:
        split = facts.second or facts.groups
        if facts.below:
            return Judged(0.1, why, "figures below 0 do not stack")
        if split > MOST_PARTS:
            return Judged(0.1, why, f"of {split:,} layers only the lowest has an even foot")
        return Judged(0.55, why)

    return rule


def _line(facts: Facts) -> Judged:
    if facts.groups > MANY:
        return Judged(
            0.4, "how each goes on", f"{facts.groups:,} lines lie over each other; small panels part them"
        )
    return Judged(1.0, "how it goes on from period to period")


def _columns(facts: Facts) -> Judged:
    why = "each period by itself, as a length from 0"
    if facts.periods > 60:
        return Judged(0.2, why, f"of {facts.periods:,} columns none is told from the next")
    return Judged(0.75 if facts.periods <= 14 else 0.5, why)


def _bars(facts: Facts) -> Judged:
    if facts.adds_up:
        return Judged(1.0, "lengths from 0, the surest to compare")
    return Judged(0.5, "lengths from 0; how sure each figure is, is not seen")


def _density(facts: Facts) -> Judged:
    why = "the shape without its bins"
    if facts.rows < FEW_ROWS:
        return Judged(0.2, why, f"a smooth curve of {facts.rows:,} rows promises more than they hold")
    return Judged(0.7, why)


def _strip(facts: Facts) -> Judged:
    why = "every row by itself"
    if facts.rows > MANY_ROWS:
        return Judged(0.2, why, f"of {facts.rows:,} points most lie on each other")
    return Judged(0.65, why)


def _dots(facts: Facts) -> Judged:
    if facts.adds_up:
        return Judged(0.6, "places on one axis")
    return Judged(1.0, "places on one axis, with how sure each is")


def _crossing(weight: float, why: str, most: int) -> Callable[[Facts], Judged]:
    """Return the rule of a shape whose lines cross: of many none can be followed."""

    def rule(facts: Facts) -> Judged:
        if facts.groups > most:
            return Judged(0.2, why, f"{facts.groups:,} lines cross too often to be followed")
        return Judged(weight, why)

    return rule


def _from(many: Callable[[Facts], bool], more: float, less: float, why: str) -> Callable[[Facts], Judged]:
    """Return the rule of a shape that fits better where there is much of something."""
    return lambda facts: Judged(more if many(facts) else less, why)


def _rings(facts: Facts) -> Judged:
    if facts.second > MOST_RIM:
        return Judged(0.2, "how deep it goes", f"{facts.second:,} slivers lie at the rim")
    return Judged(0.5, "how deep it goes")


def _areas(facts: Facts) -> Judged:
    why = "countries and regions, shaded"
    if facts.adds_up:
        return Judged(0.4, why, "large areas catch the eye whatever they hold: take the figure per something")
    return Judged(0.8, why)


RULES: dict[tuple[str, str], Callable[[Facts], Judged]] = {
    ("spread", "histogram"): _always(1.0, "how many rows lie where"),
    ("spread", "density"): _density,
    ("spread", "boxes"): _always(0.75, "middle, half of the rows and what lies far out, group by group"),
    ("spread", "letters"): _always(0.5, "the tails in finer steps"),
    ("spread", "running"): _always(0.45, "what share lies below a value, without bins"),
    ("spread", "strip"): _strip,
    ("spread", "bars"): _always(0.9, "how often each value occurs"),
    ("compare", "bars"): _bars,
    ("compare", "dots"): _dots,
    ("compare", "table"): _always(0.45, "figures to be read"),
    ("compare", "ring"): _parts(0.5, "a whole and its few parts", MOST_PARTS, "nobody compares the angles"),
    ("compare", "strip"): _parts(
        0.5, "a whole and its few parts, as lengths", MOST_PARTS, "most are slivers"
    ),
    ("compare", "figure"): _always(0.2, "all together as one figure, without the groups"),
    ("compare", "stair"): _always(0.6, "what adds up to the difference, step by step"),
    ("compare", "slope"): _crossing(0.9, "which rose and which fell", 2 * MANY),
    ("compare", "grid"): _from(lambda f: f.groups * f.second > 2 * MANY, 0.85, 0.4, "many pairs at a glance"),
    ("compare", "stacked"): _stacked("the whole and its parts at once"),
    ("compare", "shares"): _stacked("how each is made up, whatever its size"),
    ("over time", "line"): _line,
    ("over time", "columns"): _columns,
    ("over time", "area"): _always(0.45, "how much there is, as a mass"),
    ("over time", "steps"): _always(0.4, "what holds until it changes"),
    ("over time", "stacked"): _stacked("the whole over time and its parts"),
    ("over time", "shares"): _stacked("how the make-up changes, whatever the whole does"),
    ("over time", "panels"): _from(lambda f: f.groups > MOST_PARTS, 0.9, 0.6, "each by itself, on one scale"),
    ("over time", "horizon"): _from(
        lambda f: f.groups > MANY, 0.7, 0.35, "many at once, above and below the usual"
    ),
    ("over time", "days"): _from(lambda f: f.periods > 120, 0.7, 0.3, "weekdays and seasons of single days"),
    ("over time", "ranks"): _crossing(0.5, "who overtakes whom, not by how much", 2 * MANY),
    ("make-up", "treemap"): _from(
        lambda f: max(f.groups, f.second) > MOST_PARTS, 0.85, 0.5, "the size of many parts at a glance"
    ),
    ("make-up", "rings"): _rings,
    ("make-up", "bars"): _always(0.7, "parts as lengths, to be read one by one"),
    ("make-up", "squares"): _parts(
        0.55, "shares of few parts, in hundredths", MOST_PARTS, "most are too small"
    ),
    ("make-up", "stair"): _always(0.4, "what adds up to what"),
    ("flow", "bands"): _always(0.8, "from where to where, and how much"),
    ("flow", "matrix"): _always(0.6, "every pair by shade"),
    ("place", "dots"): _from(lambda f: f.rows <= MANY_ROWS, 0.9, 0.6, "each place, as large as its figure"),
    ("place", "hexagons"): _from(lambda f: f.rows > MANY_ROWS, 0.9, 0.5, "where many rows lie close"),
    ("place", "areas"): _areas,
    ("place", "arcs"): _from(lambda f: f.rows <= MANY_ROWS, 0.9, 0.7, "ways from place to place"),
}  # fmt: skip
"""How each shape is judged, by the kind of question and the shape."""
