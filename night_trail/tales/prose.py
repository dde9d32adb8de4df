"""Markdown as safe markup, its bound figures as they read now."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache

import nh3
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe
from markdown_it import MarkdownIt
from markdown_it.token import Token

from night_trail.core.bound import Known

TAGS = {
    "p", "strong", "em", "ul", "ol", "li", "blockquote", "h3", "h4", "code", "pre", "br", "hr", "a", "span",
}  # fmt: skip
FIGURE = "figure:"
BOUND = {"class", "tabindex", "data-figure", "data-what", "data-was"}


@cache
def _parser() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": False})


def parsed(text: str) -> list[Token]:
    """Return a text as tokens of Markdown."""
    return _parser().parse(text)


def prose(text: str, figures: Iterable[Known] = (), source: str = "") -> SafeString:
    """Return a text as markup: raw markup in it is shown, not obeyed; links only to the web and to mail.

    Bound figures read as ``figures`` say now; ``source`` names the picture they come from.
    """
    now = {figure.id: figure for figure in figures}
    parser, tokens = _parser(), parsed(text)
    for token in tokens:
        # a stop has its own heading, so those in its text start two levels lower
        if token.type in ("heading_open", "heading_close"):
            token.tag = "h3" if token.tag == "h1" else "h4"
        if token.children:
            token.children = _with_figures(token.children, now, source)
    raw = parser.renderer.render(tokens, parser.options, {})
    clean = nh3.clean(
        raw,
        tags=TAGS,
        attributes={"a": {"href", "title"}, "span": BOUND},
        url_schemes={"http", "https", "mailto"},
        link_rel="noopener noreferrer",
    )
    return mark_safe(clean)


def _with_figures(tokens: list[Token], now: dict[str, Known], source: str) -> list[Token]:
    """Return inline tokens with each link to a figure as that figure."""
    made: list[Token] = []
    inside = ""
    said = ""
    for token in tokens:
        href = str(token.attrs.get("href", ""))
        if token.type == "link_open" and href.startswith(FIGURE):
            inside, said = href[len(FIGURE) :], ""
        elif inside and token.type == "link_close":
            shown = Token("html_inline", "", 0)
            shown.content = _figure(inside, said, now.get(inside), source)
            made.append(shown)
            inside = ""
        elif inside:
            said += token.content
        else:
            made.append(token)
    return made


def _figure(name: str, said: str, known: Known | None, source: str) -> str:
    if known is None:
        what = "This figure is not in the picture any more; it stands as it was written."
        return _span("gone", name, what, said, said)
    what = f"{known.label}, from {source}" if source else known.label
    if said == known.text:
        return _span("", name, what, said, said)
    return _span("follows", name, f"{what}; it was {said} when this was written", said, known.text)


def _span(kind: str, name: str, what: str, was: str, text: str) -> str:
    return str(
        format_html(
            '<span class="bound {}" tabindex="0" data-figure="{}" data-what="{}" data-was="{}">{}</span>',
            kind,
            name,
            what,
            was,
            text,
        )
    )


def pace(text: str, heading: str) -> int:
    """Return how many seconds a walk by itself rests at a stop: 200 words a minute, 4 to 60 seconds.

    >>> pace("word " * 100, "Title")
    33
    """
    words = len(f"{heading} {text}".split())
    return round(min(60, max(4, 3 + words * 0.3)))
