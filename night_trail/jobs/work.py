"""Long work: asked for once, done piece by piece, stopped and taken up again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from django.db.models import Q
from django.utils import timezone
from django_tasks import task

from night_trail.core.errors import NightTrailError
from night_trail.jobs.models import Job
from night_trail.tables.models import Version

STALLED = dt.timedelta(minutes=2)
"""Work that has not moved for so long was interrupted, and is begun again."""

Pieces = Callable[[Job], Iterator[Any]]

LEFT = dt.timedelta(minutes=2)
"""Work that no page has waited for so long is wanted by nobody, where its doer asks."""

SEEN_EVERY = dt.timedelta(seconds=20)

_doers: dict[str, Pieces] = {}


def does(kind: str) -> Callable[[Pieces], Pieces]:
    """Say who does a kind of work: a function from a job to its pieces, each plain JSON."""

    def known(pieces: Pieces) -> Pieces:
        _doers[kind] = pieces
        return pieces

    return known


class Left(Exception):
    """Nobody waits for the work: it is laid down, and taken up when somebody does again."""


@dataclass(frozen=True)
class Wanted:
    """What is asked of a version: who does it, by which edition, what, and in how many pieces."""

    kind: str
    algorithm: int
    key: str
    asked: Mapping[str, Any]
    of: int


def job_of(wanted: Wanted, version: Version, begins: bool) -> Job:
    """Return the work as far as it is; where it ``begins`` it is set going, if nobody does it already."""
    named = {"kind": wanted.kind, "version": version, "key": wanted.key}
    fresh = {"asked": dict(wanted.asked), "of": wanted.of, "algorithm": wanted.algorithm}
    job = Job.objects.filter(**named, algorithm=wanted.algorithm).first()
    if job is None and not begins:
        return Job(**named, **fresh)
    new = False
    if job is None:
        Job.objects.filter(**named).exclude(algorithm=wanted.algorithm).delete()
        job, new = Job.objects.get_or_create(**named, defaults=fresh)
    if begins and not (job.finished or job.stopped or job.refused):
        now = timezone.now()
        Job.objects.filter(pk=job.pk, looked__lt=now - SEEN_EVERY).update(looked=now)
        stalled = Q(moved__lt=timezone.now() - STALLED)
        # of two who find it stalled in one moment, one takes it up
        if new or Job.objects.filter(stalled, pk=job.pk).update(moved=timezone.now()):
            _set_going(job)
    return job


def stop(job: Job) -> None:
    """End the work after the piece that is being made; what is made stays."""
    Job.objects.filter(pk=job.pk).update(stopped=True)


def go_on(job: Job) -> None:
    """Take up work that was stopped, or that was refused."""
    now = timezone.now()
    if Job.objects.filter(Q(stopped=True) | ~Q(refused=""), pk=job.pk).update(
        stopped=False, refused="", moved=now, looked=now
    ):
        _set_going(job)


def do(job: Job) -> None:
    """Make piece after piece and keep each; ends early where the work was stopped or its table is gone."""
    made: list[Any] = []
    try:
        for piece in _doers[job.kind](job):
            made.append(piece)
            kept = Job.objects.filter(pk=job.pk, stopped=False, algorithm=job.algorithm).update(
                made=made, done=len(made), moved=timezone.now()
            )
            if not kept:
                return
        Job.objects.filter(pk=job.pk).update(of=len(made))
    except Left:
        # as what was interrupted: whoever looks next sets it going
        Job.objects.filter(pk=job.pk).update(moved=timezone.now() - 2 * STALLED)
    except NightTrailError as error:
        Job.objects.filter(pk=job.pk).update(refused=str(error)[:400])


def is_left(job: Job) -> bool:
    """Whether no page has waited for work for a while."""
    return not Job.objects.filter(pk=job.pk, looked__gte=timezone.now() - LEFT).exists()


@task()
def do_job(job_id: int) -> None:
    """Do what is left of a job: the one task of long work."""
    job = Job.objects.filter(pk=job_id).select_related("version").first()
    if job is not None and not (job.finished or job.stopped):
        do(job)


def _set_going(job: Job) -> None:
    do_job.enqueue(job.pk)
    job.refresh_from_db()
