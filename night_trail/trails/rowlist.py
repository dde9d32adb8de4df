"""The rows behind a scene, as a page of a table and as CSV."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any
from urllib.parse import urlencode

import numpy as np
import polars as pl
from django.http import QueryDict

from night_trail.core.conditions import columns_of, mask
from night_trail.core.language.conditions import from_words
from night_trail.core.language.numbers import value
from night_trail.core.questions.shared.measure_words import aggregate_words
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.table import Column, Kind
from night_trail.tables import cells
from night_trail.trails.pictures import Desk

PAGE = 50
MOST_COLUMNS = 40
MOST_SORTS = 4
MOST_SUMMED = 6


@dataclass(frozen=True)
class View:
    """How the rows are looked at: which columns in which order, sorted and grouped how, what is marked.

    ``sorts`` are columns, the first of them first, and whether they descend.
    """

    columns: tuple[str, ...] = ()
    sorts: tuple[tuple[str, bool], ...] = ()
    group: str = ""
    mark: str = ""
    page: int = 1

    @classmethod
    def of(cls, query: QueryDict, desk: Desk) -> View:
        """Return what an address asks for; columns that are not there are left out."""
        number = query.get("page", "1")
        asked = [text for text in query.getlist("sort") if text.lstrip("-")]
        sorts = [
            (text[1:], True) if text.startswith("-") and text not in desk.table else (text, False)
            for text in asked
        ]
        group = query.get("group", "")
        return cls(
            columns=tuple(dict.fromkeys(c for c in query.getlist("col") if c in desk.table)),
            sorts=tuple((name, down) for name, down in sorts if name in desk.table)[:MOST_SORTS],
            group=group if group in desk.table else "",
            mark=query.get("mark", "").strip()[:400],
            page=int(number) if number.isascii() and number.isdigit() and len(number) < 10 else 1,
        )

    def address(self, **changes: Any) -> str:
        """Return the query of this view with some changes."""
        view = replace(self, **changes)
        pairs = [("col", c) for c in view.columns]
        pairs += [("sort", f"-{name}" if down else name) for name, down in view.sorts]
        pairs += [(key, text) for key, text in (("group", view.group), ("mark", view.mark)) if text]
        return urlencode([*pairs, *([("page", str(view.page))] if view.page > 1 else [])])

    def sorted_by(self, name: str) -> tuple[tuple[str, bool], ...]:
        """Return the sorts after a click on a column's head: it comes first, turned round if it was first."""
        first = self.sorts[0] if self.sorts else ("", False)
        down = first[0] == name and not first[1]
        return ((name, down), *(s for s in self.sorts if s[0] != name))[:MOST_SORTS]


@dataclass(frozen=True)
class Head:
    """A column's head: where a click sorts, and where it is put first or taken out."""

    column: Column
    sort: str
    front: str
    without: str
    down: bool | None


@dataclass(frozen=True)
class RowLine:
    """A row: its place in the table, its cells, and whether the rule marks it; or the summary of a group."""

    at: int = -1
    cells: tuple[cells.WrittenCell, ...] = ()
    marked: bool = False
    summary: str = ""


@dataclass(frozen=True)
class RowPage:
    """A page of rows."""

    heads: list[Head]
    lines: list[RowLine]
    total: int
    lit: bool
    view: View
    pages: int
    earlier: str
    later: str
    others: list[str]
    groupable: list[str]
    sort_words: str
    marked: frozenset[str] = field(default_factory=frozenset)


