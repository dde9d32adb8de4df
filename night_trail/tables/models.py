"""A table, its versions, the columns of a version in parts, and files on their way in."""

from __future__ import annotations

from typing import Any, TypeVar

import msgspec
from django.conf import settings
from django.db import models
from django.utils import timezone

from night_trail.core.errors import NightTrailError, NoLonger
from night_trail.core.places.plan import PlanPicture
from night_trail.core.reading import ReadingSettings, table_name
from night_trail.core.recipe import Step
from night_trail.core.recipe.steps import Lost
from night_trail.core.survey import Survey
from night_trail.core.table import Column
from night_trail.people.models import Owned, Share

Place = tuple[int, int, int | None, int | None]
"""Version and position of a column's cells, and of the map from rows to them, if any."""


K = TypeVar("K")


def kept(value: object, kind: type[K], what: str, label: str, way_on: str) -> K:
    """Return a value of the core from what a JSON field holds, or say that it cannot be read any more."""
    try:
        return msgspec.convert(value, kind)
    except (msgspec.MsgspecError, NightTrailError, RecursionError):
        raise NoLonger(f"This {what} cannot be read any more", label, way_on) from None


class Bundle(models.Model):
    """Files and sheets that arrived together; their tables may belong together."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="bundles")
    name = models.CharField(max_length=200)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created", "-id"]

    def __str__(self) -> str:
        return self.name


class Table(models.Model):
    """One imported data set; it exists only once a version of it is complete.

    ``current`` is the version that is looked at; taking back a step of the
    recipe goes back to an earlier one. ``measures`` are figures that were given
    a name, by that name; ``called`` is what its analysts call things in the word box.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tables")
    bundle = models.ForeignKey(Bundle, null=True, on_delete=models.SET_NULL, related_name="tables")
    current = models.ForeignKey("Version", null=True, on_delete=models.SET_NULL, related_name="+")
    name = models.CharField(max_length=200)
    noun_one = models.CharField(max_length=60, default="row")
    noun_many = models.CharField(max_length=60, default="rows")
    measures = models.JSONField(default=dict)
    called = models.JSONField(default=dict)
    created = models.DateTimeField(default=timezone.now)

    objects = Owned.as_manager()

    class Meta:
        ordering = ["-created", "-id"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="a name once for an owner")]

    def __str__(self) -> str:
        return self.name

    @property
    def latest(self) -> Version:
        """The version that is looked at, the newest unless steps were taken back."""
        return self.current or self.versions.order_by("-number")[0]


class Favourite(models.Model):
    """Words that somebody likes to ask again of a table."""

    table = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="favourites")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="favourites")
    words = models.CharField(max_length=500)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created", "-id"]
        constraints = [models.UniqueConstraint(fields=["table", "person", "words"], name="a favourite once")]

    def __str__(self) -> str:
        return self.words


class TableShare(Share):
    """What somebody may do with a table of another's: start trails of their own on it, or see it."""

    thing = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="shares")

    class Meta(Share.Meta):
        constraints = [models.UniqueConstraint(fields=["thing", "person"], name="a table is shared once")]


class SourceFile(models.Model):
    """A file as it arrived, kept in pieces so that it can be read again with other settings."""

    name = models.CharField(max_length=255)
    created = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return self.name


class Version(models.Model):
    """The rows of a table as they were at one time; never changed. Without a table it is not complete.

    A version that was read from a file has a ``source_file`` and was read with
    ``settings``; one that a recipe made has a ``base``, the version it began
    from. One that is ``attached``, or made from one that is, holds a part of
    rows that stay where they are. ``places`` says where each column is kept, as [version, position,
    version of a row map, its position]: a recipe copies nothing that it left
    alone. It is empty where every column is this version's own.
    """

    table = models.ForeignKey(Table, null=True, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField(default=1)
    height = models.PositiveBigIntegerField(default=0)
    columns = models.JSONField(default=list)
    survey = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    base = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="derived")
    recipe = models.JSONField(default=list)
    places = models.JSONField(default=list)
    complaints = models.JSONField(default=list)
    source_file = models.ForeignKey(SourceFile, null=True, on_delete=models.SET_NULL, related_name="versions")
    part = models.CharField(max_length=300, blank=True, default="")
    settings = models.JSONField(default=dict)
    understood = models.JSONField(default=dict)
    attached = models.JSONField(default=dict)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"{self.table} · version {self.number}"

    def column_list(self) -> list[Column]:
        """Return what is known of each column, in order."""
        return msgspec.convert(self.columns, list[Column])

    def steps(self) -> tuple[Step, ...]:
        """Return the recipe that made this version from its base."""
        return tuple(_step(raw) for raw in self.recipe)

    def settings_value(self) -> ReadingSettings:
        """Return the settings the file was read with."""
        root = self.base or self
        return kept(root.settings, ReadingSettings, "way of reading", root.part, "Bring the file again.")

    def place_list(self) -> list[Place]:
        """Return where each column is kept."""
        if self.places:
            return [tuple(place) for place in self.places]
        return [(self.pk, position, None, None) for position in range(len(self.columns))]

    def survey_value(self) -> Survey:
        """Return the survey made when this version was read."""
        return kept(self.survey, Survey, "survey", str(self), "Read the file again.")

    @staticmethod
    def as_json(value: Any) -> Any:
        """Return a value of the core as what a JSON field holds."""
        # through JSON, so that it equals what is read back: lists where the core has tuples
        return msgspec.json.decode(msgspec.json.encode(value))


