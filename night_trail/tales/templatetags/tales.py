"""What pages beside the tales say of them."""

from __future__ import annotations

from typing import Any

from django import template
from django.contrib.auth.models import User

from night_trail.core.outside import brought
from night_trail.tales.following import tales_behind
from night_trail.tales.models import Tale
from night_trail.trails.models import Trail

register = template.Library()


@register.simple_tag
def tales_of(user: User) -> list[Tale]:
    """Return a person's newest tales, those a cairn may be put into."""
    return list(Tale.objects.filter(owner=user)[:12])


@register.simple_tag
def brought_exports() -> tuple[Any, ...]:
    """Return the forms in which installed packages take a tale along."""
    return brought("night_trail.exports")


@register.simple_tag(name="tales_behind")
def behind(user: User, trail: Trail) -> list[dict[str, Any]]:
    """Return a person's tales that stand on the trail that this one was walked from."""
    return tales_behind(user, trail)
