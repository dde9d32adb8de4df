"""How a page asks: with scripts a part of it is swapped, without them whole pages follow each other."""

from __future__ import annotations

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

register = template.Library()


@register.simple_tag
def posts(name: str, *args: object) -> SafeString:
    """Return the attributes of a form that leads on to another desk."""
    return format_html(
        'method="post" action="{0}" hx-post="{0}" hx-target="#desk" hx-swap="outerMorph"',
        reverse(name, args=args),
    )


@register.simple_tag
def opens(name: str, *args: object, **asked: str) -> SafeString:
    """Return the attributes of a button that opens a list: over the desk, or as a page of its own.

    One thing can be asked besides: it is the button's own name and value.
    """
    (key, value), *_ = [*asked.items(), ("", "")]
    own = format_html(' name="{}" value="{}"', key, value) if key else ""
    query = f"?{key}={value}" if key else ""
    return format_html(
        'form="plain" formaction="{0}"{1} hx-get="{0}{2}" hx-target="#popover" hx-swap="innerHTML" '
        'aria-haspopup="dialog" aria-expanded="false"',
        reverse(name, args=args),
        own,
        query,
    )
