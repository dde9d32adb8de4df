"""A tale, its stops, and the links that open it to readers."""

from __future__ import annotations

import secrets
from datetime import datetime
from typing import Any

from django.conf import settings
from django.contrib.auth.hashers import check_password, make_password
from django.db import models
from django.utils import timezone

from night_trail.core.annotations import Annotation
from night_trail.core.beats import Beat
from night_trail.core.errors import NoLonger
from night_trail.core.overview import Overview
from night_trail.core.question import Scene
from night_trail.people.models import Owned, Share, hashed
from night_trail.tables.models import kept
from night_trail.trails.models import Annotated, Step, Trail

FREE_TRIES, LONGEST_WAIT = 8, 300.0
"""So many wrong passwords of a link cost no waiting; the longest wait, in seconds."""


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


class Image(models.Model):
    """An image of a writer's own, written anew from the file that was brought; width and height in pixels."""

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="images")
    data = models.BinaryField()
    kind = models.CharField(max_length=20)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"image {self.pk} of {self.tale}"


class Stop(Annotated):
    """A heading, a text, and a picture or none.

    The picture is a step, which never changes; its annotations and its claim are
    copied from the cairn, so that the tale says what its writer saw even if the
    cairn goes. ``scene`` is what the writer made of the picture here, None where
    it stands as on the trail; ``beats`` lead it part by part. ``beside`` is a
    second step, set side by side, ``image`` one of the writer's own, beside the picture or
    instead of one. ``large`` names a figure of the picture that is shown large instead of it; an
    ``overview`` shows several pictures of the step's rows; a ``frozen`` stop does not follow new
    rows. ``chips`` are columns a reader may narrow its picture by; ``notes`` are what its writer
    says when presenting, never shown to readers.
    """

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="stops")
    position = models.PositiveIntegerField()
    step = models.ForeignKey(Step, null=True, on_delete=models.CASCADE, related_name="stops")
    heading = models.CharField(max_length=200)
    text = models.TextField(blank=True, max_length=20_000)
    chapter = models.CharField(max_length=200, blank=True, default="")
    scene = models.JSONField(null=True, default=None)
    beats = models.JSONField(default=list)
    beside = models.ForeignKey(Step, null=True, on_delete=models.SET_NULL, related_name="+")
    large = models.CharField(max_length=8, blank=True, default="")
    overview = models.JSONField(null=True, default=None)
    frozen = models.BooleanField(default=False)
    image = models.ForeignKey(Image, null=True, on_delete=models.SET_NULL, related_name="+")
    image_alt = models.CharField(max_length=400, blank=True, default="")
    chips = models.JSONField(default=list)
    notes = models.TextField(blank=True, max_length=8_000, default="")

    class Meta:
        ordering = ["position", "id"]

    def __str__(self) -> str:
        return self.heading

    def shown_scene(self, beat: int = 0) -> Scene:
        """Return the scene of its picture, while the tale's owner may see the trail it comes from.

        ``beat`` is counted from 1; 0 is the picture without beats.

        Raises
        ------
        NoLonger
            Where there is none, it cannot be read, or it is closed to the tale's owner.
        """
        if self.step is None or not self._open(self.step):
            raise NoLonger("This picture cannot be shown any more", "", "Its trail was closed.")
        if beat and (beats := self.beat_values()):
            return beats[min(beat, len(beats)) - 1].scene
        if self.scene is not None:
            return kept(self.scene, Scene, "picture", self.heading, "Take it from its step again.")
        return self.step.scene_value()

    def scene_beside(self) -> Scene:
        """Return the scene that stands side by side with its picture; refused as the picture is."""
        if self.beside is None or not self._open(self.beside):
            raise NoLonger("This picture cannot be shown any more", "", "Its trail was closed.")
        return self.beside.scene_value()

    def _open(self, step: Step) -> bool:
        return Trail.objects.visible_to(self.tale.owner_id).filter(pk=step.trail_id).exists()

    def overview_value(self) -> Overview | None:
        """Return its overview; None where it shows one picture, or none."""
        if self.overview is None:
            return None
        if self.step is None or not self._open(self.step):
            raise NoLonger("This overview cannot be shown any more", "", "Its trail was closed.")
        return kept(self.overview, Overview, "overview", self.heading, "Draft it anew.")

    def beat_values(self) -> tuple[Beat, ...]:
        """Return the parts its picture is led by."""
        return kept(self.beats, tuple[Beat, ...], "list of beats", self.heading, "Take the beats away.")

    def seen_annotations(self, beat: int = 0) -> tuple[Annotation, ...]:
        """Return the annotations that are seen with a beat, or all."""
        everything = self.annotation_values()
        beats = self.beat_values() if beat else ()
        if not beats:
            return everything
        hidden = set(beats[min(beat, len(beats)) - 1].hidden)
        return tuple(one for one in everything if one.id not in hidden)


