"""The figures a stop's picture has, for its text to be bound to."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress

from night_trail.core.bound import Known, Typed, bonds, figure_id, known, typed
from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import Words
from night_trail.core.question import Question, Scene
from night_trail.core.questions.registry import kind_of, short_name
from night_trail.tales.models import Stop
from night_trail.trails.behind import behind
from night_trail.trails.pictures import Desk


def figures_at(desk: Desk, question: Question) -> tuple[Known, ...]:
    """Return the figures of a picture: of all its rows, and of what is lit."""
    return known(desk.words(question), desk.rows, _words_of_lit(desk, question))


def _words_of_lit(desk: Desk, question: Question) -> Words | None:
    """Return the words of the same question asked of the lit rows; None where that takes long."""
    lit = desk.scene.lit
    if lit is None or behind(question) is not None or kind_of(question).modelled or not desk.rows.n_lit:
        return None
    with suppress(NightTrailError):
        alone = Desk(desk.version, Scene(main=question, only=(*desk.scene.only, lit)))
        return alone.words(question)
    return None


def figures_of(stop: Stop, reads: bool = False) -> tuple[tuple[Known, ...], str]:
    """Return the figures that a stop's text may be bound to, and the name of their picture.

    Those of every scene its beats show and of the step beside it are among them; none where the
    picture cannot be drawn any more.
    """
    found: dict[str, Known] = {}
    named = ""
    with suppress(NightTrailError):
        for scene in _scenes(stop):
            if stop.step is None or scene.main is None:
                continue
            named = named or short_name(scene.main)
            for figure in figures_at(Desk(stop.step.trail.version, scene, reads=reads), scene.main):
                found.setdefault(figure.id, figure)
        if stop.beside is not None and (scene := stop.scene_beside()).main is not None:
            desk = Desk(stop.beside.trail.version, scene, reads=reads)
            for figure in figures_at(desk, scene.main):
                name = figure_id(f"beside/{figure.id}")
                label = f"{figure.label}, beside"
                found.setdefault(name, Known(name, label, figure.text, figure.value))
    return tuple(found.values()), named


def _scenes(stop: Stop) -> Iterable[Scene]:
    if stop.step is None:
        return
    yield stop.shown_scene()
    for beat in stop.beat_values():
        yield beat.scene


def offers(stop: Stop, figures: tuple[Known, ...], most: int = 4) -> list[Typed]:
    """Return the figures of a stop's text that were typed by hand and could be bound."""
    return list(typed(stop.text, figures))[:most]


def bound_in(text: str) -> set[str]:
    """Return the ids of the figures that are bound in a text."""
    return {name for name, _ in bonds(text)}
