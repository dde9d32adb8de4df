"""Pictures as PNG, drawn from the same SVG with the fonts that ship."""

from __future__ import annotations

from night_trail.draw.frame.text import FONTS


def png(svg: str, scale: int = 2) -> bytes:
    """Return a picture that stands alone as PNG, ``scale`` pixels for each of its own.

    Letters the shipped fonts lack are taken from those of the machine.
    """
    from resvg_py import svg_to_bytes  # noqa: PLC0415  (slow import, only here)

    drawn = svg_to_bytes(
        # the renderer takes names as they are: a variable font's name is none of the files'
        svg_string=svg.replace('"Figtree Variable", ', "").replace('"Literata Variable", ', ""),
        zoom=scale,
        font_dirs=[str(FONTS)],
        sans_serif_family="Figtree",
        serif_family="Literata",
        font_family="Figtree",
    )
    return bytes(drawn)
