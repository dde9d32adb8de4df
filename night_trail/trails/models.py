"""A trail, its steps, and the cairns left at them."""

from __future__ import annotations

from typing import Any, Self, cast

from django.conf import settings
from django.db import models
from django.utils import timezone

from night_trail.core.annotations import Annotation
from night_trail.core.claims.claim import Claim
from night_trail.core.errors import NightTrailError
from night_trail.core.overview import Overview
from night_trail.core.question import Scene
from night_trail.people.models import Owned, Role, Share
from night_trail.tables.models import Table, TableShare, Version, kept


class Trails(Owned):
    """Trails, by who may see them."""

    def visible_to(self, person: Any, role: Role = Role.READ) -> Self:
        """Return the trails that a person owns, or was given a role for.

        A trail shows rows: it is closed to everybody once its owner may not see
        the table any more.
        """
        explores = TableShare.objects.filter(
            thing=models.OuterRef("version__table"), person=models.OuterRef("owner"), role=Role.EXPLORE
        )
        open_still = models.Q(version__table__owner=models.F("owner")) | models.Exists(explores)
        return super().visible_to(person, role).filter(open_still)

    def _plainly(self, person: Any, thing: Any) -> bool:
        table = thing.version.table
        return table is not None and super()._plainly(person, thing) and super()._plainly(person, table)


class Trail(models.Model):
    """One exploration of one version of a table."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="trails")
    version = models.ForeignKey(Version, on_delete=models.CASCADE, related_name="trails")
    title = models.CharField(max_length=200)
    created = models.DateTimeField(default=timezone.now)
    walked_from = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="rewalks")
    names = models.JSONField(default=dict)
    """How columns of the trail it was walked from are called on these rows."""

    lost = models.JSONField(default=list)
    """Steps of the trail it was walked from that these rows do not have any more: label and reason."""

    objects = Trails.as_manager()

    class Meta:
        ordering = ["-created", "-id"]

    def __str__(self) -> str:
        return self.title


class TrailShare(Share):
    """What somebody may do with a trail of another's: take turns and leave cairns, or look at it."""

    thing = models.ForeignKey(Trail, on_delete=models.CASCADE, related_name="shares")

    class Meta(Share.Meta):
        constraints = [models.UniqueConstraint(fields=["thing", "person"], name="a trail is shared once")]


class Step(models.Model):
    """A scene that was once on the desk. Steps never change, so what is drawn of them can be kept."""

    trail = models.ForeignKey(Trail, on_delete=models.CASCADE, related_name="steps")
    parent = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="children")
    scene = models.JSONField()
    scene_key = models.CharField(max_length=40)
    label = models.CharField(max_length=300)
    created = models.DateTimeField(default=timezone.now)
    passing = models.BooleanField(default=False)
    """Whether it was one stop of a zoom that went on: left out of the way unless something grew from it."""

    walked_from = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="rewalks")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["parent", "scene_key"], name="a turn makes one child of a step")
        ]

    def __str__(self) -> str:
        return self.label

    def scene_value(self) -> Scene:
        """Return the scene of this step."""
        return kept(self.scene, Scene, "step", self.label, "Go on from an earlier one.")

    def is_pictured(self) -> bool:
        """Whether there is a picture at this step that can be read."""
        try:
            return self.scene_value().main is not None
        except NightTrailError:
            return False

    def annotation_values(self) -> tuple[Annotation, ...]:
        """Return the annotations of the cairn at this step, none where there is no cairn."""
        cairn = getattr(self, "cairn", None)
        return cairn.annotation_values() if cairn else ()


class Annotated(models.Model):
    """Whatever carries annotations of a picture, and what it claims.

    ``verdict`` is what became of the claim when it was made or last agreed to:
    its state, its figure, and both in words.
    """

    annotations = models.JSONField(default=list)
    claim = models.JSONField(null=True, default=None)
    verdict = models.JSONField(null=True, default=None)

    class Meta:
        abstract = True

    def annotation_values(self) -> tuple[Annotation, ...]:
        """Return the annotations on its picture."""
        return annotations_from(self.annotations)

    def claim_value(self) -> Claim | None:
        """Return what it claims; None of what claims nothing."""
        if self.claim is None:
            return None
        found: Claim = kept(self.claim, cast(Any, Claim), "claim", "", "Take it away and claim it anew.")
        return found


class Cairn(Annotated):
    """A finding left at a step."""

    step = models.OneToOneField(Step, on_delete=models.CASCADE, related_name="cairn")
    title = models.CharField(max_length=200)
    note = models.TextField(blank=True, max_length=4000)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["created"]

    def __str__(self) -> str:
        return self.title


class Taste(models.Model):
    """What somebody made of a picture that was proposed: useful, or not for them."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tastes")
    table = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="tastes")
    question = models.JSONField()
    question_key = models.CharField(max_length=20)
    useful = models.BooleanField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-made"]
        constraints = [
            models.UniqueConstraint(fields=["person", "table", "question_key"], name="one_taste_a_question")
        ]

    def __str__(self) -> str:
        return f"{'useful' if self.useful else 'not for'} {self.person}"


class StartingPoint(models.Model):
    """A scene or an overview kept by name with its table, to be turned from; it never changes itself."""

    table = models.ForeignKey(Table, on_delete=models.CASCADE, related_name="starting_points")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=100)
    scene = models.JSONField(null=True, default=None)
    overview = models.JSONField(null=True, default=None)
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name", "id"]
        constraints = [models.UniqueConstraint(fields=["table", "name"], name="a starting point a name")]

    def __str__(self) -> str:
        return self.name

    def scene_value(self) -> Scene | None:
        """Return its scene; None of an overview."""
        if self.scene is None:
            return None
        return kept(self.scene, Scene, "starting point", self.name, "Keep it anew.")

    def overview_value(self) -> Overview | None:
        """Return its overview; None of a scene."""
        if self.overview is None:
            return None
        return kept(self.overview, Overview, "starting point", self.name, "Keep it anew.")


def annotations_from(stored: list[object]) -> tuple[Annotation, ...]:
    """Return annotations from what a JSON field holds."""
    return kept(
        stored, tuple[Annotation, ...], "set of annotations", "", "Take the cairn away and leave it anew."
    )
