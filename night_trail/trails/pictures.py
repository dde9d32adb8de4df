"""Answers and pictures of scenes, kept while there is room: a scene never changes."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any

import numpy as np
from cachetools import LRUCache
from django.conf import settings
from django.http import HttpRequest
from msgspec.structs import replace as replace_in

from night_trail.core.annotating import offered
from night_trail.core.annotations import Annotation
from night_trail.core.attached.answering import part_answer
from night_trail.core.attached.within import within
from night_trail.core.errors import NightTrailError
from night_trail.core.language.conditions import in_words
from night_trail.core.language.spans import Words
from night_trail.core.playing import Frame, frames, place_of, whole
from night_trail.core.question import Question, Scene, key, to_json
from night_trail.core.questions.registry import Answer, kind_of, sentence, words_of
from night_trail.core.questions.registry import answer as core_answer
from night_trail.core.questions.shared.behind import Behind
from night_trail.core.questions.shared.sentence import Sentence
from night_trail.core.rows import Rows, bound_memory
from night_trail.core.sentence import scene_in_words
from night_trail.core.table import Table
from night_trail.draw import (
    MAIN,
    Played,
    Size,
    Spot,
    draw,
    shared_spans,
    standalone,
    stations,
    touched,
)
from night_trail.draw.frame.svg import Svg, safe_id
from night_trail.jobs.models import Job
from night_trail.tables.attached.drawing import attachment_of
from night_trail.tables.models import Version
from night_trail.tables.services import core_table
from night_trail.trails.behind import answer_behind, behind, job_for
from night_trail.trails.models import Step
from night_trail.trails.whole import Standing, Told, counted_answer, told_of

MOST_WEIGHED = 40


def _weight(value: Any) -> int:
    """Return about how many bytes an answer holds: its arrays, and a little for each part."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if is_dataclass(value):
        return 64 + sum(_weight(getattr(value, f.name)) for f in fields(value))
    if isinstance(value, tuple | list):
        # of many parts of a kind, some tell what all weigh
        some = value[:MOST_WEIGHED]
        return 64 + sum(_weight(part) for part in some) * len(value) // max(len(some), 1)
    return 64


MOST_FILTERS = 10
bound_memory(settings.FILTER_CACHE_BYTES)
_lock = threading.Lock()
_rows: LRUCache[str, Rows] = LRUCache(MOST_FILTERS)
_answers: LRUCache[str, Answer] = LRUCache(settings.ANSWER_CACHE_BYTES, getsizeof=_weight)
_played: LRUCache[str, tuple[Answer, ...]] = LRUCache(settings.ANSWER_CACHE_BYTES, getsizeof=_weight)
Scales = tuple[tuple[tuple[str, float, float], ...], tuple[dict[str, Spot], ...]]
"""The ends of axes by what they show, and where marks stand, period by period."""

_scales: LRUCache[str, Scales] = LRUCache(60)
MOST_TRAILS, MOST_WAITING = 8, 400
MOST_DRAWN, MOST_SAID = 48_000_000, 2_000
"""Characters of kept pictures, and how many kept words: many readers look at the same few."""


@dataclass(frozen=True)
class Drawn:
    """A question answered, drawn and put into words."""

    question: Question
    answer: Answer
    svg: Svg
    words: Words
    sentence: Sentence


_drawn: LRUCache[str, Drawn] = LRUCache(MOST_DRAWN, getsizeof=lambda kept: 2_000 + len(str(kept.svg)))
_words: LRUCache[str, tuple[Answer, Words]] = LRUCache(MOST_SAID)