def _step(raw: object) -> Step:
    try:
        found: Step = msgspec.convert(raw, Step)
    except (msgspec.MsgspecError, NightTrailError, RecursionError):
        return Lost(msgspec.json.encode(raw).decode())
    return found


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


class Database(models.Model):
    """How somebody reaches a database on a server: ``server`` is its host and port, ``secret`` is locked."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="databases")
    name = models.CharField(max_length=100)
    server = models.CharField(max_length=300)
    database = models.CharField(max_length=100)
    user = models.CharField(max_length=100)
    secret = models.TextField()
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="a database's name once for an owner")
        ]

    def __str__(self) -> str:
        return self.name


class RolledUp(models.Model):
    """What an engine told of all rows of an attached version: cells, kept by what was asked of them."""

    version = models.ForeignKey(Version, on_delete=models.CASCADE, related_name="rolled_up")
    key = models.CharField(max_length=40)
    data = models.BinaryField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["version", "key"], name="cells once for a version")]

    def __str__(self) -> str:
        return f"cells {self.key} of {self.version}"


class SourcePart(models.Model):
    """A piece of a file as it arrived."""

    file = models.ForeignKey(SourceFile, on_delete=models.CASCADE, related_name="parts")
    part = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["file", "part"], name="a piece of a file once")]

    def __str__(self) -> str:
        return f"piece {self.part}"


class Arrival(models.Model):
    """A file on its way in: how far it is, and what became of it."""

    class State(models.TextChoices):
        """What an arrival is doing."""

        PREVIEW = "preview"
        WAITING = "waiting"
        READING = "reading"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    class Behind(models.TextChoices):
        """Where the rows of a delivery are put: in place of those that are there, or behind them."""

        INSTEAD = ""
        ALL = "all"
        NEW = "new"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="arrivals")
    bundle = models.ForeignKey(Bundle, null=True, on_delete=models.CASCADE, related_name="arrivals")
    into = models.ForeignKey(Table, null=True, on_delete=models.CASCADE, related_name="deliveries")
    behind = models.CharField(max_length=3, choices=Behind, blank=True, default=Behind.INSTEAD)
    by_itself = models.BooleanField(default=False)
    wanted = models.BooleanField(default=True)
    part = models.CharField(max_length=300, blank=True, default="")
    settings = models.JSONField(default=dict)
    remedies = models.JSONField(default=list)
    attached = models.JSONField(default=dict)
    file_name = models.CharField(max_length=255)
    path = models.CharField(max_length=500)
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    said = models.CharField(max_length=400, default="Waiting to be read.")
    cancelled = models.BooleanField(default=False)
    version = models.ForeignKey(Version, null=True, on_delete=models.SET_NULL)
    table = models.ForeignKey(Table, null=True, on_delete=models.SET_NULL)
    source_file = models.ForeignKey(SourceFile, null=True, on_delete=models.SET_NULL, related_name="arrivals")
    started = models.FloatField(default=0.0)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.file_name} ({self.state})"

    @property
    def finished(self) -> bool:
        """Whether nothing more will happen."""
        return self.state not in (self.State.WAITING, self.State.READING, self.State.PREVIEW)

    @property
    def title(self) -> str:
        """What the table would be called."""
        return table_name(self.file_name, self.part)

    def remedy_steps(self) -> tuple[Step, ...]:
        """Return the remedies that are taken as soon as it is read."""
        return kept(self.remedies, tuple[Step, ...], "list of remedies", self.title, "Bring the file again.")

    def settings_value(self) -> ReadingSettings:
        """Return what was decided by hand about reading it."""
        return kept(self.settings, ReadingSettings, "way of reading", self.title, "Bring the file again.")


class OwnPlan(models.Model):
    """A plan of a table's own: its picture, drawn anew from a file. It never changes."""

    table = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="own_plans")
    key = models.CharField(max_length=40)
    data = models.BinaryField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["table", "key"], name="plans once for a table")]

    def __str__(self) -> str:
        return f"plan {self.key} of {self.table}"

    def picture(self) -> PlanPicture:
        """Return its picture."""
        return msgspec.json.decode(bytes(self.data), type=PlanPicture)


class Placing(models.Model):
    """Where the groups of a column stand on a plan, as shares of it from its left and its top.

    One that is a ``draft`` is being worked on; the others never change, and questions name their ``key``.
    """

    plan = models.ForeignKey(OwnPlan, on_delete=models.CASCADE, related_name="placings")
    column = models.CharField(max_length=200)
    key = models.CharField(max_length=40, blank=True, db_index=True)
    draft = models.BooleanField(default=False)
    places = models.JSONField(default=dict)
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["plan", "column"], condition=models.Q(draft=True), name="one draft of a column"
            )
        ]

    def __str__(self) -> str:
        return f"{self.column} on {self.plan}"


class OwnAreas(models.Model):
    """Areas of a table's own, read from a GeoJSON file; they never change. Questions name their ``key``."""

    table = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="own_areas")
    key = models.CharField(max_length=40)
    data = models.BinaryField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["table", "key"], name="areas once for a table")]

    def __str__(self) -> str:
        return f"areas {self.key} of {self.table}"
