"""Filters that put recipes on a page."""

from __future__ import annotations

import msgspec
from django import template

from night_trail.core.recipe import Step

register = template.Library()


@register.filter
def as_json(step: Step) -> str:
    """Return a step as the JSON a form posts; the template escapes it."""
    return msgspec.json.encode(step).decode()
