"""A trail walked once more on newer rows: every step, every cairn, every claim."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import msgspec
from django.db import transaction

from night_trail.core.claims.again import Again, again
from night_trail.core.claims.claim import Claim
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import NightTrailError
from night_trail.core.question import Scene, key
from night_trail.core.questions.registry import check as check_question
from night_trail.core.renaming import columns_asked, matches, missing_from, renamed, renamed_json
from night_trail.core.table import Table
from night_trail.tables.models import Version
from night_trail.tables.services import core_table
from night_trail.trails.claims import checked, kept_verdict
from night_trail.trails.models import Annotated, Cairn, Step, Trail
from night_trail.trails.pictures import Desk

MOST_STEPS = 2_000


def root_of(version: Version) -> int:
    """Return the version that was read from a file, of which a version was made."""
    return version.base_id or version.pk


def newer_rows(trail: Trail) -> Version | None:
    """Return the version of newer rows that a trail could be walked on; None where it stands on them."""
    table = trail.version.table
    if table is None or root_of(table.latest) <= root_of(trail.version):
        return None
    return table.latest


@dataclass(frozen=True)
class Missing:
    """A column that a trail speaks of and newer rows do not have, and what it may be called now."""

    name: str
    match: str


def missing_columns(trail: Trail, version: Version) -> tuple[list[Missing], list[str]]:
    """Return the columns of a trail that newer rows lack, and the columns each may have become."""
    old, new = (core_table(v) for v in (trail.version, version))
    spoken: set[str] = set()
    for step in trail.steps.all()[:MOST_STEPS]:
        try:
            spoken |= columns_asked(step.scene_value())
        except NightTrailError:
            continue
    lacking = [name for name in missing_from(new, spoken) if name in old]
    fresh = [column for column in new.columns if column.name not in old]
    found = matches([old.column(name) for name in lacking], fresh)
    return [Missing(name, found.get(name, "")) for name in lacking], [c.name for c in new.columns]


def names_from(chosen: Mapping[str, str], lacking: Iterable[Missing], table: Table) -> dict[str, str]:
    """Return the new names that a form chose for columns that are gone; those left out stay gone."""
    names = {}
    for at, one in enumerate(lacking):
        name = chosen.get(f"name-{at}", "")
        if name and name in table:
            names[one.name] = name
    return names


def fits(scene: Scene, table: Table) -> None:
    """Refuse a scene that a table cannot show.

    Raises
    ------
    NightTrailError
        Saying what is gone.
    """
    for question in (scene.main, *scene.beside):
        if question is not None:
            check_question(question, table)
    for condition in (*scene.only, *(level.rows for level in scene.within)):
        check_condition(condition, table)
    if scene.lit is not None:
        check_condition(scene.lit, table)


def rewalk(trail: Trail, version: Version, names: Mapping[str, str], person: Any) -> Trail:
    """Walk a trail once more on newer rows, and return the trail that stands on them.

    Steps that these rows cannot show are left out, with the reason; what grew from
    them goes on from the step before. The trail itself stays as it is.
    """
    table = core_table(version)
    lost: list[dict[str, str]] = []
    with transaction.atomic():
        made = Trail.objects.create(
            owner=person, version=version, title=trail.title, walked_from=trail, names=dict(names)
        )
        known: dict[int, Step] = {}
        for step in trail.steps.select_related("cairn").order_by("pk")[:MOST_STEPS]:
            above = known.get(step.parent_id) if step.parent_id else None
            try:
                scene = renamed(step.scene_value(), names)
                fits(scene, table)
            except NightTrailError as error:
                lost.append({"label": step.label, "why": str(error)})
                if above is not None:
                    known[step.pk] = above
                continue
            known[step.pk] = _copied(step, scene, above, made)
        made.lost = lost[:100]
        made.save(update_fields=["lost"])
    # claims are checked without holding the database
    for cairn in Cairn.objects.filter(step__trail=made).select_related("step__trail__version__table"):
        walk_claim(cairn, Desk(version, cairn.step.scene_value()), names)
    return made


def _copied(step: Step, scene: Scene, above: Step | None, made: Trail) -> Step:
    copy, fresh = Step.objects.get_or_create(
        trail=made,
        parent=above,
        scene_key=key(scene),
        defaults={
            "scene": msgspec.to_builtins(scene),
            "label": step.label,
            "passing": step.passing,
            "walked_from": step,
        },
    )
    cairn = getattr(step, "cairn", None)
    if fresh and cairn is not None:
        Cairn.objects.create(
            step=copy,
            title=cairn.title,
            note=cairn.note,
            annotations=cairn.annotations,
            claim=cairn.claim,
            verdict=cairn.verdict,
        )
    return copy


def walk_claim(thing: Annotated, desk: Desk, names: Mapping[str, str]) -> Again | None:
    """Check what a cairn or stop claims on newer rows, and keep what became of it beside what it was.

    None where it claims nothing. A claim that these rows cannot have is gone, with the reason.
    """
    before = thing.verdict or {}
    claim = thing.claim_value()
    if claim is None:
        return None
    thing.claim = renamed_json(thing.claim, names)
    was = {name: before[name] for name in ("said", "sentence", "state", "figure") if name in before}
    try:
        claim = thing.claim_value()
        assert claim is not None  # noqa: S101  (it was one before)
        became, kept = _again(claim, before, desk)
    except NightTrailError as error:
        became, kept = "gone", {"state": "fails", "sentence": before.get("sentence", ""), "said": str(error)}
    thing.verdict = kept | {"again": became, "was": was}
    thing.save(update_fields=["claim", "verdict"])
    return became


def _again(claim: Claim, before: Mapping[str, Any], desk: Desk) -> tuple[Again, dict[str, Any]]:
    shown, verdict = checked(claim, desk)
    return again(before, verdict), kept_verdict(shown, verdict)
