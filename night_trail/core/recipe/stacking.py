"""Rows of tables with like columns, one below the other."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import polars as pl

from night_trail.core.errors import BadQuestion
from night_trail.core.reading.kinds import described
from night_trail.core.reading.typed import Typed
from night_trail.core.reading.words import words
from night_trail.core.recipe.draft import Draft, Place
from night_trail.core.recipe.joining import MOST_ROWS, plain_name
from night_trail.core.recipe.steps import Stack
from night_trail.core.table import Column, Kind, Table, as_text


@dataclass(frozen=True)
class StackFacts:
    """How columns of tables to be stacked fit: name, and kind in each table, "" where it is not there."""

    columns: tuple[tuple[str, tuple[str, ...]], ...]
    heights: tuple[int, ...]

    def differences(self) -> list[tuple[str, tuple[str, ...]]]:
        """Return the columns that are not in all tables, or not of one kind."""
        return [(name, kinds) for name, kinds in self.columns if len(set(kinds)) > 1]

    def alike(self) -> float:
        """Return the share of columns that all tables have."""
        return sum("" not in kinds for _, kinds in self.columns) / max(1, len(self.columns))


def _aligned(tables: list[Table]) -> dict[str, list[str | None]]:
    """Return for each column of the stack its name in each table; names that differ only in writing agree."""
    found: dict[str, list[str | None]] = {}
    plain: dict[str, str] = {}
    for at, table in enumerate(tables):
        for column in table.columns:
            name = column.name if column.name in found else plain.get(plain_name(column.name), column.name)
            if found.get(name, [None] * len(tables))[at] is not None:
                name = column.name
            plain.setdefault(plain_name(column.name), name)
            found.setdefault(name, [None] * len(tables))[at] = column.name
    return found


def stack_facts(tables: list[Table]) -> StackFacts:
    """Return how columns of tables fit together."""
    columns = tuple(
        (name, tuple("" if n is None else str(t.column(n).kind) for n, t in zip(names, tables, strict=True)))
        for name, names in _aligned(tables).items()
    )
    return StackFacts(columns, tuple(t.height for t in tables))


def stack(draft: Draft, step: Stack, others: list[Table]) -> None:
    """Put the rows of other tables with like columns below those of a draft, which is changed."""
    tables = [draft.table(), *others]
    height = sum(t.height for t in tables)
    if height > MOST_ROWS:
        raise BadQuestion(f"The stack would have {height:,} rows", "", "Stack fewer tables.")
    places = []
    for name, names in _aligned(tables).items():
        columns = [t.column(n) for n, t in zip(names, tables, strict=True) if n is not None]
        parts = [
            pl.Series([None]).new_from_index(0, t.height) if n is None else t.series(n)
            for n, t in zip(names, tables, strict=True)
        ]
        kind, cells = _stacked(columns, parts, name)
        column, cells = described(name, Typed(kind, cells, columns[0].reason, unit=columns[0].unit), cells)
        places.append(
            Place(
                msgspec.structs.replace(
                    column,
                    additive=columns[0].additive,
                    unit=columns[0].unit if kind.numeric else "",
                    top=columns[0].top,
                    reason=columns[0].reason,
                ),
                cells,
            )
        )
    draft.places, draft.height, draft.maps = places, height, []
    if step.source:
        labels = list(dict.fromkeys([draft.name, *step.table_names]))
        texts = pl.concat(
            [
                pl.Series([n], dtype=pl.String).new_from_index(0, t.height)
                for n, t in zip([draft.name, *step.table_names], tables, strict=True)
            ]
        )
        draft.add(
            step.source, Typed(Kind.CATEGORY, texts.cast(pl.Enum(labels)), ""), "which table a row came from"
        )


def _stacked(columns: list[Column], parts: list[pl.Series], name: str) -> tuple[Kind, pl.Series]:
    kinds = {c.kind for c in columns}
    kind = columns[0].kind
    if kind.numeric and all(k.numeric for k in kinds):
        if len(kinds) > 1 and Kind.WHOLE in kinds:
            kind = next(k for k in (c.kind for c in columns) if k != Kind.WHOLE)
        target: pl.DataType | type[pl.DataType] = pl.Int64 if kinds == {Kind.WHOLE} else pl.Float64
    elif kinds <= {Kind.DATE, Kind.DATETIME}:
        kind = Kind.DATE if kinds == {Kind.DATE} else Kind.DATETIME
        target = pl.Date if kind == Kind.DATE else pl.Datetime("us")
    elif kinds == {Kind.YES_NO}:
        target = pl.Boolean
    else:
        texts = pl.concat([as_text(p) if p.dtype != pl.Null else p.cast(pl.String) for p in parts])
        if kinds == {Kind.ORDERED}:
            orders = [p.dtype.categories.to_list() for p in parts if isinstance(p.dtype, pl.Enum)]
            labels = list(dict.fromkeys(v for order in orders for v in order))
            return Kind.ORDERED, texts.cast(pl.Enum(labels))
        if len(kinds) == 1 and kind not in (Kind.CATEGORY, Kind.PLACE):
            return kind, texts
        found = (
            words(name, texts, texts.drop_nulls())
            if texts.null_count() < len(texts)
            else Typed(Kind.TEXT, texts, "")
        )
        return found.kind, found.cells
    return kind, pl.concat([p.cast(target) for p in parts])
