"""What the page for writing shows of a stop: its picture or one of its beats, its text, its figures."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpRequest
from django.urls import reverse

from night_trail.core.annotations import Annotation
from night_trail.core.bound import bonds
from night_trail.core.language.conditions import in_words
from night_trail.core.language.spans import shortened
from night_trail.core.overview import Chosen, choices_of
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.registry import kind_of, short_name
from night_trail.core.sentence import scene_in_words
from night_trail.core.table import Table
from night_trail.core.turns import Drop, KeepLit, PutOut
from night_trail.draw import Size
from night_trail.tables.services import core_table
from night_trail.tales.differing import differs, what_changes
from night_trail.tales.figures import figures_of, offers
from night_trail.tales.models import Stop
from night_trail.tales.overviews import kept_words, shown
from night_trail.tales.prose import prose
from night_trail.tales.reach import Reach
from night_trail.trails.choices import choices
from night_trail.trails.pictures import Desk, Drawn, annotation_offers, size_from

SIZE = Size(664, 380)
BESIDE = Size(664, 260)
THUMB = Size(150, 84, "thumb")
COOKIE = "writing"
MOST_OFFERED = 40


def stage_drawn(request: HttpRequest, stop: Stop, beat: int) -> tuple[Desk, Drawn] | None:
    """Return the picture of a stop, or of one of its beats, with its desk; None where it has none."""
    if stop.step is None:
        return None
    scene = stop.shown_scene(beat)
    if scene.main is None:
        return None
    desk = Desk(stop.step.trail.version, scene)
    return desk, desk.drawn(scene.main, size_from(request, SIZE, COOKIE), "main", stop.seen_annotations(beat))


def stage_context(request: HttpRequest, stop: Stop, beat: int) -> dict[str, Any]:
    """Return what is shown in the middle; ``beat`` is counted from 1, 0 for the picture itself."""
    found = stage_drawn(request, stop, beat)
    if found is None or stop.step is None:
        return {}
    desk, drawn = found
    scene, table = desk.scene, desk.table
    beats = stop.beat_values()
    beat = min(beat, len(beats))
    query = f"?beat={beat}" if beat else ""
    where = [stop.tale_id, stop.pk]
    context: dict[str, Any] = {
        "drawn": drawn,
        "scene_words": scene_in_words(scene, table, drawn.answer),
        "readable": _readable(drawn, desk, stop.tale.least_lit),
        "annotations": json.dumps(stop.annotations, ensure_ascii=False),
        "annotation_offers": annotation_offers(desk, drawn),
        "annotate_address": reverse("tales:annotate", args=where) + query,
        "picture_address": reverse("tales:picture", args=where) + query,
        "turn_address": reverse("tales:turn", args=where) + query,
        "beat": beat,
        "beats": beats_shown(stop, table, beat),
        "lit_words": desk.lit_words(),
        "put_out": to_json(PutOut()),
        "keep_lit": to_json(KeepLit()),
        "only": [
            {"words": in_words(one, table), "drop": to_json(Drop(i))} for i, one in enumerate(scene.only)
        ],
        "shapes": [] if kind_of(drawn.question).modelled else _shapes(desk, stop),
        "varied": stop.scene is not None and not beat,
        "chips_offered": chips_offered(stop),
    }
    if beat:
        hidden = set(beats[beat - 1].hidden)
        context["beat_words"] = beats[beat - 1].words
        context["seen"] = [
            {"id": a.id, "words": annotation_words(a), "seen": a.id not in hidden}
            for a in stop.annotation_values()
        ]
    if stop.beside is not None and (other := stop.scene_beside()).main is not None:
        beside = Desk(stop.beside.trail.version, other)
        shown = beside.drawn(other.main, BESIDE, "second")
        context["beside"] = shown
        context["beside_words"] = scene_in_words(other, beside.table, shown.answer)
        context["beside_differs"] = differs(desk, beside)
    return context


def overview_context(stop: Stop, cairns: list[Any]) -> dict[str, Any]:
    """Return what is shown of an overview where it is written."""
    overview = stop.overview_value()
    if overview is None or stop.step is None:
        return {}
    version = stop.step.trail.version
    desk = Desk(version, Scene(only=overview.only, lit=overview.lit))
    table = desk.table
    able = [c for c in table.columns if choices_of(c, table)]
    return {
        "overview": overview,
        "overview_table": version.table,
        "tiles": shown(version, overview, Chosen({}), overview.lit, "o"),
        "editing": True,
        "tile_address": reverse("tales:tile", args=[stop.tale_id, stop.pk]),
        "lit_words": desk.lit_words(),
        "kept_words": kept_words(overview, table),
        "allowed": [{"name": c.name, "on": c.name in overview.chips} for c in able[:40]],
        "overview_cairns": [c for c in cairns if c.step.trail.version_id == version.pk],
    }


def chips_offered(stop: Stop) -> list[tuple[str, bool]]:
    """Return the columns that readers could narrow a stop's picture by, and whether they may."""
    if stop.step is None or stop.overview is not None:
        return []
    scene = stop.shown_scene()
    if scene.main is None or kind_of(scene.main).modelled:
        return []
    table = core_table(stop.step.trail.version)
    able = [c.name for c in table.columns if choices_of(c, table)][:MOST_OFFERED]
    return [(name, name in stop.chips) for name in able]


