"""What a table, a scene or a trail says in short, gathered from steps and cairns."""

from __future__ import annotations

from night_trail.core.digest import LENGTHS, Length, Line, of_length, of_scene, of_table, of_trail
from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import first_sentence, plain
from night_trail.core.question import Scene, key
from night_trail.core.questions.registry import words_of
from night_trail.trails.behind import behind
from night_trail.trails.models import Step, Trail
from night_trail.trails.page import desk_of
from night_trail.trails.pictures import Desk

MOST_STEPS = 60
OF = {"table": "the table", "scene": "this picture", "trail": "the trail"}


def asked_length(text: str) -> Length:
    """Return a length by its name; a paragraph where none is named."""
    return next((length for length in LENGTHS if length == text), "paragraph")


def digest(step: Step, of: str, length: Length) -> list[Line]:
    """Return the sentences of a length about the table of a step, its scene, or its trail."""
    if of == "trail":
        return of_length(of_trail(_kept(step.trail)), length)
    desk = desk_of(step)
    if of == "scene" and desk.scene.main is not None:
        return of_length(of_scene(desk.scene, desk.rows, desk.answer), length)
    whole = Desk(step.trail.version, Scene())
    return of_length(of_table(whole.rows, whole.answer), length)


def _kept(trail: Trail) -> list[tuple[str, Scene]]:
    """Return the cairns of a trail with what they are called; without one what its pictures say, in order."""
    steps = list(Step.objects.filter(trail=trail).select_related("cairn").order_by("pk")[:MOST_STEPS])
    cairns = [step for step in steps if hasattr(step, "cairn")]
    found = []
    seen: set[str] = set()
    for step in cairns or steps:
        try:
            scene = step.scene_value()
            if scene.main is None or key(scene) in seen:
                continue
            seen.add(key(scene))
            if cairns:
                found.append((step.cairn.title, scene))
                continue
            if behind(scene.main):
                continue  # what is still being made says nothing yet
            desk = Desk(trail.version, scene)
            words = plain(words_of(desk.answer(scene.main), desk.table, scene.only).headline)
        except NightTrailError:
            continue  # a step that cannot be drawn any more says nothing
        found.append((first_sentence(words), scene))
    return found
