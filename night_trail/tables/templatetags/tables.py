"""Filters that put recipes on a page."""

from __future__ import annotations

import msgspec
from django import template

from night_trail.core.questions.spread.sentence import example
from night_trail.core.recipe import Step
from night_trail.tables.models import Table

register = template.Library()


@register.filter
def as_json(step: Step) -> str:
    """Return a step as the JSON a form posts; the template escapes it."""
    return msgspec.json.encode(step).decode()


@register.filter
def said_like(table: Table) -> str:
    """Return words that the word box of this table understands, short enough to stand in it."""
    words = example(table.latest.column_list())
    return words if len(words) <= 40 else words[:39].rstrip() + "…"
