"""Markdown as safe markup."""

from __future__ import annotations

from functools import cache

import nh3
from django.utils.safestring import SafeString, mark_safe
from markdown_it import MarkdownIt

TAGS = {"p", "strong", "em", "ul", "ol", "li", "blockquote", "h3", "h4", "code", "pre", "br", "hr", "a"}


@cache
def _parser() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": False})


def prose(text: str) -> SafeString:
    """Return a text as markup: raw markup in it is shown, not obeyed; links only to the web and to mail."""
    raw = _parser().render(text)
    # a stop has its own heading, so those in its text start two levels lower
    raw = (
        raw.replace("<h1>", "<h3>")
        .replace("</h1>", "</h3>")
        .replace("<h2>", "<h4>")
        .replace("</h2>", "</h4>")
    )
    clean = nh3.clean(
        raw,
        tags=TAGS,
        attributes={"a": {"href", "title"}},
        url_schemes={"http", "https", "mailto"},
        link_rel="noopener noreferrer",
    )
    return mark_safe(clean)


def pace(text: str, heading: str) -> int:
    """Return how many seconds a walk by itself rests at a stop: 200 words a minute, 4 to 60 seconds.

    >>> pace("word " * 100, "Title")
    33
    """
    words = len(f"{heading} {text}".split())
    return round(min(60, max(4, 3 + words * 0.3)))
