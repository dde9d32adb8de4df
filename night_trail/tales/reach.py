"""What a reader of a tale may light: the marks that are drawn, and nothing between them.

A tale shows what its writer chose to show. Were any condition allowed, a reader could ask of
any column, and read a cell by halving. So a reader's lantern holds marks of the picture, ranges
and loops that end where marks or pixels do, and what the server itself signed before.
"""

from __future__ import annotations

import html
import json
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
from django.core import signing
from msgspec.structs import replace

from night_trail.core.conditions import (
    AllOf,
    AnyOf,
    Between,
    Condition,
    Loop,
    moment,
    within,
)
from night_trail.core.errors import BadQuestion
from night_trail.core.question import decode, to_json
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.core.turns import LightRange, range_condition

MOST_JSON = 4_000
MOST_CELLS = 200
MOST_LOOKED_AT = 200
MOST_SIGNED = 6_000
"""Characters of what a reader carries in an address."""

_MARK = re.compile(r"""data-light=(?:"([^"]*)"|'([^']*)')""")
_AXES = re.compile(r"""data-axes=(?:"([^"]*)"|'([^']*)')""")


def refused() -> BadQuestion:
    """Return the one answer to whatever is not drawn; it names nothing."""
    return BadQuestion(
        "The lantern reaches only what is drawn", "", "Light a mark, or go back to what was written."
    )


class Reach:
    """The marks and axes of a picture as it is drawn for a reader."""

    def __init__(self, svg: str, table: Table) -> None:
        self._table = table
        found = (html.unescape(a or b) for a, b in _MARK.findall(svg))
        self.marks: dict[str, Condition] = {text: decode(text, Condition, "mark") for text in found}
        axes = _AXES.search(svg)
        self._axes: dict[str, Any] = json.loads(html.unescape(axes[1] or axes[2])) if axes else {}

    def lit(self, text: str) -> Condition:
        """Return the rows of a mark or of a loop, refused where they are neither."""
        if text in self.marks:
            return self.marks[text]
        if len(text) > MOST_JSON:
            raise refused()
        try:
            asked: Condition = decode(text, Condition, "condition")
        except BadQuestion:
            raise refused() from None
        if asked in self.marks.values():
            return asked
        return self._looped(asked)

    def swept(self, text: str) -> Condition:
        """Return the rows of a range along the axis, its ends moved outwards to those of marks or pixels."""
        if len(text) > MOST_JSON:
            raise refused()
        try:
            asked = decode(text, LightRange, "range")
            if asked.column != self._axes.get("column"):
                raise refused()
            low, high = sorted((asked.low, asked.high))
            low, high = self._snapped(asked.column, low, high)
            return range_condition(replace(asked, low=low, high=high, grain=0.0), self._table)
        except BadQuestion:
            raise refused() from None

    def fewer(self, rows: Rows, least: int) -> tuple[int, int]:
        """Return how many marks stand for fewer rows than ``least``, and at how many that was looked.

        Where rows are drawn one by one there are no marks, and none are looked at.
        """
        looked_at = list(self.marks.values())[:MOST_LOOKED_AT]
        return sum(0 < rows.relit(mark).n_lit < least for mark in looked_at), len(looked_at)

    def _looped(self, asked: Condition) -> Condition:
        """Return drawn cells whose middle lies in a loop; where rows are drawn, the loop on whole pixels."""
        panel: Condition | None = None
        loop = asked
        if isinstance(asked, AllOf) and len(asked.parts) == 2:
            loop, panel = asked.parts
        fields = self._axes.get("fields") or [self._axes]
        field = next((f for f in fields if self._rows_of(f) == panel), None)
        if not isinstance(loop, Loop) or field is None or not field.get("x") or not field.get("y"):
            raise refused()
        if (loop.x, loop.y) != (self._axes.get("column"), self._axes.get("y_column")):
            raise refused()
        cells = [(mark, at) for mark in self.marks.values() if (at := self._middle(mark, loop, panel))]
        if not cells:
            points = tuple((_on_pixel(field["x"], x), _on_pixel(field["y"], y)) for x, y in loop.points)
            ends = tuple(field["x"]["domain"] + field["y"]["domain"])
            on_pixels: Condition = replace(loop, points=points, ends=ends)
            return on_pixels if panel is None else AllOf((on_pixels, panel))
        x, y = np.array([at for _, at in cells]).T
        lies = within(np.asarray(loop.points), x, y)
        inside = [mark for (mark, _), lit in zip(cells, lies, strict=True) if lit]
        if not inside or len(inside) > MOST_CELLS:
            raise refused()
        return inside[0] if len(inside) == 1 else AnyOf(tuple(inside))

    def _rows_of(self, field: dict[str, Any]) -> Condition | None:
        rows = field.get("rows")
        return None if rows is None else decode(json.dumps(rows), Condition, "rows")

    def _middle(self, mark: Condition, loop: Loop, panel: Condition | None) -> tuple[float, float] | None:
        """Return the middle of a mark that is a cell of both axes of a loop's panel."""
        parts = mark.parts if isinstance(mark, AllOf) else (mark,)
        ranges = {part.column: part for part in _leaves(mark) if isinstance(part, Between)}
        if loop.x not in ranges or loop.y not in ranges or (panel is not None and panel not in parts):
            return None
        ends = [self._ends(ranges[name]) for name in (loop.x, loop.y)]
        return (sum(ends[0]) / 2, sum(ends[1]) / 2) if len(ends[0]) == len(ends[1]) == 2 else None

    def _ends(self, part: Between) -> list[float]:
        kind = self._table.column(part.column).kind
        return [
            moment(str(end)) if kind.temporal else float(end)
            for end in (part.low, part.high)
            if end is not None
        ]

    def _snapped(self, name: str, low: float, high: float) -> tuple[float, float]:
        edges = sorted(
            {
                end
                for mark in self.marks.values()
                for part in _leaves(mark)
                if isinstance(part, Between) and part.column == name
                for end in self._ends(part)
            }
        )
        if len(edges) > 1:
            at = np.asarray(edges)
            first = max(int(np.searchsorted(at, low, side="right")) - 1, 0)
            last = min(int(np.searchsorted(at, high, side="left")), len(at) - 1)
            return float(at[min(first, last - 1)] if last else at[0]), float(at[max(last, 1)])
        axis = self._axes.get("x")
        if not axis or "domain" not in axis:
            raise refused()
        return _on_pixel(axis, low), _on_pixel(axis, high)