def _shapes(desk: Desk, stop: Stop) -> list[Any]:
    """Return the shapes the picture can be drawn in, without their small pictures."""
    assert stop.step is not None  # noqa: S101  (asked only of stops with a picture)
    return choices("shape", desk, stop.step.trail.version.survey_value())[:8]


def annotation_words(one: Annotation) -> str:
    """Return how an annotation is named in a list."""
    text = getattr(one, "text", "")
    kind = type(one).__name__.lower()
    return f"{kind} “{text[:30]}{'…' if len(text) > 30 else ''}”" if text else kind


def beats_shown(stop: Stop, table: Table, here: int) -> list[dict[str, Any]]:
    """Return the beats of a stop as a strip shows them: what each does that the one before it did not."""
    found = []
    before: Scene | None = None
    for number, beat in enumerate(stop.beat_values(), 1):
        scene = beat.scene
        name = beat.words or (short_name(scene.main) if scene.main is not None else "nothing")
        found.append(
            {
                "number": number,
                "name": shortened(name)[:60],
                "what": (what_changes(before, scene, table) or "the same, with other words or notes")[:80]
                if number > 1
                else "the picture to begin with",
                "here": number == here,
                "address": f"{reverse('tales:stop', args=[stop.tale_id, stop.pk])}?beat={number}",
            }
        )
        before = scene
    return found


def text_context(stop: Stop) -> dict[str, Any]:
    """Return what is shown of a stop's text: as it is read, the figures it may be bound to."""
    figures, source = figures_of(stop)
    context: dict[str, Any] = {
        "prose": prose(stop.text, figures, source),
        "figures": figures,
        "figures_json": [{"id": f.id, "label": f.label, "text": f.text} for f in figures],
    }
    return context | _offered(stop, figures)


def offers_context(stop: Stop) -> dict[str, Any]:
    """Return what is offered below the text: figures to bind, and those that have changed."""
    return _offered(stop, figures_of(stop)[0])


def _offered(stop: Stop, figures: Any) -> dict[str, Any]:
    now = {figure.id: figure for figure in figures}
    follows = [
        {"was": was, "now": now[name].text, "label": now[name].label}
        for name, was in bonds(stop.text)
        if name in now and now[name].text != was
    ]
    return {"offers": offers(stop, figures), "follows": follows}


def _readable(drawn: Drawn, desk: Desk, least: int) -> str:
    """Say where a picture shows fewer rows than readers may light: what is drawn can be read."""
    if least < 2:
        return ""
    few, looked_at = Reach(str(drawn.svg), desk.table).fewer(desk.rows, least)
    if not looked_at:
        return f"This picture draws rows one by one: readers see them, though they light {least:,} at least."
    if not few:
        return ""
    marks = f"{few:,} of {looked_at:,} marks looked at"
    stand = "stands" if few == 1 else "stand"
    return f"In this picture {marks} {stand} for fewer than {least:,} rows: what is drawn can be read."
