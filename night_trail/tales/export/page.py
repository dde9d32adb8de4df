"""A tale as one HTML file: pictures, fonts, walk, both themes, and no request to anywhere."""

from __future__ import annotations

import base64
import re
from functools import cache

from django.conf import settings
from django.template.loader import render_to_string
from django.utils.safestring import mark_safe

from night_trail.tales.export.gathered import Part, Told, told
from night_trail.tales.models import Image, Tale
from night_trail.tales.prose import pace, prose
from night_trail.trails.page import numbers_shown

MOST_LINES = 200
STYLES = ("css/tokens.css", "css/theme.css", "../../draw/style/picture.css", "css/tale-page.css")
FONTS = (
    ("Literata Variable", "normal", "literata-latin-wght-normal.woff2"),
    ("Literata Variable", "italic", "literata-latin-wght-italic.woff2"),
    ("Figtree Variable", "normal", "figtree-latin-wght-normal.woff2"),
)

_ONLY_FOR_THE_SERVER = re.compile(r""" data-(?:light|turn|axes|first|bin)=(?:"[^"]*"|'[^']*')""")


@cache
def _styles() -> str:
    here = settings.PACKAGE / "site" / "static"
    fonts = []
    for family, style, name in FONTS:
        data = base64.b64encode((here / "fonts" / name).read_bytes()).decode()
        fonts.append(
            f'@font-face{{font-family:"{family}";font-style:{style};font-weight:200 900;'
            f"src:url(data:font/woff2;base64,{data}) format('woff2')}}"
        )
    return "\n".join(fonts + [(here / path).resolve().read_text() for path in STYLES])


@cache
def _script() -> str:
    return (settings.PACKAGE / "site" / "static" / "js" / "tale-page.js").read_text()


def page(tale: Tale, theme: str) -> str:
    """Return the file. Of the rows it holds what is drawn, and nothing between it."""
    stops, chapter = [], ""
    for one in told(tale):
        chapter = one.chapter or chapter
        stops.append(_shown(one) | {"chapter": chapter})
    return render_to_string(
        "tales/page.html",
        {
            "tale": tale,
            "stops": stops,
            "theme": theme,
            "styles": mark_safe(_styles()),
            "script": mark_safe(_script()),
        },
    )


def _shown(one: Told) -> dict[str, object]:
    return {
        "told": one,
        "prose": prose(one.text, one.figures, one.source),
        "pace": pace(one.text, one.heading),
        "parts": [_drawn(part) for part in one.parts],
        "image": _inside(one.image) if one.image is not None else "",
        "beside": _drawn(one.beside) if one.beside is not None else None,
    }


def _inside(image: Image) -> str:
    return f"data:{image.kind};base64,{base64.b64encode(bytes(image.data)).decode()}"


def _drawn(part: Part) -> dict[str, object]:
    # which rows a mark stands for is the server's business: the file has what is drawn
    bare = _ONLY_FOR_THE_SERVER.sub("", str(part.svg))
    return {
        "svg": mark_safe(bare),
        "words": part.words,
        "pace": pace(part.words, ""),
        "sentence": part.sentence,
        "cautions": part.cautions,
        "numbers": numbers_shown(part.figures, MOST_LINES),
    }