class Desk:
    """A scene on its table: everything a page shows of it comes from here.

    Whoever only ``reads`` a tale begins no work that goes on behind it; what is
    only ``glanced`` at, as by hovering, takes no room from what is looked at. Who ``counts`` has all
    rows of an attached table counted behind the page.
    """

    def __init__(
        self,
        version: Version,
        scene: Scene,
        reads: bool = False,
        glanced: bool = False,
        counts: bool = False,
    ) -> None:
        self.version, self.scene = version, scene
        self._reads, self._glanced, self._counts = reads, glanced, counts
        self._own_rows: Rows | None = None
        self.table: Table = core_table(version)
        self._attachment = attachment_of(version)
        self._told: dict[str, Told] = {}

    @property
    def rows(self) -> Rows:
        """The rows the scene keeps, and which are lit; shared by scenes that agree on them."""
        kept_name = f"{self.table.key}:{key(*self.scene.only)}"
        name = f"{kept_name}:{key(self.scene.lit)}"
        with _lock:
            if name in _rows:
                return _rows[name]
            if self._glanced:
                if self._own_rows is None:
                    of = _rows.get(kept_name)
                    rows = Rows(self.table, self.scene.only) if of is None else of
                    self._own_rows = rows.relit(self.scene.lit)
                return self._own_rows
            kept = _rows.setdefault(kept_name, Rows(self.table, self.scene.only))
            return _rows.setdefault(name, kept.relit(self.scene.lit))

    def answer(self, question: Question) -> Answer:
        """Return the answer to a question on these rows."""
        played = "" if self.scene.plays is None or question != self.scene.main else ":plays"
        name = f"{self.table.key}:{key(question, *self.scene.only)}:{key(self.scene.lit)}{played}"
        if (standing := self.standing(question)) is not None and standing.counted:
            name += ":all"
        with _lock:
            if name in _answers:
                return _answers[name]
        if standing is not None and standing.counted:
            try:
                found = counted_answer(question, self.rows, self._told[key(question)])
            except NightTrailError as error:
                # cells say only what they were asked for, and all rows may be too many to draw
                self._told[key(question)] = Told(replace(standing, counted=False, reason=str(error)))
                return self.answer(question)
        elif standing is not None and standing.estimated:
            found = part_answer(question, self.rows, standing.rows)
        elif how := behind(question):
            found, whole = answer_behind(how, question, self.rows, self.work_behind(how, question))
            if not whole:
                return found  # it will be another in a moment
        else:
            found = core_answer(question, self.rows)
        if self.scene.plays is not None and question == self.scene.main:
            playing = kind_of(question).playing
            assert playing is not None  # noqa: S101  (what plays is of a kind that can)
            found = playing.held(found, self._all_periods())
        if self._glanced:
            return found
        # one that is larger than all the room is refused, and only not kept
        with _lock, suppress(ValueError):
            _answers[name] = found
        return found

    def standing(self, question: Question) -> Standing | None:
        """Return on which rows an answer about an attached table rests; None where all are at hand.

        An engine is asked for what it has not told yet only where the desk ``counts``.
        """
        if self._attachment is None:
            return None
        named = key(question)
        if named not in self._told:
            if self.scene.plays is not None:
                reason = "What plays is told from the part."
                return Standing(self._attachment.rows, "", self.table.part_words, reason=reason)
            self._told[named] = told_of(
                self.version, self._attachment, question, self.rows, begins=self._counts
            )
        return self._told[named].standing

    def _all_periods(self) -> tuple[Answer, ...]:
        """Return the main picture's answers in all periods it plays through, whatever is lit."""
        scene = self.scene
        assert scene.plays is not None and scene.main is not None  # noqa: S101  (asked of what plays)
        before, name = whole(scene), self._playing_name()
        with _lock:
            if name in _played:
                return _played[name]
        found = tuple(
            core_answer(scene.main, Rows(self.table, (*before.only, frame.period))) for frame in self.frames()
        )
        with _lock, suppress(ValueError):
            _played[name] = found
        return found

    def _playing_name(self) -> str:
        """Return what the answers of all periods depend on."""
        scene = self.scene
        assert scene.plays is not None  # noqa: S101  (asked of what plays)
        asked = key(scene.main, *whole(scene).only)
        return f"{self.table.key}:{asked}:{scene.plays.time}:{scene.plays.grain}"

    def frames(self) -> tuple[Frame, ...]:
        """Return the periods that the main picture plays through."""
        scene = self.scene
        assert scene.plays is not None  # noqa: S101  (asked of what plays)
        time, grain = scene.plays.time, scene.plays.grain
        rows = Desk(self.version, replace_in(whole(scene), lit=None), glanced=self._glanced).rows
        return frames(rows, time, grain)

    def _sized(self, question: Question, found: Answer, size: Size) -> Size:
        """Return the size a picture is drawn at: one that plays, on the scales of all periods."""
        scene = self.scene
        if scene.plays is None or question != scene.main or size.detail == "thumb":
            return size
        spans, spots = self._scales(question, size)
        scaled, periods = replace(size, spans=(*size.spans, *spans)), self.frames()
        at = place_of(scene, periods)
        if at is None:
            return replace(scaled, played=Played(in_words(scene.plays.period, self.table)))
        return replace(scaled, played=self._waiting(found, scaled, spots, at, periods[at].label))

    def _scales(self, question: Question, size: Size) -> Scales:
        """Return the ends of axes in all periods, and where marks that travel stand in each."""
        name = f"{self._playing_name()}:{size}"
        with _lock:
            if name in _scales:
                return _scales[name]
        every, playing = self._all_periods(), kind_of(question).playing
        assert playing is not None  # noqa: S101  (what plays is of a kind that can)
        held = tuple(playing.held(one, every) for one in every)
        spans = shared_spans(held, self.table, size)
        # of many periods of one thing the ends are the furthest of all
        ends: dict[str, tuple[float, float]] = {}
        for what, low, high in spans:
            before = ends.get(what, (low, high))
            ends[what] = min(before[0], low), max(before[1], high)
        furthest = tuple((what, low, high) for what, (low, high) in ends.items())
        made = furthest, stations(held, self.table, replace(size, spans=(*size.spans, *furthest)))
        with _lock:
            _scales[name] = made
        return made

    def _waiting(
        self, found: Answer, size: Size, spots: tuple[dict[str, Spot], ...], at: int, label: str
    ) -> Played:
        """Return what waits without a figure in a period, and along which places lit marks came."""
        last: dict[str, Spot] = {}
        for one in (*reversed(spots[at + 1 :]), *spots[:at]):
            last |= one
        waiting = tuple(spot for name, spot in last.items() if name not in spots[at])
        lit = touched(found, self.table, size, "main") if self.scene.lit is not None else []
        chosen = [name for name in spots[at] if safe_id("main", "m", name) in set(lit)][:MOST_TRAILS]
        trails = (tuple(one[name] for one in spots[: at + 1] if name in one) for name in chosen)
        return Played(label, waiting[:MOST_WAITING], tuple(way for way in trails if len(way) > 1))

    def work_behind(self, how: Behind, question: Question) -> Job:
        """Return the work a question's answer comes from, set going unless the scene is only read."""
        return job_for(how, question, self.rows, self.version, self.scene.only, begins=not self._reads)

    def drawn(
        self, question: Question, size: Size, prefix: str, annotations: Sequence[Annotation] = ()
    ) -> Drawn:
        """Return a question's picture with its words and sentence."""
        found = self.answer(question)
        size = self._sized(question, found, size)
        name = f"{self._named(question)}:{size}:{prefix}:{key(*annotations)}"
        with _lock:
            kept = _drawn.get(name)
        if kept is not None and kept.answer is found:
            # what is said of attached rows changes while they are counted
            return kept if self._attachment is None else replace(kept, words=self.words(question))
        made = Drawn(
            question,
            found,
            draw(found, self.table, size, prefix, annotations),
            self.words(question),
            sentence(question, self.table, found),
        )
        if not self._glanced:
            with _lock, suppress(ValueError):
                _drawn[name] = made
        return made

    def words(self, question: Question) -> Words:
        """Return what is said beside a question's picture."""
        found, name = self.answer(question), self._named(question)
        with _lock:
            answered, kept = _words.get(name, (None, None))
        if kept is not None and answered is found and self._attachment is None:
            return kept
        made = words_of(found, self.table, self.scene.only)
        if (standing := self.standing(question)) is not None and standing.caution:
            told = [standing.caution]
            if self._attachment is not None and not self._attachment.reshaped:
                told.append(within(question, self.rows, standing.rows))
            made = replace(made, cautions=(*filter(None, told), *made.cautions))
        if not self._glanced:
            with _lock:
                _words[name] = (found, made)
        return made

    def _named(self, question: Question) -> str:
        """Return what a picture and its words depend on: rows, what is asked, and what things are called."""
        table = self.table
        called = hash((table.name, table.row_noun, tuple(table.measures), repr(table.called)))
        return f"{table.key}:{key(question, *self.scene.only)}:{key(self.scene.lit)}:{called}"

    def alike(self, size: Size) -> Size:
        """Return a size whose axes span what all pictures of the scene show of one thing."""
        asked = [q for q in (self.scene.main, *self.scene.beside) if q is not None]
        return replace(size, spans=shared_spans([self.answer(q) for q in asked], self.table, size))

    def rows_words(self) -> str:
        """Return which rows the main picture is of, and as of when where they are attached."""
        main = self.scene.main
        # an answer may find that it rests on the part after all
        basis = None if main is None or self._attachment is None else self.answer(main).basis
        if main is not None and basis is not None and (found := self.standing(main)) is not None:
            if not found.counted:
                return f"from a part: {found.words.removesuffix(', drawn at random')}"
            if basis.rows == found.rows:
                return f"all {found.rows:,} rows, as of {found.as_of}"
            return f"{basis.rows:,} of {found.rows:,} rows, kept by the filter, as of {found.as_of}"
        kept, every = self.rows.n, self.table.height
        if kept == every:
            return self.table.rows_in_words(every)
        return f"{kept:,} of {self.table.rows_in_words(every)}, kept by the filter"

    def lit_words(self) -> str:
        """Return what is lit with its counts; nothing where the lantern is out."""
        if self.scene.lit is None:
            return ""
        words, main = in_words(self.scene.lit, self.table), self.scene.main
        basis = None if main is None or self._attachment is None else self.answer(main).basis
        if main is not None and basis is not None and (found := self.standing(main)) and found.counted:
            return f"{words} — {basis.lit or 0:,} of {self.table.rows_in_words(basis.used)}"
        of = self.table.rows_in_words(self.rows.n)
        part = " of the part" if self.table.part_words else ""
        return f"{words} — {self.rows.n_lit:,} of {of}{part}"

    def figure(self, size: Size, theme: str, annotations: Sequence[Annotation] = ()) -> str:
        """Return the main picture as a file that stands alone."""
        assert self.scene.main is not None  # noqa: S101  (callers ask only for scenes with a picture)
        found = self.answer(self.scene.main)
        title = scene_in_words(self.scene, self.table, found)
        size = self._sized(self.scene.main, found, size)
        return standalone(found, self.table, title, size, theme, annotations)


