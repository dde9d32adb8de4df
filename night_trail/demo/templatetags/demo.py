"""Whether the demo's feed delivers into a table."""

from __future__ import annotations

from django import template
from django.contrib.auth.models import User

from night_trail.demo.feed import feeds
from night_trail.tables.models import Table

register = template.Library()


@register.simple_tag
def feed_of(table: Table, user: User) -> bool:
    """Return whether the next month can be asked for."""
    return feeds(table, user)
