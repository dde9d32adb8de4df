"""What other applications may ask of tables."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import polars as pl
from django.db import transaction

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.table import Table as CoreTable
from night_trail.core.table import View
from night_trail.core.words_in.readings import measure_meant
from night_trail.tables import cache
from night_trail.tables.attached.drawing import attachment_of, part_words
from night_trail.tables.calling import calling_of
from night_trail.tables.models import Place, Table, Version
from night_trail.tables.own_areas import areas_of
from night_trail.tables.plans import plan_of, plans_of

MOST_NAME = 80
MOST_MEASURES = 50


class VersionSource:
    """The columns of a version, read when asked for."""

    def __init__(self, places: list[Place]) -> None:
        self._places = places

    def series(self, index: int) -> pl.Series:
        """Return the column at this position."""
        return cache.column(self._places[index])

    def remember(self, index: int, kind: type[View], make: Callable[[], View]) -> View:
        """Return a view of the column at this position, kept beside the column."""
        return cache.view(self._places[index], kind, make)

    def at_hand(self, index: int, kind: type[View]) -> View | None:
        """Return a view of the column at this position where the cache has it."""
        return cache.at_hand(self._places[index], kind)


def core_table(version: Version, its_table: Table | None = None) -> CoreTable:
    """Return a version as the table that questions are asked of.

    ``its_table`` is whose rows they will be, for a version that is not complete.
    """
    table = version.table or its_table
    if table is None:
        raise ValueError("a version without a table is not complete and cannot be asked")
    columns, attachment = version.column_list(), attachment_of(version)
    return CoreTable(
        key=f"version:{version.pk}",
        name=table.name,
        columns=columns,
        height=version.height,
        source=VersionSource(version.place_list()),
        # where a column's values have rows of their own, a row is no trip any more
        row_noun=("row", "rows") if any(c.once for c in columns) else (table.noun_one, table.noun_many),
        measures=msgspec.convert(table.measures, dict[str, Measure]),
        called=calling_of(table),
        areas=lambda: areas_of(table),
        plans=lambda key: plan_of(table, key),
        plans_named=lambda: plans_of(table),
        part_of=0 if attachment is None or attachment.reshaped else attachment.rows,
        part_words="" if attachment is None else part_words(attachment, version.height),
    )


def name_measure(table: Table, core: CoreTable, name: str, words: str) -> None:
    """Give a measure a name, under which every slot of the table offers it.

    Raises
    ------
    BadQuestion
        Where the words state no measure, or the name is empty or taken.
    """
    name = " ".join(name.split())[:MOST_NAME]
    if not name:
        raise BadQuestion("The measure has no name", "", "Give it one, like: late share.")
    if name in core:
        raise BadQuestion(f"“{name}” is a column already", table.name, "Choose another name.")
    if len(table.measures) >= MOST_MEASURES and name not in table.measures:
        raise BadQuestion(f"{MOST_MEASURES} measures have names already", table.name, "Forget one first.")
    measure = Version.as_json(measure_meant(words, core))
    with transaction.atomic():
        now = Table.objects.get(pk=table.pk).measures  # with what others named meanwhile
        if now.get(name, measure) not in (measure, table.measures.get(name)):
            raise BadQuestion(f"“{name}” was named elsewhere meanwhile", table.name, "Choose another name.")
        _keep_measures(table, {**now, name: measure})


def forget_measure(table: Table, name: str) -> None:
    """Forget the name of a measure."""
    with transaction.atomic():
        now = Table.objects.get(pk=table.pk).measures
        _keep_measures(table, {known: m for known, m in now.items() if known != name})


def _keep_measures(table: Table, measures: dict[str, object]) -> None:
    table.measures = measures
    table.save(update_fields=["measures"])
