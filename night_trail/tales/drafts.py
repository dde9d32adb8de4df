"""A tale drafted from cairns: the setting first, then what was found, then why, then what is to come."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from django.db import transaction

from night_trail.core.bound import proposed
from night_trail.core.errors import NightTrailError
from night_trail.core.question import Question
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.registry import words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Stop, Tale
from night_trail.tales.services import MOST_STOPS, add_stop
from night_trail.trails.behind import behind
from night_trail.trails.models import Cairn
from night_trail.trails.pictures import Desk

CHAPTERS = ("What is there", "What was found", "Why", "What is to come")


def part_of(question: Question | None, lit: bool, claims: bool) -> int:
    """Return which part of a tale a picture belongs to, counted from 0.

    A plain spread that nothing is lit in, and that claims nothing, sets the scene.
    """
    match question:
        case Forecast():
            return 3
        case Drivers() | Changed() | Differ() | Held():
            return 2
        case Spread(across=None) if not lit and not claims:
            return 0
        case _:
            return 1


def _strength(cairn: Cairn) -> tuple[int, int]:
    """Return by what findings are ordered: those that hold first, then as they were left."""
    state = (cairn.verdict or {}).get("state", "")
    return ({"holds": 0, "open": 1, "": 1, "weak": 2, "fails": 3}.get(state, 1), cairn.pk)


def drafted_from(person: Any, cairns: Sequence[Cairn]) -> Tale:
    """Return a tale drafted from cairns, each a stop with the main fact of its picture, figures bound."""
    if len(cairns) > MOST_STOPS:
        raise NightTrailError(f"A tale has at most {MOST_STOPS} stops", "", "Choose fewer.")
    placed: list[tuple[int, Cairn]] = []
    for cairn in cairns:
        scene = cairn.step.scene_value()
        placed.append((part_of(scene.main, scene.lit is not None, cairn.claim is not None), cairn))
    placed.sort(key=lambda one: (one[0], *_strength(one[1])))
    with transaction.atomic():
        tale = Tale.objects.create(owner=person, title=cairns[0].step.trail.title)
        before = -1
        for part, cairn in placed:
            stop = add_stop(tale, cairn)
            if part != before and len({p for p, _ in placed}) > 1:
                stop.chapter = CHAPTERS[part]
            before = part
            stop.text = _told(stop, cairn.note)
            stop.save(update_fields=["chapter", "text"])
    return tale


def _told(stop: Stop, note: str) -> str:
    """Return the words of a stop: what its picture says, then what its finder wrote."""
    assert stop.step is not None  # noqa: S101  (cairns are left at pictures)
    said = ""
    with suppress(NightTrailError):
        scene = stop.shown_scene()
        if scene.main is not None and behind(scene.main) is None:
            desk = Desk(stop.step.trail.version, scene)
            words = words_of(desk.answer(scene.main), desk.table, scene.only)
            said = proposed(words, figures_of(stop)[0], "brief")
    return "\n\n".join(text for text in (said, note.strip()) if text)[:20_000]
