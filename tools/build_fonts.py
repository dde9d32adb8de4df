"""Build the static TTF fonts used for export and for measuring labels.

Run once after changing the WOFF2 files: ``python tools/build_fonts.py``.
The page itself uses the WOFF2 files; renderers outside a browser want one
static TTF a weight, with the name table matching and tabular digits as the
default glyphs (they do not know the ``tnum`` feature).
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from fontTools import merge
from fontTools.ttLib import TTFont
from fontTools.varLib import instancer

FONTS = Path(__file__).resolve().parents[1] / "night_trail" / "site" / "static" / "fonts"
OUT = Path(__file__).resolve().parents[1] / "night_trail" / "draw" / "fonts"
FACES = [
    ("figtree", "normal", "Figtree", "Regular", 400),
    ("figtree", "normal", "Figtree", "SemiBold", 600),
    ("figtree", "normal", "Figtree", "Bold", 700),
    ("literata", "normal", "Literata", "Regular", 400),
    ("literata", "normal", "Literata", "SemiBold", 600),
    ("literata", "italic", "Literata", "Italic", 400),
]


def tabular_digits(font: TTFont) -> None:
    """Make the tabular digits the default ones, where the font has a tnum feature."""
    if "GSUB" not in font:
        return
    gsub = font["GSUB"].table
    swaps: dict[str, str] = {}
    for record in gsub.FeatureList.FeatureRecord:
        if record.FeatureTag == "tnum":
            for index in record.Feature.LookupListIndex:
                for sub in gsub.LookupList.Lookup[index].SubTable:
                    mapping = getattr(getattr(sub, "ExtSubTable", sub), "mapping", {})
                    swaps.update(mapping)
    for table in font["cmap"].tables:
        for code, glyph in list(table.cmap.items()):
            if glyph in swaps:
                table.cmap[code] = swaps[glyph]


def name(font: TTFont, family: str, style: str) -> None:
    """Set the names a renderer matches on."""
    full = f"{family} {style}"
    values = {1: family, 2: style, 4: full, 6: full.replace(" ", "-"), 16: family, 17: style}
    for number, value in values.items():
        font["name"].setName(value, number, 3, 1, 0x409)


def build(stem: str, slope: str, family: str, style: str, weight: int) -> None:
    """Write one static face, latin and latin-ext merged."""
    with tempfile.TemporaryDirectory() as folder:
        parts = []
        for subset in ("latin", "latin-ext"):
            font = TTFont(FONTS / f"{stem}-{subset}-wght-{slope}.woff2")
            font.flavor = None
            static = instancer.instantiateVariableFont(font, {"wght": weight})
            tabular_digits(static)
            part = Path(folder) / f"{subset}.ttf"
            static.save(part)
            parts.append(str(part))
        merged = merge.Merger().merge(parts)
        merged["OS/2"].usWeightClass = weight
        name(merged, family, style)
        merged.save(OUT / f"{family}-{style}.ttf")


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    for face in FACES:
        build(*face)
