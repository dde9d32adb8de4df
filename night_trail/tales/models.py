"""A tale, its stops, and the links that open it to readers."""

from __future__ import annotations

import secrets

from django.conf import settings
from django.db import models
from django.utils import timezone

from night_trail.core.errors import NoLonger
from night_trail.core.question import Scene
from night_trail.people.models import Owned, Share, hashed
from night_trail.trails.models import Annotated, Step, Trail


class Tale(models.Model):
    """An ordered narrative."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tales")
    title = models.CharField(max_length=200)
    created = models.DateTimeField(default=timezone.now)
    least_lit = models.PositiveIntegerField(default=0)
    """So many rows at least a reader's lantern has to hold: of fewer no count is told."""

    objects = Owned.as_manager()

    class Meta:
        ordering = ["-created", "-id"]

    def __str__(self) -> str:
        return self.title


class TaleShare(Share):
    """What somebody may do with a tale of another's: write on it, or walk it."""

    thing = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="shares")

    class Meta(Share.Meta):
        constraints = [models.UniqueConstraint(fields=["thing", "person"], name="a tale is shared once")]


class Stop(Annotated):
    """A heading, a text, and a picture or none.

    The picture is a step, which never changes; its annotations are copied from
    the cairn, so that the tale says what its writer saw even if the cairn goes.
    """

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="stops")
    position = models.PositiveIntegerField()
    step = models.ForeignKey(Step, null=True, on_delete=models.CASCADE, related_name="stops")
    heading = models.CharField(max_length=200)
    text = models.TextField(blank=True, max_length=20_000)

    class Meta:
        ordering = ["position", "id"]

    def __str__(self) -> str:
        return self.heading

    def shown_scene(self) -> Scene:
        """Return the scene of its picture, while the tale's owner may see the trail it comes from.

        Raises
        ------
        NoLonger
            Where there is none, it cannot be read, or it is closed to the tale's owner.
        """
        if self.step is None or not Trail.objects.visible_to(self.tale.owner_id).filter(
            pk=self.step.trail_id
        ):
            raise NoLonger("This picture cannot be shown any more", "", "Its trail was closed.")
        return self.step.scene_value()


class Link(models.Model):
    """A way in for readers. Only a hash of its token is kept: a copy of the database opens nothing."""

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="links")
    token_hash = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(default=timezone.now)
    revoked = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"link to {self.tale}"

    @classmethod
    def make(cls, tale: Tale) -> tuple[Link, str]:
        """Make a link and return it with its token, which cannot be had again."""
        token = secrets.token_urlsafe(24)
        return cls.objects.create(tale=tale, token_hash=hashed(token)), token
