"""What pages beside the tales say of them."""

from __future__ import annotations

from django import template
from django.contrib.auth.models import User

from night_trail.tales.models import Tale

register = template.Library()


@register.simple_tag
def tales_of(user: User) -> list[Tale]:
    """Return a person's newest tales, those a cairn may be put into."""
    return list(Tale.objects.filter(owner=user)[:12])