def row_page(desk: Desk, view: View) -> RowPage:
    """Return one page of the rows that are lit, or of all that are kept where nothing is."""
    wanted = _wanted(desk)
    total = len(wanted)
    everything = _columns(desk)
    columns = [desk.table.column(c) for c in view.columns] or everything[:MOST_COLUMNS]
    names = tuple(c.name for c in columns)
    keys = [*([(view.group, False)] if view.group else []), *(s for s in view.sorts if s[0] != view.group)]
    marked = from_words(view.mark, desk.table) if view.mark else None
    wanted = _sorted(desk, wanted, keys)
    pages = max(1, -(-total // PAGE))
    page = min(max(view.page, 1), pages)
    view = replace(view, page=page)
    at = wanted[(page - 1) * PAGE : page * PAGE]
    shown = [cells.cells_of(c, desk.table.series(c.name).gather(at)) for c in columns]
    meets = np.zeros(len(at), dtype=np.bool_) if marked is None else mask(marked, desk.table)[at]
    rows = [
        RowLine(int(row), tuple(line), bool(is_marked))
        for row, line, is_marked in zip(at, zip(*shown, strict=True), meets, strict=True)
    ]
    first = view.sorts[0] if view.sorts else None
    heads = [
        Head(
            c,
            view.address(sorts=view.sorted_by(c.name), page=1),
            view.address(columns=(c.name, *(n for n in names if n != c.name))),
            view.address(columns=tuple(n for n in names if n != c.name)) if len(names) > 1 else "",
            first[1] if first and first[0] == c.name else None,
        )
        for c in columns
    ]
    return RowPage(
        heads=heads,
        lines=_with_summaries(desk, view.group, wanted, rows) if view.group else rows,
        total=total,
        lit=desk.scene.lit is not None,
        view=view,
        pages=pages,
        earlier=view.address(page=page - 1) if page > 1 else "",
        later=view.address(page=page + 1) if page < pages else "",
        others=[c.name for c in everything if c.name not in set(names)],
        groupable=[c.name for c in desk.table.columns if c.kind.grouping],
        sort_words=", then ".join(f"{name} {'↓' if down else '↑'}" for name, down in view.sorts),
        marked=frozenset() if marked is None else frozenset(columns_of(marked)),
    )


def _wanted(desk: Desk) -> np.ndarray:
    """Return the positions of the rows to show, in the table's order."""
    wanted = desk.rows.kept if desk.rows.lit is None else desk.rows.lit
    return np.arange(desk.table.height) if wanted is None else np.flatnonzero(wanted)


def _sorted(desk: Desk, wanted: np.ndarray, keys: list[tuple[str, bool]]) -> np.ndarray:
    # the last key first: each sort keeps the order of the ones behind it
    for name, down in reversed(keys):
        ordered = desk.table.column(name).kind == Kind.ORDERED
        values = desk.table.series(name).gather(wanted)
        # text sorts by the alphabet, not by when a value first came
        plain = values.cast(pl.String) if isinstance(values.dtype, pl.Enum) and not ordered else values
        frame = pl.DataFrame({"cells": plain, "at": np.arange(len(wanted))})
        order = frame.sort("cells", descending=down, nulls_last=True, maintain_order=True)["at"]
        wanted = wanted[order.to_numpy()]
    return wanted


def _with_summaries(desk: Desk, group: str, wanted: np.ndarray, rows: list[RowLine]) -> list[RowLine]:
    """Put a line over the rows of each group that begins on the page: its rows, and a figure a number."""
    coded = desk.table.coded(group)
    codes = coded.codes[wanted]
    found: list[RowLine] = []
    said: dict[int, str] = {}
    before = [None, *(coded.codes[row.at] for row in rows)]
    for (last, code), row in zip(pairwise(before), rows, strict=True):
        if code != last:
            if code not in said:
                said[int(code)] = _summary(
                    desk, coded.labels[code] if code >= 0 else "", wanted[codes == code]
                )
            found.append(RowLine(summary=said[int(code)]))
        found.append(row)
    return found


def _summary(desk: Desk, label: str, at: np.ndarray) -> str:
    parts = [f"{label or 'missing'}: {desk.table.rows_in_words(len(at))}"]
    for column in [c for c in _columns(desk) if c.kind.numeric][:MOST_SUMMED]:
        measure = first_measure(column)
        numbers = desk.table.series(column.name).gather(at).cast(pl.Float64)
        figure = numbers.sum() if measure.aggregate == "sum" else numbers.mean()
        if isinstance(figure, (int, float)):
            what = aggregate_words(measure).removeprefix("the ")
            parts.append(f"{what} of {column.name} {value(float(figure), column.kind, column.unit)}")
    return " · ".join(parts)


def _columns(desk: Desk) -> list[Column]:
    """Return all columns, those the scene speaks of first."""
    named = spoken_of(desk)
    rest = [c.name for c in desk.table.columns if c.name not in set(named)]
    return [desk.table.column(name) for name in [*named, *rest]]


def spoken_of(desk: Desk) -> list[str]:
    """Return the columns the scene speaks of, each once: in its pictures, its filter, its lantern."""
    named: list[str] = []
    for question in (desk.scene.main, *desk.scene.beside):
        if question is not None:
            named += [n for n in question.mentions if n]
    for condition in (*desk.scene.only, desk.scene.lit):
        if condition is not None:
            named += columns_of(condition)
    return list(dict.fromkeys(named))


def csv_pieces(desk: Desk) -> Iterator[str]:
    """Yield the rows as CSV, all columns in the table's order."""
    return cells.csv_pieces(desk.table, _wanted(desk))
