"""The one task of long work."""

from __future__ import annotations

from django_tasks import task

from night_trail.jobs.models import Job
from night_trail.jobs.work import do


@task()
def do_job(job_id: int) -> None:
    """Do what is left of a job."""
    job = Job.objects.filter(pk=job_id).select_related("version").first()
    if job is not None and not (job.finished or job.stopped):
        do(job)
