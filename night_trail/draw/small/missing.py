"""Which cells are missing together, in small: a row for each pattern, a column for each column."""

from __future__ import annotations

from night_trail.core.findings import MissingTogether
from night_trail.core.language.numbers import percent
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened, width

CELL, HIGH, GAP = 30, 20, 4
LABEL = 210


def draw_missing(found: MissingTogether, height: int) -> Svg:
    """Return the patterns of missing cells, the most frequent on top, with the rows each has."""
    columns, patterns = (
        found.columns,
        [(tuple(False for _ in found.columns), found.complete), *found.patterns],
    )
    top = 14 + 17 * len(columns)
    body: list[Svg] = []
    for i, name in enumerate(columns):
        x, y = i * CELL + CELL / 2, 12 + 17 * i
        # names stand on steps, each with a line down to its column: slanted text is hard to read
        body.append(el("path", class_="grid", d=f"M{x} {y + 4}L{x} {top - 2}"))
        shown = shortened(name, 300)
        body.append(el("text", shown, class_="axis-label", transform=f"translate({x + 4} {y + 3})"))
    for at, (pattern, count) in enumerate(patterns):
        y = top + at * (HIGH + GAP)
        for i, absent in enumerate(pattern):
            body.append(
                el(
                    "rect",
                    class_="bar" if absent else "hole",
                    x=i * CELL,
                    y=y,
                    width=CELL - 3,
                    height=HIGH,
                    rx=3,
                )
            )
        words = f"{count:,} rows, {percent(count / height)}" + (
            " with none missing" if not any(pattern) else ""
        )
        body.append(
            el("text", words, class_="axis-label", transform=f"translate({len(columns) * CELL + 8} {y + 14})")
        )
    wide = max(
        len(columns) * CELL + LABEL + 40,
        *(i * CELL + 30 + width(shortened(n, 300)) for i, n in enumerate(columns)),
    )
    tall = top + len(patterns) * (HIGH + GAP)
    title = f"Which of {len(columns)} columns are missing in the same rows"
    return el(
        "svg",
        el("title", title),
        *body,
        class_="missing-picture",
        viewBox=f"0 0 {wide:.0f} {tall}",
        width=round(wide),
        height=tall,
        role="img",
    )
