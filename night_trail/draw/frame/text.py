"""How wide text is, measured with the fonts that ship."""

from __future__ import annotations

from functools import cache, lru_cache
from pathlib import Path

FONTS = Path(__file__).parent.parent / "fonts"
AXIS = 11.5
NOTE = 15.0


@cache
def _face(name: str) -> tuple[dict[int, int], int, int]:
    """Return advance widths by code point, the units of an em, and the width of an unknown glyph."""
    from fontTools.ttLib import TTFont  # noqa: PLC0415  (slow import)

    font = TTFont(FONTS / f"{name}.ttf", lazy=True)
    advances = font["hmtx"]
    widths = {code: advances[glyph][0] for code, glyph in font.getBestCmap().items()}
    em = int(font["head"].unitsPerEm)
    return widths, em, round(0.6 * em)


@lru_cache(maxsize=20_000)
def width(content: str, size: float = AXIS, face: str = "Figtree-Regular") -> float:
    """Return the width of a text in pixels at a font size."""
    widths, em, unknown = _face(face)
    return sum(widths.get(ord(letter), unknown) for letter in content) * size / em


def shortened(content: str, room: float, size: float = AXIS, face: str = "Figtree-Regular") -> str:
    """Return a text cut with an ellipsis where it is wider than its room.

    >>> shortened("a", 100)
    'a'
    """
    content = " ".join(content.split())
    if width(content, size, face) <= room:
        return content
    low, high = 0, len(content)
    while low < high:
        middle = (low + high + 1) // 2
        if width(content[:middle].rstrip() + "…", size, face) <= room:
            low = middle
        else:
            high = middle - 1
    return content[:low].rstrip() + "…"


def wrapped(content: str, room: float, size: float, face: str) -> list[str]:
    """Return a text broken into lines no wider than their room; its own line breaks stay."""
    lines: list[str] = []
    for paragraph in content.splitlines() or [""]:
        line = ""
        for word in paragraph.split():
            longer = f"{line} {word}" if line else word
            if line and width(longer, size, face) > room:
                lines.append(line)
                line = word
            else:
                line = longer
        lines.append(shortened(line, max(room, 40), size, face))
    return lines
