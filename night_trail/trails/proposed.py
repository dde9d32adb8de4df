"""Proposed pictures: the worker looks for them and draws them one by one, and pages show what there is."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
from django.utils import timezone

from night_trail.core.conditions import Condition
from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import first_sentence, plain
from night_trail.core.question import Question, Scene, key
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.rows import Rows
from night_trail.core.signposts import Search, confirmed
from night_trail.core.table import Table
from night_trail.draw import BESIDE
from night_trail.jobs.models import Job
from night_trail.jobs.work import STALLED, Left, Wanted, does, is_left, job_of
from night_trail.tables.models import Version
from night_trail.tables.services import core_table
from night_trail.trails.pictures import Desk

SEARCH, PICTURE, EDITION = "proposed: search", "proposed: picture", 1
MOST_WAITING = 12
"""Searches of one table that wait for the worker at most: who leafs through steps leaves many behind."""

KEPT = dt.timedelta(days=7)
"""So long what was proposed is kept; whoever comes back later has it made anew."""


class Mains(msgspec.Struct, frozen=True):
    """The pictures whose columns are looked into, and the rows that are kept."""

    mains: tuple[Question, ...]
    only: tuple[Condition, ...] = ()


class Shown(msgspec.Struct, frozen=True):
    """A proposed picture as it was drawn, and its reason; no picture where it says nothing."""

    svg: str = ""
    reason: str = ""


def searched(version: Version, mains: Sequence[Question], only: tuple[Condition, ...]) -> list[Search] | None:
    """Return what was confirmed of each picture; None while the worker is still looking."""
    asked = Mains(tuple(mains), only)
    wanted = Wanted(SEARCH, EDITION, key(asked), msgspec.to_builtins(asked), len(mains))
    lately = timezone.now() - STALLED
    waiting = Job.objects.filter(version=version, kind=SEARCH, done=0, refused="", moved__gte=lately).count()
    job = job_of(wanted, version, begins=waiting < MOST_WAITING)
    if job.refused:
        return []
    return msgspec.convert(job.made, list[Search]) if job.finished else None


def picture(version: Version, scene: Scene) -> tuple[str, Shown | None]:
    """Return the key of a proposed picture, and the picture; None while it waits to be drawn.

    ``scene`` is the picture with the rows that it keeps and lights.
    """
    named = f"{key(scene)}:{_called(core_table(version))}"
    name = hashlib.sha256(named.encode()).hexdigest()[:20]
    wanted = Wanted(PICTURE, EDITION, name, msgspec.to_builtins(scene), 1)
    return name, _shown(job_of(wanted, version, begins=True))


def picture_by(version: Version, name: str) -> tuple[Question, Shown | None] | None:
    """Return a picture that was proposed on a version, by its key; nothing where none was."""
    job = Job.objects.filter(version=version, kind=PICTURE, key=name).first()
    return None if job is None else (_main(job), _shown(job))


def _shown(job: Job) -> Shown | None:
    if job.refused:
        return Shown()
    return msgspec.convert(job.made[0], Shown) if job.finished else None


def _main(job: Job) -> Question:
    main = msgspec.convert(job.asked, Scene).main
    assert main is not None  # noqa: S101  (so it was written)
    return main


def _called(table: Table) -> str:
    """Return what a picture says besides its figures: what the table and its columns are called."""
    return repr((table.name, table.row_noun, tuple(table.measures), table.called))


@does(SEARCH)
def _search(job: Job) -> Iterator[Any]:
    Job.objects.filter(
        version=job.version, kind__in=(SEARCH, PICTURE), moved__lt=timezone.now() - KEPT
    ).delete()
    asked = msgspec.convert(job.asked, Mains)
    rows = Rows(core_table(job.version), asked.only)
    for main in asked.mains:
        if is_left(job):
            raise Left
        yield msgspec.to_builtins(confirmed(main, rows))


@does(PICTURE)
def _picture(job: Job) -> Iterator[Any]:
    if is_left(job):
        raise Left
    desk = Desk(job.version, msgspec.convert(job.asked, Scene))
    yield msgspec.to_builtins(_drawn(desk, _main(job), f"s{job.key[:8]}"))


def _drawn(desk: Desk, question: Question, prefix: str) -> Shown:
    try:
        found = desk.answer(question)
        if isinstance(found, StandsAnswer) and not found.findings:
            return Shown()
        drawn = desk.drawn(question, BESIDE, prefix)
    except NightTrailError:
        return Shown()  # what cannot be drawn of these rows is no way on
    # that a figure changed is no reason to look; what moved otherwise is
    sentences = 2 if isinstance(question, Changed) else 1
    return Shown(str(drawn.svg), first_sentence(plain(drawn.words.headline), sentences))