class Link(models.Model):
    """A way in for readers. Only a hash of its token is kept: a copy of the database opens nothing."""

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="links")
    token_hash = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(default=timezone.now)
    revoked = models.DateTimeField(null=True)
    explores = models.BooleanField(default=False)
    expires = models.DateTimeField(null=True)
    password = models.CharField(max_length=200, blank=True, default="")
    opened = models.PositiveIntegerField(default=0)
    last_opened = models.DateField(null=True)
    sites = models.TextField(blank=True, default="")
    failed = models.PositiveIntegerField(default=0)
    failed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"link to {self.tale}"

    @classmethod
    def make(
        cls, tale: Tale, explores: bool = False, expires: datetime | None = None, password: str = ""
    ) -> tuple[Link, str]:
        """Make a link and return it with its token, which cannot be had again.

        Of a password a slow hash is kept.
        """
        token = secrets.token_urlsafe(24)
        made = cls.objects.create(
            tale=tale,
            token_hash=hashed(token),
            explores=explores,
            expires=expires,
            password=make_password(password) if password else "",
        )
        return made, token

    @classmethod
    def open_by(cls, token: str) -> Link | None:
        """Return the link of a token while it lets somebody in: not revoked, its time not over."""
        open_still = models.Q(expires=None) | models.Q(expires__gt=timezone.now())
        found = cls.objects.filter(open_still, token_hash=hashed(token), revoked=None)
        return found.select_related("tale").first()

    def waits(self) -> float:
        """Return the seconds until its password may be tried again: longer with each that was wrong."""
        if self.failed < FREE_TRIES or self.failed_at is None:
            return 0.0
        pause = min(2.0 ** (self.failed - FREE_TRIES), LONGEST_WAIT)
        return max(0.0, pause - (timezone.now() - self.failed_at).total_seconds())

    def try_password(self, password: str) -> bool:
        """Whether this is its password; a wrong one is counted."""
        mine = type(self).objects.filter(pk=self.pk)
        if check_password(password, self.password):
            mine.update(failed=0)
            return True
        mine.update(failed=models.F("failed") + 1, failed_at=timezone.now())
        return False

    def count_opening(self) -> None:
        """Count that the tale was opened by this link; of whom nothing is kept."""
        now = timezone.now().date()
        type(self).objects.filter(pk=self.pk).update(opened=models.F("opened") + 1, last_opened=now)


class Edition(models.Model):
    """A tale as it stood before its stops went over to newer rows.

    ``stops`` holds their fields, ``said`` what became of the claims when they went over.
    """

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="editions")
    number = models.PositiveIntegerField()
    stops = models.JSONField(default=list)
    said = models.CharField(max_length=400)
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["tale", "number"], name="an edition once")]

    def __str__(self) -> str:
        return f"{self.tale}, edition {self.number}"


class Deed(models.Model):
    """What somebody did to the stops of a tale, so that it can be undone and done again.

    ``before`` and ``after`` hold for each stop that was touched its fields, or None
    where it was not there.
    """

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="deeds")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    said = models.CharField(max_length=200)
    before = models.JSONField(default=dict)
    after = models.JSONField(default=dict)
    undone = models.BooleanField(default=False)
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.said


class Comment(models.Model):
    """What a reader says of a stop, or of a place of its picture.

    ``x`` and ``y`` are shares of the picture's width and height, None where the whole stop is
    meant. A guest who came by a link has no account but a name; ``thread`` is what is answered.
    While its stop is taken out it is seen nowhere; ``stop_was`` says to which one it comes back.
    """

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="comments")
    stop = models.ForeignKey(Stop, null=True, on_delete=models.SET_NULL, related_name="comments")
    stop_was = models.PositiveBigIntegerField()
    thread = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="answers")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    link = models.ForeignKey(Link, null=True, on_delete=models.SET_NULL, related_name="comments")
    name = models.CharField(max_length=80)
    text = models.TextField(max_length=4_000)
    x = models.FloatField(null=True)
    y = models.FloatField(null=True)
    made = models.DateTimeField(default=timezone.now)
    settled = models.BooleanField(default=False)
    hidden = models.BooleanField(default=False)

    class Meta:
        ordering = ["made", "id"]

    def __str__(self) -> str:
        return f"{self.name}: {self.text[:60]}"

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Keep which stop it is of, and of which tale."""
        if self.stop is not None:
            self.tale, self.stop_was = self.stop.tale, self.stop.pk
        super().save(*args, **kwargs)


class Look(models.Model):
    """When somebody last looked at what was said of a tale."""

    tale = models.ForeignKey(Tale, on_delete=models.CASCADE, related_name="looks")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["tale", "person"], name="one look a person")]

    def __str__(self) -> str:
        return f"{self.person} at {self.tale}"
