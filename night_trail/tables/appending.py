"""A delivery that is put behind the rows that are there, instead of taking their place."""

from __future__ import annotations

import polars as pl
from django.utils import timezone

from night_trail.core.errors import NightTrailError
from night_trail.core.recipe import Draft
from night_trail.core.recipe.stacking import stack
from night_trail.core.recipe.steps import Stack
from night_trail.core.survey import Surveyor
from night_trail.tables import cache
from night_trail.tables.models import Arrival, Table, Version
from night_trail.tables.recipes import let_fall
from night_trail.tables.services import core_table


def appended(arrival: Arrival, delivered: Version) -> tuple[Version, Version]:
    """Return a version of the rows that are there with the delivered ones behind them, and the former.

    The recipe is not done on it yet. Columns that one side has not are missing there. With
    ``Arrival.Behind.NEW`` delivered rows that are there already, equal in every column, are left out.

    Raises
    ------
    NightTrailError
        Where all of them are, or there would be more rows than a table holds.
    """
    table = arrival.into
    assert table is not None  # noqa: S101  (only what is delivered into a table is put behind its rows)
    latest = Table.objects.get(pk=table.pk).latest
    before = latest.base or latest
    draft = Draft.of(core_table(before, table))
    there = draft.height
    stack(draft, Stack(tables=(), table_names=()), [core_table(delivered, table)])
    cells = [draft.cells(place) for place in draft.places]
    said = f"{delivered.height:,} rows of {arrival.file_name[:120]} stand behind the {there:,} before them"
    height = draft.height
    if arrival.behind == Arrival.Behind.NEW:
        kept = _not_there_yet(cells, there)
        if not len(kept):
            raise NightTrailError(
                f"All {delivered.height:,} rows of {arrival.file_name} are in {table.name} already",
                "",
                "Nothing was changed.",
            )
        height = there + len(kept)
        if height < draft.height:
            cells = [pl.concat([one[:there], one[there:].gather(kept)]) for one in cells]
            said = (
                f"{len(kept):,} {said[said.index('rows') :]}; "
                f"{draft.height - height:,} that were there already were left out"
            )
    made = Version.objects.create(
        height=height,
        columns=Version.as_json([place.column for place in draft.places]),
        notes=[*before.notes[:20], f"{said}."],
        settings=before.settings,
        part=before.part,
        understood=before.understood,
    )
    try:
        surveyor = Surveyor(height, timezone.now().date())
        for position, (place, one) in enumerate(zip(draft.places, cells, strict=True)):
            cache.keep(made.pk, position, one)
            surveyor.add(place.column, one)
        made.survey = Version.as_json(surveyor.finish(lambda i: cells[i]))
        made.save(update_fields=["survey"])
    except BaseException:
        let_fall(made)
        raise
    return made, before


def _not_there_yet(cells: list[pl.Series], there: int) -> pl.Series:
    """Return the places, among the delivered rows, of those that no row before them equals."""
    names = [f"c{i}" for i in range(len(cells))]
    frame = pl.DataFrame([one.alias(name) for name, one in zip(names, cells, strict=True)])
    delivered = frame[there:].with_row_index("at")
    return delivered.join(frame[:there].unique(), on=names, how="anti", nulls_equal=True)["at"].sort()
