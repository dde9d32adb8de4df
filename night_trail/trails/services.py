"""What can be done with trails: start one, turn, leave a cairn."""

from __future__ import annotations

from typing import Any, get_args

import msgspec
from django.db import IntegrityError, transaction

from night_trail.core.annotations import MOST, Annotations, merged
from night_trail.core.conditions import OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.question import Scene, decode, key
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.registry import short_name, words_of
from night_trail.core.recipe.steps import Group, PartOf, SeriesPart
from night_trail.core.scenes import zoomed_out
from night_trail.core.turns import Change, Light, OneBack, Say, SeeColumn, Zoom, turn
from night_trail.tables.models import Table, Version
from night_trail.tables.recipes import take_step
from night_trail.tables.services import core_table
from night_trail.trails.behind import behind
from night_trail.trails.models import Annotated, Cairn, Step, Trail, annotations_from
from night_trail.trails.pictures import Desk

MOST_JSON = 60_000


def start_trail(owner: Any, table: Table, column: str = "", words: str = "", reading: str = "") -> Step:
    """Start a trail on the newest version of a table and return the step to go to.

    With a column its spread is shown at once, with words what they ask for,
    by the reading that was chosen.
    """
    version = table.latest
    title = f"{column or table.name}"
    change: Change | None = SeeColumn(column) if column else Say(words, reading) if words else None
    if change is not None:
        turn(Scene(), change, core_table(version))  # refused before anything is made
    with transaction.atomic():
        root = _opened(owner, version, title)
    return take_turn(root, change) if change is not None else root


def begin_at(owner: Any, version: Version, scene: Scene, title: str) -> Step:
    """Start a trail on a version at a scene that stands elsewhere, and return the step of it."""
    must_open(version, scene)
    with transaction.atomic():
        root = _opened(owner, version, title)
        return show(root, scene)


def _opened(owner: Any, version: Version, title: str) -> Step:
    """Make a trail and return its first step, which only opens the table."""
    table = version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    trail = Trail.objects.create(owner=owner, version=version, title=title[:200])
    return Step.objects.create(
        trail=trail,
        scene=msgspec.to_builtins(Scene()),
        scene_key=key(Scene()),
        label=f"Opened {table.name}"[:300],
    )


def take_turn(step: Step, change: Change) -> Step:
    """Return the step a turn leads to: a new child, the same turn's earlier child, or the step itself.

    Zooming on and on is one turn: each stop leaves from the step the zoom began at.
    """
    try:
        scene, label = turn(step.scene_value(), change, core_table(step.trail.version))
    except OneBack:
        if step.parent is None:
            raise
        # with its version and table, which are at hand
        step.parent.trail = step.trail
        return step.parent
    scene_key = key(scene)
    if scene_key == step.scene_key:
        return step
    must_open(step.trail.version, scene)
    if isinstance(change, Zoom) and (began := _zoom_began(step)) is not None:
        Step.objects.filter(pk=step.pk).update(passing=True)
        began.trail = step.trail
        if scene_key == began.scene_key:
            return began
        step = began
    try:
        with transaction.atomic():
            child, _ = Step.objects.get_or_create(
                parent=step,
                scene_key=scene_key,
                defaults={"trail": step.trail, "scene": msgspec.to_builtins(scene), "label": label[:300]},
            )
    except IntegrityError:  # two tabs made the same turn in the same moment
        child = Step.objects.get(parent=step, scene_key=scene_key)
    # with its version and table, which are at hand
    child.trail = step.trail
    return child


def show(step: Step, scene: Scene) -> Step:
    """Return the step of a trail whose scene this is; one that leaves from ``step`` where there is none."""
    known = Step.objects.filter(trail=step.trail, scene_key=key(scene)).order_by("pk").first()
    if known is not None:
        known.trail = step.trail
        return known
    if scene.main is None:
        return step
    must_open(step.trail.version, scene)
    child, _ = Step.objects.get_or_create(
        parent=step,
        scene_key=key(scene),
        defaults={
            "trail": step.trail,
            "scene": msgspec.to_builtins(scene),
            "label": short_name(scene.main)[:300],
        },
    )
    child.trail = step.trail
    return child


def _zoom_began(step: Step) -> Step | None:
    """Return the step whose picture this one zoomed into, where nothing but the zoom was done here."""
    above = step.parent
    if above is None or step.children.exists() or hasattr(step, "cairn"):
        return None
    scene = step.scene_value()
    only_zoomed = zoomed_out(scene) != scene and zoomed_out(scene) == zoomed_out(above.scene_value())
    return above if only_zoomed else None