def _leaves(condition: Condition) -> Iterator[Condition]:
    if isinstance(condition, AllOf | AnyOf):
        for part in condition.parts:
            yield from _leaves(part)
    else:
        yield condition


def _on_pixel(axis: dict[str, Any], at: float) -> float:
    """Return a place of an axis moved to a whole pixel, so that nothing between pixels can be asked for."""
    (low, high), (start, end) = axis["domain"], axis["range"]
    if not np.isfinite(at) or high <= low or start == end:
        raise refused()
    count = max(abs(end - start), 1.0)
    if axis.get("log"):
        place = round(float(np.log10(max(at, low) / low) / np.log10(high / low)) * count) / count
        return float(low * (high / low) ** min(max(place, 0.0), 1.0))
    if axis.get("sine"):
        sines = np.sin(np.radians([low, high, at]))
        place = round(float((sines[2] - sines[0]) / (sines[1] - sines[0])) * count) / count
        sine = sines[0] + min(max(place, 0.0), 1.0) * (sines[1] - sines[0])
        return float(np.degrees(np.arcsin(np.clip(sine, -1.0, 1.0))))
    place = round((at - low) / (high - low) * count) / count
    return float(low + min(max(place, 0.0), 1.0) * (high - low))


def signed(lit: Condition | None, stop: int) -> str:
    """Return what is lit so that a reader can carry it but not change it; empty where nothing is."""
    if lit is None:
        return ""
    made = signing.dumps(to_json(lit), salt=f"lantern:{stop}", compress=True)
    if len(made) > MOST_SIGNED:
        raise BadQuestion(
            "The lantern reaches no further", "", "Light fewer marks, or go back to what was written."
        )
    return made


def opened(text: str, stop: int) -> Condition | None:
    """Return what was lit, refused where the server did not sign it for this stop."""
    if not text:
        return None
    try:
        lit: Condition = decode(signing.loads(text, salt=f"lantern:{stop}"), Condition, "condition")
    except (signing.BadSignature, BadQuestion):
        raise refused() from None
    return lit
