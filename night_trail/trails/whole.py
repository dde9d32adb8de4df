"""Answers from all rows of an attached table: asked of its engine by the worker, and kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

import msgspec
import polars as pl
from django.db.models import F
from django.utils import timezone

from night_trail.core.attached.answering import is_scaled, roll_for, whole_answer
from night_trail.core.attached.roll import Roll, check_seen
from night_trail.core.errors import Beyond
from night_trail.core.question import Question, key
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.shared.behind import Pending
from night_trail.core.rows import Rows
from night_trail.jobs.models import Job
from night_trail.jobs.work import LEFT, Left, Wanted, does, is_left, job_of
from night_trail.tables.attached.drawing import Attachment, attachment_of
from night_trail.tables.attached.engine import Stopped
from night_trail.tables.attached.telling import ask, told
from night_trail.tables.models import Version
from night_trail.tables.services import core_table

KIND, ALGORITHM = "attached: cells", 1
MOST_WAITING = 20
"""Counts that wait for one owner's tables at most."""

SLOW = 10.0
"""Seconds from which on it is said beforehand how long an engine will take."""


@dataclass(frozen=True)
class Standing:
    """On which rows an answer about an attached table rests.

    There are ``rows`` attached; ``words`` say which of them are at hand. ``counted`` is whether it is
    from all of them; ``binned`` that its counts are, and its middles are not; else whether sums and
    counts are ``estimated`` for all. ``reason`` says why it is from the part, ``pending`` how far the
    counting is, ``seconds`` about how long it takes.
    """

    rows: int
    as_of: str
    words: str
    counted: bool = False
    binned: bool = False
    reason: str = ""
    pending: Pending | None = None
    seconds: float = 0.0
    estimated: bool = False

    @property
    def caution(self) -> str:
        """What is said beside a picture of its rows; nothing where it is from all of them."""
        of = self.words
        if self.counted:
            return f"Its quarters and middles are of {of}; its counts are of all." if self.binned else ""
        said = f"These are estimates from {of}" if self.estimated else f"This is of {of}"
        if self.pending is None:
            own = "" if self.estimated else ": sums and counts are those of the part"
            return f"{said}{own}. {self.reason}".strip()
        if self.pending.stopped:
            return f"{said}: counting all of them was stopped."
        if self.pending.refused:
            return f"{said}: all rows could not be counted. {self.pending.refused}"
        slow = f", in about {self.seconds:.0f} s" if self.seconds >= SLOW else ""
        return f"{said}. All of them are being counted{slow}."


@dataclass(frozen=True)
class Told:
    """On what an answer rests, and the cells it comes from where all rows were counted."""

    standing: Standing
    roll: Roll | None = None
    cells: pl.DataFrame | None = None


def told_of(version: Version, attachment: Attachment, question: Question, rows: Rows, begins: bool) -> Told:
    """Return on what an answer rests; ``rows`` are those of the part at hand.

    Where it ``begins`` an engine is asked for what was not told.
    """
    standing = Standing(attachment.rows, as_of(attachment), rows.table.part_words)
    if attachment.reshaped:
        reason = "A step of the recipe changed which rows there are, so that all of them are not counted."
        return Told(replace(standing, reason=reason))
    standing = replace(standing, estimated=is_scaled(question))
    try:
        roll = roll_for(question, rows)
        check_seen(roll, attachment.fields, rows.table)
    except Beyond as error:
        return Told(replace(standing, reason=str(error)))
    cells = told(version, roll)
    if cells is None and begins and _too_many_wait(version, key(roll)):
        reason = f"As many counts wait already as may ({MOST_WAITING}): look again when they are done."
        return Told(replace(standing, reason=reason))
    if cells is None:
        job = job_of(Wanted(KIND, ALGORITHM, key(roll), {"roll": Version.as_json(roll)}, 1), version, begins)
        cells = told(version, roll) if job.finished else None
    if cells is not None:
        return Told(replace(standing, counted=True, binned=bool(roll.bins)), roll, cells)
    if not job.pk or job.finished:
        return Told(replace(standing, reason="All of them were not counted."))
    pending = Pending(job.done, job.of, job.stopped, job.refused)
    return Told(replace(standing, pending=pending, seconds=attachment.seconds))


def _too_many_wait(version: Version, name: str) -> bool:
    """Whether a count would be one too many for the owner of its table: others wait for the same worker."""
    if version.table is None:
        return False
    ours = Job.objects.filter(kind=KIND, version__table__owner=version.table.owner_id)
    if ours.filter(version=version, key=name).exists():
        return False
    going = ours.filter(done__lt=F("of"), stopped=False, refused="", looked__gte=timezone.now() - LEFT)
    return going.count() >= MOST_WAITING


def counted_answer(question: Question, rows: Rows, found: Told) -> Answer:
    """Return the answer from all rows, which were counted."""
    assert found.roll is not None and found.cells is not None  # noqa: S101  (so they were)
    return whole_answer(question, rows, found.roll, found.cells)


def as_of(attachment: Attachment) -> str:
    """Return when the rows were attached, as it stands below a picture."""
    return attachment.as_of.strftime("%-d %b %H:%M UTC")


def counts_behind(version: Version, questions: Sequence[Question], rows: Rows) -> list[Job]:
    """Return the counts of all rows behind questions that are not done."""
    if attachment_of(version) is None:
        return []
    keys = []
    for question in questions:
        with suppress(Beyond):
            keys.append(key(roll_for(question, rows)))
    jobs = Job.objects.filter(kind=KIND, version=version, key__in=keys)
    return [job for job in jobs if not job.finished]


@does(KIND)
def _cells(job: Job) -> Iterator[Any]:
    attachment = attachment_of(job.version)
    if attachment is None:
        return
    roll = msgspec.convert(job.asked["roll"], Roll)
    if is_left(job):
        raise Left

    def waits() -> bool:
        # it says that it goes on, so that nobody takes it for work that was interrupted
        going = Job.objects.filter(pk=job.pk, stopped=False).update(moved=timezone.now())
        return bool(going) and not is_left(job)

    try:
        cells = ask(job.version, attachment, core_table(job.version), roll, waits)
    except Stopped:
        if is_left(job):
            raise Left from None
        raise
    yield {"cells": cells}
