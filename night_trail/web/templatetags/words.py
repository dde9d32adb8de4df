"""Filters that put values of the core and the drawing code on a page."""

from __future__ import annotations

from collections.abc import Iterable

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from night_trail.core.language.spans import Span
from night_trail.draw.frame.svg import Svg

register = template.Library()


@register.filter
def drawn(svg: object) -> str:
    """Return a picture as markup; only what the drawing code made and escaped is let through."""
    return mark_safe(svg) if isinstance(svg, Svg) else ""


@register.filter
def spans(parts: Iterable[Span]) -> SafeString:
    """Return words with their figures standing out."""
    return format_html_join("", "{}", ((_span(part),) for part in parts))


def _span(part: Span) -> str | SafeString:
    if part.role:
        tag = "strong" if part.role == "figure" else "span"
        return format_html(f'<{tag} class="{part.role}">{{}}</{tag}>', part.text)
    return part.text


@register.filter
def thousands(value: int) -> str:
    """Return a whole number with its thousands separated."""
    return f"{int(value):,}"
