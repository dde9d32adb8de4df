"""The one table of long work on a version of a table."""

from __future__ import annotations

from django.db import models
from django.utils import timezone

from night_trail.tables.models import Version


class Job(models.Model):
    """What was asked of a version, and the pieces that are made of it.

    ``kind`` names who does it, ``algorithm`` by which edition: pieces of
    another edition are made anew. ``looked`` is when a page last waited for it.
    """

    kind = models.CharField(max_length=40)
    algorithm = models.PositiveIntegerField(default=1)
    version = models.ForeignKey(Version, on_delete=models.CASCADE, related_name="jobs")
    key = models.CharField(max_length=40)
    asked = models.JSONField()
    made = models.JSONField(default=list)
    done = models.PositiveIntegerField(default=0)
    of = models.PositiveIntegerField(default=0)
    stopped = models.BooleanField(default=False)
    refused = models.CharField(max_length=400, blank=True, default="")
    moved = models.DateTimeField(default=timezone.now)
    looked = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["kind", "version", "key"], name="work is done once for a version")
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.done} of {self.of}"

    @property
    def finished(self) -> bool:
        """Whether all pieces are made."""
        return self.done >= self.of