def must_open(version: Version, scene: Scene) -> None:
    """Refuse a scene that could not be read back, or whose pictures cannot be drawn, before it is a step."""
    if decode(msgspec.json.encode(scene), Scene, "turn") != scene:
        raise BadQuestion("The turn holds a value that cannot be kept", "", "Choose another.")
    desk = Desk(version, scene)
    for question in (scene.main, *scene.beside):
        if question is None:
            continue
        if how := behind(question):
            how.check(question, desk.rows)
        else:
            desk.answer(question)  # kept for the page that shows it


def name_group(step: Step, name: str) -> Step:
    """Make the lit rows a yes/no column of the table, and return the step that lights them by it.

    The trail goes on to the version with the column; its earlier steps stand on
    the same cells as before.

    Raises
    ------
    BadQuestion
        Where nothing is lit, the name is empty or taken, or the table has
        changed otherwise since the trail began.
    """
    lit = step.scene_value().lit
    if lit is None:
        raise BadQuestion("Nothing is lit", "", "Light the rows that make the group first.")
    name = _free_name(step, name)
    _with_column(step, Group(name, lit))
    return take_turn(step, Light(OneOf(name, ("yes",))))


def keep_part(step: Step, part: str, name: str) -> Step:
    """Make a part of the series taken apart a column of the table, and return the step that shows its spread.

    Raises
    ------
    BadQuestion
        Where nothing is taken apart, there is no such part, or the name is empty or taken.
    """
    scene = step.scene_value()
    if not isinstance(scene.main, Decomposition):
        raise BadQuestion("Nothing is taken apart here", "", "Ask for trend and seasons first.")
    if (chosen := next((one for one in get_args(SeriesPart) if one == part), None)) is None:
        raise BadQuestion(f"There is no part “{part}”", "", "Choose one of the list.")
    name = _free_name(step, name)
    _with_column(step, PartOf(name, chosen, scene.main, scene.only))
    return take_turn(step, SeeColumn(name))


def _free_name(step: Step, name: str) -> str:
    """Return a name for a column, white space tidied, where no measure has it."""
    name, table = " ".join(name.split())[:200], step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    if name in table.measures:
        raise BadQuestion(f"A measure is called “{name}” already", table.name, "Choose another name.")
    return name


def _with_column(step: Step, made: Group | PartOf) -> None:
    """Let the trail go on with the version that has one more column."""
    trail, table = step.trail, step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    changed = BadQuestion(
        "The table has changed since this trail began", table.name, "Do it on a new trail of the table."
    )
    if not _same_cells(trail.version, table.latest):
        raise changed
    version = take_step(table, made)
    if not _same_cells(trail.version, version):
        raise changed
    # another tab may have gone on already, to a version with this column and its own
    Trail.objects.filter(pk=trail.pk, version__number__lt=version.number).update(version=version)
    trail.refresh_from_db(fields=["version"])


def _same_cells(earlier: Version, later: Version) -> bool:
    """Whether every column of a version stands in a later one, cell for cell."""
    now = {
        (column.name, column.kind): place
        for column, place in zip(later.column_list(), later.place_list(), strict=True)
    }
    return earlier.height == later.height and all(
        now.get((column.name, column.kind)) == place
        for column, place in zip(earlier.column_list(), earlier.place_list(), strict=True)
    )


def cairn_at(step: Step) -> Cairn:
    """Return the cairn at a step, left now where there is none; its first title is the main fact."""
    existing = Cairn.objects.filter(step=step).first()
    if existing is not None:
        return existing
    scene = step.scene_value()
    title = step.label
    if scene.main is not None:
        desk = Desk(step.trail.version, scene)
        headline = plain(words_of(desk.answer(scene.main), desk.table).headline)
        title = headline.partition(". ")[0].rstrip(".")
    cairn, _ = Cairn.objects.get_or_create(step=step, defaults={"title": title[:200]})
    return cairn


def annotate(thing: Annotated, mine: str, before: str | None) -> None:
    """Keep the annotations of a picture, with what others did to it since the page was made.

    ``thing`` is a cairn or stop; ``mine`` holds all annotations as JSON, ``before``
    those that the page began from.
    """
    values = decode(mine[:MOST_JSON], Annotations, "annotation")
    saw = decode(before[:MOST_JSON], Annotations, "annotation") if before is not None else None
    with transaction.atomic():
        there = annotations_from(type(thing)._default_manager.get(pk=thing.pk).annotations)
        kept = values if saw is None else merged(saw, values, there)
        if len(kept) > MOST:
            raise BadQuestion(f"A picture carries at most {MOST} annotations", "", "Take some away.")
        thing.annotations = list(msgspec.to_builtins(kept))
        thing.save(update_fields=["annotations"])
