"""A make-up with a second figure beside the first: one that shades parts, or what they are held against."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import AllOf, Condition, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.answer import base_measure
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.questions.make_up.parts import Part
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.make_up.tree import chosen, overall_of, places_of
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.shared.cells import Held, held_in, held_of
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.rows import Rows
from night_trail.core.table import Bools


def those_held(of: Condition, rows: Rows) -> Rows:
    """Return the kept rows that meet a condition, remembered with those they are of."""
    made = rows.remember(("those held", of), lambda: _Kept(Rows(rows.table, (*rows.only, of))))
    return made.rows.relit(rows.lit_condition)


@dataclass(frozen=True)
class _Kept:
    """Rows that are remembered; what they remember themselves counts where it is kept."""

    rows: Rows
    nbytes: int = 200


def inside_of(
    question: MakeUp, levels: Sequence[Grouping], held: Held
) -> tuple[list[Condition], Bools | None]:
    """Return what names the path, and which cells lie within it, None where it leads nowhere yet.

    Shape (cells,).
    """
    found: Bools | None = None
    named: list[Condition] = []
    for name, level in zip(question.path, levels, strict=False):
        place = next((i for i, group in enumerate(level.groups) if group.key == name), None)
        if place is None:
            raise BadQuestion(
                f"There is no “{name[:60]}” among these rows", "path", "Go back to the level above."
            )
        assert level.codes is not None  # noqa: S101  (levels are columns)
        here = (level.codes if held.at is None else level.codes[held.at]) == place
        found = here if found is None else found & here
        condition = level.condition(place)
        assert condition is not None  # noqa: S101  (the same)
        named.append(condition)
    return named, found


def shaded(parts: list[Part], question: MakeUp, levels: Sequence[Grouping], rows: Rows) -> list[Part]:
    """Return the parts with a second figure, of all rows of each that have it."""
    shade, depth = question.shade, len(question.path)
    assert shade is not None  # noqa: S101  (asked only of shaded ones)
    held = held_in(shade, rows)
    _, inside = inside_of(question, levels, held)
    within = held if inside is None else chosen(held, inside)
    deepest = max((part.depth for part in parts), default=0)
    own = levels[depth : depth + deepest]
    key = ("make-up shade", shade, question.names[: depth + deepest], question.path)
    figures = rows.remember(key, lambda: _Shades(_shades(shade, own, within))).figures
    made = []
    for part in parts:
        value = figures.get(part.names, np.nan) if not part.others else _of_rows(shade, part, held, rows)
        made.append(replace(part, shade=value if np.isfinite(value) else None))
    return made


@dataclass(frozen=True)
class _Shades:
    """The figures that shade, by the values of each part."""

    figures: dict[tuple[str, ...], float]

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return 300 * len(self.figures)


def _shades(shade: Measure, levels: Sequence[Grouping], within: Held) -> dict[tuple[str, ...], float]:
    found: dict[tuple[str, ...], float] = {}
    names: list[tuple[str, ...]] = [()]
    placed = places_of(levels, within)
    figures = placed.figures(shade, within)
    for level, parents, codes, own in zip(levels, placed.parents, placed.codes, figures, strict=True):
        keys = [*(group.key for group in level.groups), ""]
        names = [(*names[parent], keys[code]) for parent, code in zip(parents, codes, strict=True)]
        found |= dict(zip(names, map(float, own.values), strict=True))
    return found


def _of_rows(shade: Measure, part: Part, held: Held, rows: Rows) -> float:
    inside = mask(part.condition, rows.table)
    return overall_of(shade, chosen(held, inside if held.at is None else inside[held.at]))


def held_against(
    parts: list[Part], question: MakeUp, against: Baseline, levels: Sequence[Grouping], rows: Rows
) -> tuple[list[Part], float, tuple[tuple[str, float], ...]]:
    """Return the parts with what they are held against, the same of the whole, and what is gone."""
    depth, adds = len(question.path), question.measure.aggregate in ADDS_UP
    kept: Bools | None
    if question.even and against.where is not None:
        # all conditions hold for the others as well
        measure, kept = question.measure, mask(AllOf((*rows.only, against.where)), rows.table)
    else:
        measure, kept = base_measure(question.measure, against, rows)
    held = held_of(measure, rows.table, kept)
    _, inside = inside_of(question, levels, held)
    within = held if inside is None else chosen(held, inside)
    deepest = max((part.depth for part in parts), default=1)
    figures = _shades(measure, levels[depth : depth + deepest], within)
    total = overall_of(measure, within)
    if question.even and adds and total:
        own = sum(part.figure for part in parts if part.parent < 0)
        figures = {names: value * own / total for names, value in figures.items()}
        total = own
    nothing = 0.0 if adds else None
    made: list[Part] = []
    drawn: dict[int, float] = {}
    for part in parts:
        if part.others:
            # of sums what is left of the parent's; of what does not add up each part alone is told
            above = total if part.parent < 0 else made[part.parent].base
            base = above - drawn.get(part.parent, 0.0) if adds and above is not None else None
        else:
            base = figures.get(part.names, nothing)
            base = base if base is not None and np.isfinite(base) else nothing
            drawn[part.parent] = drawn.get(part.parent, 0.0) + (base or 0.0)
        made.append(replace(part, base=base))
    there = {part.names for part in parts if part.depth == 1}
    gathered = any(part.others and part.depth == 1 for part in parts)
    gone = sorted(
        (
            (names[0], float(v))
            for names, v in figures.items()
            if len(names) == 1 and v and names not in there
        ),
        key=lambda one: -abs(one[1]),
    )
    return made, total, () if gathered or not adds else tuple((name or "without", v) for name, v in gone)
