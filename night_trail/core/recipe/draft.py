"""A table being changed: columns that stay where they are, and columns that were made anew."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import msgspec
import polars as pl

from night_trail.core.errors import BadQuestion
from night_trail.core.reading.kinds import described
from night_trail.core.reading.typed import Typed
from night_trail.core.table import Column, Table, Views


@dataclass(frozen=True)
class Origin:
    """Cells of a stored column; ``via`` names the draft's map from its rows to those of the column."""

    table: Table
    position: int
    via: int | None = None


@dataclass
class Place:
    """A column of the draft, and where its cells are."""

    column: Column
    origin: Origin | pl.Series


@dataclass
class Draft:
    """A table while steps are taken. Nothing is copied before somebody asks for cells."""

    name: str
    row_noun: tuple[str, str]
    height: int
    places: list[Place]
    maps: list[pl.Series] = field(default_factory=list)
    complaints: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, table: Table) -> Draft:
        """Return a table as a draft in which nothing was changed."""
        places = [Place(column, Origin(table, i)) for i, column in enumerate(table.columns)]
        return cls(table.name, table.row_noun, table.height, places)

    def copy(self) -> Draft:
        """Return the draft as it is now; steps taken on the one do not reach the other."""
        places = [Place(p.column, p.origin) for p in self.places]
        return replace(self, places=places, maps=list(self.maps), complaints=list(self.complaints))

    def cells(self, place: Place) -> pl.Series:
        """Return the cells of a column."""
        if isinstance(place.origin, pl.Series):
            return place.origin
        cells = place.origin.table.series_at(place.origin.position)
        return cells if place.origin.via is None else cells.gather(self.maps[place.origin.via])

    def table(self, key: str = "draft") -> Table:
        """Return the draft as a table that can be asked."""
        return Table(
            key=key,
            name=self.name,
            columns=[p.column for p in self.places],
            height=self.height,
            source=_DraftSource(self),
            row_noun=self.row_noun,
        )

    def at(self, name: str) -> Place:
        """Return the place of a column, or say which names are close."""
        self.table().column(name)
        return next(p for p in self.places if p.column.name == name)

    def free(self, name: str) -> str:
        """Return the name, or the name with the first number that is free."""
        name = " ".join(name.split())[:200] or "column"
        taken = {p.column.name for p in self.places}
        found, count = name, 1
        while found in taken:
            count += 1
            found = f"{name} ({count})"
        return found

    def put(self, name: str, found: Typed, reason: str, clean: pl.Series | None = None, **said: Any) -> Place:
        """Put made cells in the place of a column, or at the end where there is none of this name."""
        column, cells = described(name, found, found.cells if clean is None else clean)
        column = msgspec.structs.replace(column, reason=reason, **said)
        existing = next((p for p in self.places if p.column.name == name), None)
        if existing is not None:
            existing.column, existing.origin = column, cells
            return existing
        place = Place(column, cells)
        self.places.append(place)
        return place

    def add(self, name: str, found: Typed, reason: str, **said: Any) -> Place:
        """Put made cells at the end; the name must be new."""
        name = " ".join(name.split())[:200]
        if not name:
            raise BadQuestion("The column has no name", "", "Give it one.")
        if any(p.column.name == name for p in self.places):
            raise BadQuestion(f"There is a column “{name}” already", "", "Choose another name.")
        return self.put(name, found, reason, **said)

    def take_rows(self, rows: pl.Series) -> None:
        """Keep the rows at these positions, in this order; null positions give missing cells."""
        through: dict[int | None, int] = {}
        for place in self.places:
            origin = place.origin
            if isinstance(origin, pl.Series):
                place.origin = origin.gather(rows)
                continue
            if origin.via not in through:
                self.maps.append(rows if origin.via is None else self.maps[origin.via].gather(rows))
                through[origin.via] = len(self.maps) - 1
            place.origin = replace(origin, via=through[origin.via])
        self.height = len(rows)

    def recount(self) -> None:
        """Count missing and different cells of columns whose rows were chosen or matched."""
        for place in self.places:
            if isinstance(place.origin, Origin) and place.origin.via is not None:
                cells = self.cells(place)
                place.column = msgspec.structs.replace(
                    place.column, missing=cells.null_count(), distinct=cells.drop_nulls().n_unique()
                )


class _DraftSource(Views):
    def __init__(self, draft: Draft) -> None:
        super().__init__()
        self._draft = draft

    def series(self, index: int) -> pl.Series:
        return self._draft.cells(self._draft.places[index])