def forget() -> None:
    """Empty the caches; for tests and measurements."""
    with _lock:
        _rows.clear()
        _answers.clear()
        _drawn.clear()
        _words.clear()
        _played.clear()
        _scales.clear()


def size_from(request: HttpRequest, default: Size = MAIN, cookie: str = "picture") -> Size:
    """Return the size a page has room for: as asked, as it last was, or the default."""
    asked = request.GET.get("size") or request.COOKIES.get(cookie, "")
    wide, _, high = asked.partition("x")
    try:
        width, height = int(wide), int(high)
    except ValueError:
        return default
    return Size(min(max(width, 260), 2400), min(max(height, 180), 1600), default.detail)


SMALL = Size(300, 190, "beside")


def small_of(step: Step | None, prefix: str) -> Svg | str:
    """Return the small picture of a step with its annotations; nothing where it cannot be drawn any more."""
    if step is None:
        return ""
    try:
        scene = step.scene_value()
        if scene.main is None:
            return ""
        desk = Desk(step.trail.version, scene, reads=True)
        return desk.drawn(scene.main, SMALL, f"{prefix}{step.pk}", step.annotation_values()).svg
    except NightTrailError:
        return ""


def annotation_offers(desk: Desk, drawn: Drawn) -> list[dict[str, str]]:
    """Return the annotations that fit a picture, each with its words and itself as JSON."""
    found = offered(drawn.answer, drawn.words, desk.scene.lit, desk.table)
    return [{"words": one.words, "json": to_json(one.made)} for one in found]
