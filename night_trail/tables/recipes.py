"""Recipes on kept versions: a step makes a version that copies nothing it left alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
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
from night_trail.tables.models import Place, Table, Version
from night_trail.tables.services import core_table

MOST_TRIES = 20
"""So often a step is taken anew where others change the same recipe."""


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
    """Return the version after one more step, whatever others did to the table meanwhile."""
    return change(table, lambda steps: [*steps, step])


def take_back(table: Table, at: int, saw: Version | None = None) -> Version:
    """Return the version without a step.

    ``at`` is its place, counted from 0, in the recipe of the version that was
    looked at; others may have taken steps before and behind it since.
    """
    shown = (saw or table.latest).steps()
    if not 0 <= at < len(shown):
        raise NightTrailError("There is no such step", "", "Choose one of the list.")
    unwanted = shown[at]

    def without(steps: list[Step]) -> list[Step]:
        places = [i for i, step in enumerate(steps) if step == unwanted]
        if not places:
            raise NightTrailError(
                f"This step was taken back already ({unwanted.words()})", "", "Look at the list once more."
            )
        nearest = min(places, key=lambda i: abs(i - at))
        return steps[:nearest] + steps[nearest + 1 :]

    try:
        return change(table, without)
    except BadQuestion as error:
        raise BadQuestion(
            f"Another step needs this one ({unwanted.words()}): {error}", "", "Take the later one back first."
        ) from None


def change(table: Table, edit: Callable[[list[Step]], list[Step]]) -> Version:
    """Give a table the recipe that an edit makes of its present one, and return its version.

    The rows are computed without holding the database; where somebody else
    changed the recipe meanwhile, the edit is made on theirs, so that no step
    that was acknowledged is lost.

    Raises
    ------
    BadQuestion
        Where a step cannot be taken; nothing is changed then.
    """
    for _ in range(MOST_TRIES):
        seen = _still_there(table)
        before = seen.latest
        made = prepared(seen, edit(list(before.steps())), before.base or before)
        with transaction.atomic():
            if _still_there(table).latest.pk == before.pk:
                look_at(seen, made)
                table.current = made
                return made
        let_fall(made)
    raise NightTrailError(
        f"{table.name} is being changed elsewhere all the time", "", "Try again in a moment."
    )


def _still_there(table: Table) -> Table:
    found: Table | None = Table.objects.filter(pk=table.pk).first()
    if found is None:
        raise BadQuestion(f"{table.name} was deleted meanwhile", "", "Bring it again.")
    return found


def prepared(table: Table, steps: Sequence[Step], base: Version, lenient: bool = False) -> Version:
    """Return the version that a recipe gives, complete but looked at by nobody yet.

    Parameters
    ----------
    table
        Whose rows they are; need not be kept yet.
    steps, base
        Everything that is to be done, and the version to begin from.
    lenient
        Whether steps that cannot be taken are left out and complained of.
    """
    if len(steps) > MOST_STEPS:
        raise BadQuestion(f"A recipe has at most {MOST_STEPS} steps", "", "Take some back.")
    wanted = tuple(steps)
    derived = base.derived.exclude(table=None).order_by("-number")
    known = [v for v in (base, *derived) if _up_to_date(v, table)]
    taken = [(v, v.steps()) for v in known]
    same = next((v for v, their in taken if their == wanted), None)
    if same is not None:
        return same
    # the longest beginning of the recipe that was taken before needs no taking again
    begun = [v for v, their in taken if their == wanted[: len(their)] and not v.complaints]
    start = max([base, *begun], key=lambda v: len(v.recipe))
    draft = apply(wanted[len(start.recipe) :], core_table(start, table), others_of(table), lenient)
    version = Version.objects.create(
        table=None,
        base=base,
        recipe=Version.as_json(wanted),
        height=draft.height,
        part=base.part,
        attached=base.attached,
        columns=Version.as_json([p.column for p in draft.places]),
        complaints=[*base.complaints, *draft.complaints] if lenient else [],
        notes=base.notes,
        understood={"others": _others_now(steps)},
    )
    try:
        version.places = _keep(draft, version, start)
        version.survey = Version.as_json(_survey(draft, version, start))
        version.save(update_fields=["places", "survey"])
    except BaseException:
        version.delete()
        raise
    return version


def let_fall(version: Version) -> None:
    """Take away a prepared version that nobody came to look at."""
    Version.objects.filter(pk=version.pk, table=None).delete()


def look_at(table: Table, version: Version) -> None:
    """Make a prepared version a table's own and look at it from now on; within a transaction."""
    if version.table_id is None:
        _must_stand(version)
        version.number = (table.versions.aggregate(top=Max("number"))["top"] or 0) + 1
        if not Version.objects.filter(pk=version.pk).update(table=table, number=version.number):
            raise NightTrailError("The step was interrupted", table.name, "Take it once more.")
        version.table = table
    Table.objects.filter(pk=table.pk).update(current=version)
    table.current = version


def _must_stand(version: Version) -> None:
    """Refuse a version whose cells were deleted while it was made, with a table it was joined with."""
    kept = {at for place in version.place_list() for at in (place[0], place[2]) if at is not None}
    if Version.objects.filter(pk__in=kept).count() < len(kept):
        raise BadQuestion("The other table was deleted meanwhile", "", "Choose another one.")


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
        had = (
            known.get((origin.position, repr(place.column)))
            if left_alone and isinstance(origin, Origin)
            else None
        )
        surveyor.add(place.column, draft.cells(place), had)
    return surveyor.finish(lambda i: draft.cells(draft.places[i]))


def exported(version: Version) -> Any:
    """Return a version's recipe as what a file holds."""
    return to_plain(version.settings_value(), version.part, version.steps())
