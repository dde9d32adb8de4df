"""A tale as one HTML file: pictures, fonts, walk, both themes, and no request to anywhere."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

from django.conf import settings
from django.template.loader import render_to_string
from django.utils.safestring import mark_safe
from msgspec.structs import replace

from night_trail.core.errors import NightTrailError
from night_trail.core.overview import Chosen, choices_of, narrowed
from night_trail.tales.export.gathered import Part, Told, drawn_part, told
from night_trail.tales.models import Image, Tale
from night_trail.tales.prose import pace, prose
from night_trail.tales.reading import offered
from night_trail.trails.page import numbers_shown
from night_trail.trails.pictures import Desk

MOST_LINES = 200
STYLES = ("css/tokens.css", "css/theme.css", "../../draw/style/picture.css", "css/tale-page.css")
FONTS = (
    ("Literata Variable", "normal", "literata-latin-wght-normal.woff2"),
    ("Literata Variable", "italic", "literata-latin-wght-italic.woff2"),
    ("Figtree Variable", "normal", "figtree-latin-wght-normal.woff2"),
)

MOST_CHOSEN, MOST_CHOICES = 1_200_000, 80
"""Characters, and number, of pictures that a reader may choose; those of later stops are left out beyond."""

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
    stops, chapter, room = [], "", _Room()
    for one in told(tale):
        chapter = one.chapter or chapter
        shown = _shown(one) | {"chapter": chapter}
        for part, drawn in zip(one.parts, shown["parts"], strict=True):
            drawn["choices"] = room.taken(_choices(part))
            drawn["left_out"] = drawn["choices"] is None
        stops.append(shown)
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


@dataclass
class _Room:
    """What is left in a file for pictures that readers choose."""

    characters: int = MOST_CHOSEN
    pictures: int = MOST_CHOICES

    def taken(self, choices: Iterator[dict[str, Any]]) -> list[dict[str, Any]] | None:
        """Return the choices of a picture; None where there is no room for all of them."""
        found = []
        for choice in choices:
            self.characters -= len(str(choice["svg"]))
            self.pictures -= 1
            if min(self.characters, self.pictures) < 0:
                return None
            found.append(choice)
        return found


def _choices(part: Part) -> Iterator[dict[str, Any]]:
    """Yield a picture narrowed by each value that its writer lets readers choose, and has rows enough."""
    scene, table = part.desk.scene, part.desk.table
    if part.stop.step is None or part.stop.overview is not None or scene.main is None:
        return
    chips = offered(part.stop, scene.main, table)
    for at, name in enumerate(chips.chips):
        for i, value in enumerate(choices_of(table.column(name), table)):
            only = (*scene.only, *narrowed(chips, Chosen({at: value}), table))
            desk = Desk(part.stop.step.trail.version, replace(scene, only=only), reads=True)
            if desk.rows.n < max(part.stop.tale.least_lit, 1):
                continue
            try:
                one = drawn_part(part.stop, part.beat, desk, f"{part.prefix}c{at}v{i}", part.words)
            except NightTrailError:
                continue  # what cannot be drawn of these rows is no choice
            yield _drawn(one) | {"by": name, "value": value}


def _shown(one: Told) -> dict[str, Any]:
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


def _drawn(part: Part) -> dict[str, Any]:
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
