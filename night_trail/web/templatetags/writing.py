"""What a form saw of the fields it writes."""

from __future__ import annotations

from django import template
from django.db.models import Model
from django.utils.safestring import SafeString

from night_trail.web.writing import stamps

register = template.Library()


@register.simple_tag
def saw(thing: Model, *fields: str) -> SafeString:
    """Return hidden inputs that say what stood in these fields when the form was made."""
    return stamps(thing, fields)
