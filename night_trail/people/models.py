"""Invitations, by which somebody gets an account, and shares, by which somebody gets at another's things."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from typing import Any, Self

from django.conf import settings
from django.db import models
from django.utils import timezone

INVITATION_LASTS = timedelta(days=7)


def hashed(token: str) -> str:
    """Return what is kept of a token: a copy of the database opens nothing."""
    return hashlib.sha256(token.encode()).hexdigest()


def _ends() -> object:
    return timezone.now() + INVITATION_LASTS


class Invitation(models.Model):
    """A way in for one new person, once. Only a hash of its token is kept."""

    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="invitations"
    )
    token_hash = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(default=timezone.now)
    ends = models.DateTimeField(default=_ends)
    used = models.OneToOneField(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="invitation"
    )

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"invitation of {self.created:%Y-%m-%d}"

    @property
    def over(self) -> bool:
        """Whether its time is over."""
        return self.ends < timezone.now()

    @classmethod
    def make(cls, by: object) -> tuple[Invitation, str]:
        """Make an invitation and return it with its token, which cannot be had again."""
        token = secrets.token_urlsafe(24)
        return cls.objects.create(by=by, token_hash=hashed(token)), token

    @classmethod
    def open_by(cls, token: str) -> Invitation | None:
        """Return the invitation of a token where it still lets somebody in."""
        return cls.objects.filter(token_hash=hashed(token), used=None, ends__gt=timezone.now()).first()


class Role(models.TextChoices):
    """What somebody may do with what another owns."""

    EXPLORE = "explore", "may explore"
    READ = "read", "may read"

    @property
    def granted_by(self) -> tuple[Role, ...]:
        """Return the roles that hold this one."""
        return (Role.EXPLORE,) if self is Role.EXPLORE else (Role.EXPLORE, Role.READ)


class Share(models.Model):
    """A role that the owner of a thing gave to somebody; each kind of thing has its own."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.READ)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        abstract = True
        ordering = ["created"]

    def __str__(self) -> str:
        return f"{self.person} {self.get_role_display()}"


class Owned(models.QuerySet[Any]):
    """Things that have an owner and shares, by who may see them."""

    def visible_to(self, person: Any, role: Role = Role.READ) -> Self:
        """Return the things that a person owns, or was given a role for."""
        shares = self.model._meta.get_field("shares").related_model
        shared = shares._default_manager.filter(person=person, role__in=role.granted_by)
        return self.filter(models.Q(owner=person) | models.Q(pk__in=shared.values("thing")))

    def sees(self, person: Any, thing: Any, role: Role = Role.READ) -> bool:
        """Whether a person may see a thing that is at hand: its owner may, and the database is not asked."""
        return self._plainly(person, thing) or self.visible_to(person, role).filter(pk=thing.pk).exists()

    def _plainly(self, person: Any, thing: Any) -> bool:
        """Whether ``visible_to`` holds for every role by the thing itself."""
        owned: bool = thing.owner_id == person.pk
        return owned


class Letter(models.Model):
    """A letter that would be sent, were there mail: it lies in the outbox of whom it is for."""

    to = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="letters")
    subject = models.CharField(max_length=200)
    text = models.TextField(max_length=6_000)
    address = models.CharField(max_length=300, blank=True, default="")
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-made", "-id"]

    def __str__(self) -> str:
        return self.subject
