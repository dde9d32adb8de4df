"""SVG as text: every attribute and every text is escaped here and nowhere else."""

from __future__ import annotations

import hashlib
import re
from functools import lru_cache
from html import escape

_is_plain = re.compile("[A-Za-z0-9_.-]{1,24}").fullmatch
_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_needs_escaping = re.compile("[&<>\"'\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]").search


class Svg(str):
    """Markup that is already escaped."""

    __slots__ = ()


def text(content: str) -> Svg:
    """Return a text escaped; control characters, which XML forbids, are left out."""
    # most texts are plain, and there are thousands in a picture
    if _needs_escaping(content) is None:
        return Svg(content)
    return Svg(escape(_CONTROL.sub("", content), quote=True))


def el(tag: str, *children: str | None, **attributes: str | float | bool | None) -> Svg:
    """Return an element.

    Attributes that are None are left out; a trailing underscore is dropped and
    inner ones become hyphens (``class_``, ``stroke_width``). Numbers are
    rounded to hundredths of a pixel. Children that are not ``Svg`` are escaped.

    >>> el("text", "a < b", x=1.0, class_="axis")
    '<text x="1" class="axis">a &lt; b</text>'
    """
    parts = [f"<{tag}"]
    for name, value in attributes.items():
        if value is None or value is False:
            continue
        label = _label(name)
        # numbers, most of all attributes, need no escaping
        shown = f'"{num(value)}"' if isinstance(value, float | int) else quoted(value)
        parts.append(f" {label}={shown}")
    inner = "".join(c if isinstance(c, Svg) else text(c) for c in children if c is not None)
    parts.append(f">{inner}</{tag}>" if inner else "/>")
    return Svg("".join(parts))


@lru_cache(maxsize=1_000)
def _label(name: str) -> str:
    return name.rstrip("_").replace("_", "-") if name != "viewBox" else name


def quoted(value: str) -> str:
    """Return an attribute's value in quotes; JSON, full of double ones, goes into single ones."""
    if '"' not in value:
        return f'"{text(value)}"'
    return (
        "'" + _CONTROL.sub("", value).replace("&", "&amp;").replace("<", "&lt;").replace("'", "&#x27;") + "'"
    )


def group(*children: str | None, **attributes: str | float | bool | None) -> Svg:
    """Return children in a group; nothing where there are none."""
    kept = [c for c in children if c]
    return el("g", *kept, **attributes) if kept else Svg("")


def num(value: float) -> str:
    """Return a coordinate without needless digits.

    >>> num(1.0), num(2.346), num(-0.001)
    ('1', '2.35', '0')
    """
    shown = f"{value:.2f}".rstrip("0").rstrip(".")
    return "0" if shown == "-0" else shown


@lru_cache(maxsize=20_000)
def safe_id(*parts: str) -> str:
    """Return an id that is stable for these parts and valid whatever they hold.

    Plain parts are kept readable; others are replaced by a short digest.
    """
    shown = []
    for part in parts:
        shown.append(part if _is_plain(part) else "h" + hashlib.sha256(part.encode()).hexdigest()[:10])
    return "-".join(shown)
