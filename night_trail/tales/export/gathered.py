"""What every file of a tale tells: its stops as they are read, with pictures, words and numbers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from night_trail.core.beats import Beat
from night_trail.core.bound import Known, followed
from night_trail.core.errors import NightTrailError
from night_trail.core.overview import heading_of, large_of
from night_trail.core.question import Scene
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.registry import figures_of as table_of
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.sentence import scene_in_words
from night_trail.draw import Size, standalone
from night_trail.draw.frame.svg import Svg
from night_trail.draw.frame.theme import TOKENS
from night_trail.tales.differing import differs
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Image, Stop, Tale
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk

DAY = {name: colour.lstrip("#") for name, colour in TOKENS["day"].items()}
"""The colours of the day, as programs for documents write them."""

PAGE = Size(820, 500)
FIGURE = Size(700, 410)
"""Of a page's width, so that what is written in it prints at 7 points and more."""


@dataclass(frozen=True)
class Part:
    """A picture of a stop, or one of its beats.

    ``svg`` is for a page with the house's own style, ``alone`` draws it for a file.
    """

    words: str
    sentence: str
    cautions: tuple[str, ...]
    headline: str
    svg: Svg
    answer: Answer
    desk: Desk
    figures: Figures
    annotated: bool
    stop: Stop
    beat: int
    prefix: str

    def alone(self, theme: str = "day", size: Size = FIGURE) -> str:
        """Return the picture as an SVG that stands alone."""
        shown = self.stop.seen_annotations(self.beat)
        return standalone(self.answer, self.desk.table, self.sentence, size, theme, shown)


@dataclass(frozen=True)
class Told:
    """A stop as a file tells it; ``text`` is Markdown whose figures read as they do now."""

    number: int
    heading: str
    chapter: str
    text: str
    figures: tuple[Known, ...]
    source: str
    parts: tuple[Part, ...]
    beside: Part | None
    claim: str
    state: str
    large: Known | None
    unreadable: bool
    image: Image | None
    alt: str
    notes: str


def told(tale: Tale) -> list[Told]:
    """Return the stops of a tale as files tell them; a picture that cannot be drawn is said to be missing."""
    joined = ("tale", "step__trail__version__table", "beside__trail__version__table", "image")
    return [_told(stop, at) for at, stop in enumerate(tale.stops.select_related(*joined), 1)]


def _told(stop: Stop, number: int) -> Told:
    figures, source = figures_of(stop, reads=True)
    parts: tuple[Part, ...] = ()
    beside = None
    unreadable = False
    try:
        parts = tuple(_parts(stop, number))
        beside = _beside(stop, number)
    except NightTrailError:
        unreadable = True
    verdict = stop.verdict or {}
    return Told(
        number,
        stop.heading,
        stop.chapter,
        followed(stop.text, figures),
        figures,
        source,
        parts,
        beside,
        f"{verdict['sentence']}. {verdict['said']}" if verdict.get("said") else "",
        verdict.get("state", ""),
        next((figure for figure in figures if figure.id == stop.large), None),
        unreadable,
        stop.image,
        stop.image_alt,
        stop.notes,
    )


def _parts(stop: Stop, number: int) -> Iterator[Part]:
    if stop.step is None:
        return
    if (overview := stop.overview_value()) is not None:
        for tile in overview.tiles:
            only = (*overview.only, *tile.only)
            scene = Scene(main=tile.question, only=only, lit=overview.lit)
            desk = Desk(stop.step.trail.version, scene, reads=True)
            words = heading_of(tile)
            if tile.large:
                large = large_of(tile, desk.rows)
                words = f"{large.label}: {large.text}" + (f", {large.change}" if large.change else "")
            yield drawn_part(stop, 0, desk, f"s{number}{tile.id}", words)
        return
    beats: tuple[Beat | None, ...] = stop.beat_values() or (None,)
    for at, beat in enumerate(beats, 1):
        scene = stop.shown_scene(at if beat else 0)
        if scene.main is not None:
            words = beat.words if beat else ""
            desk = Desk(stop.step.trail.version, scene, reads=True)
            yield drawn_part(stop, at if beat else 0, desk, f"s{number}b{at}", words)


def _beside(stop: Stop, number: int) -> Part | None:
    if stop.beside is None or (scene := stop.scene_beside()).main is None:
        return None
    desk = Desk(stop.beside.trail.version, scene, reads=True)
    words = ""
    if stop.step is not None and (apart := differs(_first(stop, stop.step), desk)):
        words = f"What differs: {'; '.join(apart)}."
    # what stands beside carries no annotations of the stop
    return drawn_part(Stop(tale=stop.tale), 0, desk, f"s{number}second", words)


def _first(stop: Stop, step: Step) -> Desk:
    return Desk(step.trail.version, stop.shown_scene(), reads=True)


def drawn_part(stop: Stop, beat: int, desk: Desk, prefix: str, words: str) -> Part:
    """Return a picture of a stop as files have it; ``prefix`` begins the names in it."""
    scene = desk.scene
    assert scene.main is not None  # noqa: S101  (asked only of scenes with a picture)
    shown = stop.seen_annotations(beat)
    drawn = desk.drawn(scene.main, PAGE, prefix, shown)
    return Part(
        words,
        scene_in_words(scene, desk.table, drawn.answer),
        tuple(str(caution) for caution in drawn.words.cautions),
        "".join(span.text for span in drawn.words.headline),
        drawn.svg,
        drawn.answer,
        desk,
        table_of(drawn.answer),
        bool(shown),
        stop,
        beat,
        prefix,
    )
