"""Questions whose answers take long: a worker makes them piece by piece, and pages show how far it is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from night_trail.core.conditions import Condition
from night_trail.core.question import Question, Scene, key
from night_trail.core.questions.registry import KINDS, Answer, check, kind_of
from night_trail.core.questions.shared.behind import Behind, Pending
from night_trail.core.rows import Rows
from night_trail.jobs.models import Job
from night_trail.jobs.work import Wanted, does, job_of
from night_trail.tables.models import Version
from night_trail.tables.services import core_table


def behind(question: Question) -> Behind | None:
    """Return how a question is answered behind the pages; None where it is answered at once."""
    how = kind_of(question).behind
    return how if how is not None and how.applies(question) else None


def answer_behind(how: Behind, question: Question, rows: Rows, job: Job) -> tuple[Answer, bool]:
    """Return the answer as far as its work is, and whether it is whole."""
    if job.finished:
        return how.whole(question, rows, msgspec.convert(job.made, list[how.piece])), True  # type: ignore[name-defined]
    return how.meanwhile(question, rows, Pending(job.done, job.of, job.stopped, job.refused)), False


def job_for(
    how: Behind, question: Question, rows: Rows, version: Version, only: tuple[Condition, ...], begins: bool
) -> Job:
    """Return the work behind a question, set going where it ``begins``; whoever only reads begins none."""
    check(question, rows.table)
    bare = how.bare(question)
    wanted = Wanted(
        kind=f"question: {kind_of(question).tag}",
        algorithm=how.algorithm,
        key=key(bare, *only),
        asked=msgspec.to_builtins(Scene(main=bare, only=only)),
        of=how.count(bare, rows),
    )
    return job_of(wanted, version, begins)


def _pieces(job: Job) -> Iterator[Any]:
    scene = msgspec.convert(job.asked, Scene)
    assert scene.main is not None  # noqa: S101  (so it was written)
    how = behind(scene.main)
    assert how is not None  # noqa: S101  (so it was written)
    rows = Rows(core_table(job.version), scene.only)
    return (msgspec.to_builtins(piece) for piece in how.pieces(scene.main, rows))


for _kind in KINDS:
    if _kind.behind is not None:
        does(f"question: {_kind.tag}")(_pieces)
