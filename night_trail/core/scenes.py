"""What becomes of a scene, whether a hand or a word asks for it."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.conditions import Condition, Not
from night_trail.core.question import Scene
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.relate.question import Relate


def only_lit(scene: Scene, lit: Condition) -> Scene:
    """Return the scene with the lit rows alone, the lantern out."""
    return replace(scene, only=added(scene.only, lit), lit=None)


def without_lit(scene: Scene, lit: Condition) -> Scene:
    """Return the scene with the lit rows out of sight, the lantern out."""
    aside = lit.part if isinstance(lit, Not) else Not(lit)
    return replace(scene, only=added(scene.only, aside), lit=None)


def cleared(scene: Scene) -> Scene:
    """Return the scene with every condition lifted and the lantern out."""
    return replace(scene, only=(), lit=None, within=())


def zoomed_out(scene: Scene) -> Scene:
    """Return the scene with all of its main picture in sight."""
    match scene.main:
        case Relate() | Place():
            return replace(scene, main=replace(scene.main, window=None))
        case OverTime():
            return replace(scene, main=replace(scene.main, window_at=None))
        case _:
            return scene


def added(only: tuple[Condition, ...], condition: Condition) -> tuple[Condition, ...]:
    """Return a filter with one more condition; one that it has already stands."""
    return only if condition in only else (*only, condition)
