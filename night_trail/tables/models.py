"""A table, its versions, the columns of a version in parts, and files on their way in."""

from __future__ import annotations

from typing import Any

import msgspec
from django.conf import settings
from django.db import models
from django.utils import timezone

from night_trail.core.survey import Survey
from night_trail.core.table import Column


class Table(models.Model):
    """One imported data set; it exists only once a version of it is complete."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tables")
    name = models.CharField(max_length=200)
    noun_one = models.CharField(max_length=60, default="row")
    noun_many = models.CharField(max_length=60, default="rows")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created", "-id"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="a name once for an owner")]

    def __str__(self) -> str:
        return self.name

    @property
    def latest(self) -> Version:
        """The newest complete version."""
        return self.versions.order_by("-number")[0]


class Version(models.Model):
    """The rows of a table as they once arrived; never changed. Without a table it is not complete."""

    table = models.ForeignKey(Table, null=True, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField(default=1)
    height = models.PositiveBigIntegerField(default=0)
    columns = models.JSONField(default=list)
    survey = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"{self.table} · version {self.number}"

    def column_list(self) -> list[Column]:
        """Return what is known of each column, in order."""
        return msgspec.convert(self.columns, list[Column])

    def survey_value(self) -> Survey:
        """Return the survey made when this version was read."""
        return msgspec.convert(self.survey, Survey)

    @staticmethod
    def as_json(value: Any) -> Any:
        """Return a value of the core as what a JSON field holds."""
        return msgspec.to_builtins(value)


class ColumnPart(models.Model):
    """At most 250,000 cells of one column, as an Arrow stream compressed with zstd."""

    version = models.ForeignKey(Version, on_delete=models.CASCADE, related_name="parts")
    position = models.PositiveIntegerField()
    part = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["version", "position", "part"], name="a part of a column once")
        ]

    def __str__(self) -> str:
        return f"column {self.position}, part {self.part}"


class SourcePart(models.Model):
    """A piece of the file as it arrived, kept so that it can be read again with other settings."""

    version = models.ForeignKey(Version, on_delete=models.CASCADE, related_name="source_parts")
    part = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["version", "part"], name="a piece of a file once")]

    def __str__(self) -> str:
        return f"piece {self.part}"


class Arrival(models.Model):
    """A file on its way in: how far it is, and what became of it."""

    class State(models.TextChoices):
        """What an arrival is doing."""

        WAITING = "waiting"
        READING = "reading"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="arrivals")
    file_name = models.CharField(max_length=255)
    path = models.CharField(max_length=500)
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    said = models.CharField(max_length=400, default="Waiting to be read.")
    cancelled = models.BooleanField(default=False)
    version = models.ForeignKey(Version, null=True, on_delete=models.SET_NULL)
    table = models.ForeignKey(Table, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.file_name} ({self.state})"

    @property
    def finished(self) -> bool:
        """Whether nothing more will happen."""
        return self.state not in (self.State.WAITING, self.State.READING)
