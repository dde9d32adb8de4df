"""Two steps side by side: what the second shows that the first does not, in words."""

from __future__ import annotations

from night_trail.core.errors import NightTrailError
from night_trail.core.language.conditions import in_words
from night_trail.core.question import Scene
from night_trail.core.questions.registry import short_name
from night_trail.core.table import Table
from night_trail.trails.pictures import Desk

MOST_FIGURES = 4


def what_changes(before: Scene | None, scene: Scene, table: Table) -> str:
    """Return in a few words what a scene shows that the one before it did not; "" where nothing differs."""
    said = []
    if before is None or scene.main != before.main:
        said.append(short_name(scene.main) if scene.main is not None else "")
    if before is not None and scene.only != before.only:
        said += [f"only {in_words(one, table)}" for one in scene.only if one not in before.only] or [
            "all rows" if not scene.only else f"only {in_words(scene.only[0], table)}, no more"
        ]
    if scene.lit is not None and (before is None or scene.lit != before.lit):
        said.append(f"lit: {in_words(scene.lit, table)}")
    if before is not None and before.lit is not None and scene.lit is None:
        said.append("the lantern out")
    return ", ".join(one for one in said if one)


def differs(one: Desk, other: Desk) -> list[str]:
    """Return what differs between two pictures: what is asked, of which rows, and figures both have.

    Figures are set against each other only where the same is asked: the same name of a figure may
    stand for another column elsewhere.
    """
    said = []
    if one.version.table_id != other.version.table_id:
        said.append(f"rows of {other.table.name}")
    elif one.version.pk != other.version.pk:
        said.append(f"rows of {other.version.created:%-d %B %Y}, where the first has those of "
                    f"{one.version.created:%-d %B %Y}")  # fmt: skip
    if one.version.table_id == other.version.table_id and (
        changed := what_changes(one.scene, other.scene, other.table)
    ):
        said.append(changed)
    return said + _figures(one, other)


def _figures(one: Desk, other: Desk) -> list[str]:
    asked = one.scene.main
    if asked is None or asked != other.scene.main:
        return []
    try:
        first = {fact.label: fact.text for fact in one.words(asked).facts}
        second = other.words(asked).facts
    except NightTrailError:
        return []
    apart = [
        f"{fact.label}: {first[fact.label]} in the first, {fact.text} in the second"
        for fact in second
        if fact.label in first and first[fact.label] != fact.text
    ]
    return apart[:MOST_FIGURES]
