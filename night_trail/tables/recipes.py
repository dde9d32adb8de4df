"""Recipes on kept versions: a step makes a version that copies nothing it left alone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import polars as pl
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from night_trail.core.errors import BadQuestion, NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.recipe import Draft, Origin, Step, apply
from night_trail.core.recipe.files import to_plain
from night_trail.core.recipe.steps import MOST_STEPS, Join, Stack
from night_trail.core.survey import Profile, Surveyor
from night_trail.core.table import Table as CoreTable
from night_trail.tables import cache
from night_trail.tables.models import ColumnPart, Place, Table, Version
from night_trail.tables.services import core_table


def reference(table: Table) -> str:
    """Return how a recipe names another table."""
    return f"table:{table.pk}"


def others_of(table: Table) -> Any:
    """Return the way to other tables of the same owner, for joins and stacks."""

    def find(name: str) -> CoreTable:
        kind, _, told = name.partition(":")
        pk = whole(told, LARGEST_KEY) if kind == "table" else None
        found = Table.objects.filter(owner=table.owner, pk=pk).first() if pk is not None else None
        if found is None:
            raise BadQuestion(
                "The other table is not there any more", "", "Take this step back, or bring the table."
            )
        if found.pk == table.pk:
            raise BadQuestion("A table cannot be joined with itself", "", "Choose another.")
        return core_table(found.latest)

    return find


def rebound(owner: Any, steps: Sequence[Step]) -> list[Step]:
    """Return steps of a recipe from elsewhere; other tables are found by their names where they can be."""

    def here(name: str, told: str) -> str:
        own = Table.objects.filter(owner=owner)
        known = whole(name.partition(":")[2], LARGEST_KEY)
        if known is not None and own.filter(pk=known, name=told).exists():
            return name
        found = own.filter(name=told).first()
        return reference(found) if found else name

    made: list[Step] = []
    for step in steps:
        if isinstance(step, Join):
            step = msgspec.structs.replace(step, table=here(step.table, step.table_name))  # noqa: PLW2901
        elif isinstance(step, Stack):
            names = tuple(map(here, step.tables, step.table_names))
            step = msgspec.structs.replace(step, tables=names)  # noqa: PLW2901
        made.append(step)
    return made


def take_step(table: Table, step: Step) -> Version:
    """Return the version after one more step."""
    return set_recipe(table, [*table.latest.steps(), step])


def take_back(table: Table, at: int) -> Version:
    """Return the version without the step at a place of the recipe, counted from 0."""
    steps = list(table.latest.steps())
    if not 0 <= at < len(steps):
        raise NightTrailError("There is no such step", "", "Choose one of the list.")
    removed = steps.pop(at)
    try:
        return set_recipe(table, steps)
    except BadQuestion as error:
        raise BadQuestion(
            f"Another step needs this one ({removed.words()}): {error}", "", "Take the later one back first."
        ) from None


def set_recipe(
    table: Table, steps: Sequence[Step], base: Version | None = None, lenient: bool = False
) -> Version:
    """Make the version that a recipe gives and look at it from now on.

    Parameters
    ----------
    table, steps
        The table, and everything that is to be done to it.
    base
        The version to begin from; the one the present version began from unless given.
    lenient
        Whether steps that cannot be taken are left out and complained of.

    Raises
    ------
    BadQuestion
        Where a step cannot be taken; nothing is changed then.
    """
    if len(steps) > MOST_STEPS:
        raise BadQuestion(f"A recipe has at most {MOST_STEPS} steps", "", "Take some back.")
    base = base or table.latest.base or table.latest
    wanted = tuple(steps)
    known = [v for v in (base, *base.derived.order_by("-number")) if _up_to_date(v, table)]
    taken = [(v, v.steps()) for v in known]
    same = next((v for v, their in taken if their == wanted), None)
    if same is not None:
        return _look_at(table, same)
    # the longest beginning of the recipe that was taken before needs no taking again
    begun = [v for v, their in taken if their == wanted[: len(their)] and not v.complaints]
    start = max([base, *begun], key=lambda v: len(v.recipe))
    draft = apply(wanted[len(start.recipe) :], core_table(start), others_of(table), lenient)
    with transaction.atomic():
        version = Version.objects.create(
            table=None,
            base=base,
            recipe=Version.as_json(wanted),
            height=draft.height,
            part=base.part,
            complaints=[*base.complaints, *draft.complaints] if lenient else [],
        )
        version.places = _keep(draft, version, start)
        version.columns = Version.as_json([p.column for p in draft.places])
        version.survey = Version.as_json(_survey(draft, version, start))
        version.notes = base.notes
        version.understood = {"others": _others_now(steps)}
        version.number = (table.versions.aggregate(top=Max("number"))["top"] or 0) + 1
        version.table = table
        version.save()
        return _look_at(table, version)


def _look_at(table: Table, version: Version) -> Version:
    table.current = version
    table.save(update_fields=["current"])
    return version


def met(steps: Sequence[Step]) -> list[str]:
    """Return the references of the other tables a recipe meets."""
    return [s.table for s in steps if isinstance(s, Join)] + [
        name for s in steps if isinstance(s, Stack) for name in s.tables
    ]


def _others_now(steps: Sequence[Step]) -> dict[str, int]:
    """Return which version of every other table a recipe meets now."""
    told = [whole(name.partition(":")[2], LARGEST_KEY) for name in met(steps)]
    pks = [pk for pk in told if pk is not None]
    return {reference(t): t.latest.pk for t in Table.objects.filter(pk__in=pks)}


def _up_to_date(version: Version, table: Table) -> bool:
    """Whether the other tables a version was joined with are still what they were."""
    seen = version.understood.get("others") if version.base_id else None
    if not seen:
        return True
    now = _others_now(version.steps())
    # of a table that was deleted there is nothing newer
    return all(now.get(name, pk) == pk for name, pk in seen.items())


def _keep(draft: Draft, version: Version, start: Version) -> list[Place]:
    """Keep made columns and row maps, and return where every column of the draft is."""
    places: list[Place] = []
    stored: dict[int, list[Place]] = {start.pk: start.place_list()}
    maps: dict[tuple[int | None, int | None, int], int] = {}
    for position, place in enumerate(draft.places):
        origin = place.origin
        if isinstance(origin, pl.Series):
            cache.keep(version.pk, position, origin)
            places.append((version.pk, position, None, None))
            continue
        source = int(origin.table.key.partition(":")[2])
        if source not in stored:
            stored[source] = Version.objects.get(pk=source).place_list()
        at, column, map_version, map_position = stored[source][origin.position]
        if origin.via is not None:
            key = (map_version, map_position, origin.via)
            if key not in maps:
                rows = draft.maps[origin.via]
                if map_version is not None and map_position is not None:
                    rows = cache.column((map_version, map_position, None, None)).gather(rows)
                maps[key] = cache.FIRST_MAP + len(maps)
                cache.keep(version.pk, maps[key], rows.cast(pl.UInt32))
            map_version, map_position = version.pk, maps[key]
        places.append((at, column, map_version, map_position))
    return places


def _survey(draft: Draft, version: Version, start: Version) -> Any:
    """Return the survey of a draft; what is said of columns left alone is known already."""
    known: dict[tuple[int, str], Profile] = {}
    for position, profile in enumerate(start.survey_value().profiles):
        known[position, repr(profile.column)] = profile
    surveyor = Surveyor(draft.height, timezone.now().date())
    for place in draft.places:
        origin = place.origin
        left_alone = (
            isinstance(origin, Origin) and origin.via is None and origin.table.key == f"version:{start.pk}"
        )
        profile = (
            known.get((origin.position, repr(place.column)))
            if left_alone and isinstance(origin, Origin)
            else None
        )
        surveyor.add(place.column, draft.cells(place), profile)
    return surveyor.finish(lambda i: draft.cells(draft.places[i]))


def exported(version: Version) -> Any:
    """Return a version's recipe as what a file holds."""
    return to_plain(version.settings_value(), version.part, version.steps())


def let_go(table: Table) -> None:
    """Before a table goes: copy the columns that other tables have from it, so that they stay whole."""
    own = set(table.versions.values_list("pk", flat=True))
    for version in Version.objects.exclude(table=table).exclude(places=[]):
        places = version.place_list()
        borrowed = [i for i, p in enumerate(places) if p[0] in own or p[2] in own]
        for i in borrowed:
            cells = cache.column(places[i])
            free = (
                ColumnPart.objects.filter(version=version, position__lt=cache.FIRST_MAP).aggregate(
                    top=Max("position")
                )["top"]
                or 0
            ) + len(places)
            cache.keep(version.pk, free, cells)
            places[i] = (version.pk, free, None, None)
        if borrowed:
            version.places = places
            version.save(update_fields=["places"])
