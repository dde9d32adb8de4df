"""Invitations: how somebody gets an account."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

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

    @classmethod
    def make(cls, by: object) -> tuple[Invitation, str]:
        """Make an invitation and return it with its token, which cannot be had again."""
        token = secrets.token_urlsafe(24)
        return cls.objects.create(by=by, token_hash=hashed(token)), token

    @classmethod
    def open_by(cls, token: str) -> Invitation | None:
        """Return the invitation of a token where it still lets somebody in."""
        return cls.objects.filter(token_hash=hashed(token), used=None, ends__gt=timezone.now()).first()
