"""Two key columns side by side: how many rows match, how many do not, how many match many times."""

from __future__ import annotations

from night_trail.core.recipe.joining import JoinFacts
from night_trail.draw.frame.svg import Svg, el

WIDE, HIGH, BAR = 620, 196, 46
LEFT, RIGHT = 190, WIDE - 190 - BAR
GAP, LEAST = 4, 15


def draw_join(facts: JoinFacts, left: str, right: str) -> Svg:
    """Return the drawing of a join: a bar for each table, a band between what matches."""
    ours = [
        ("matched", facts.left_once, "match one row"),
        ("many", facts.left_many, f"match several, up to {facts.most:,}"),
        ("alone", facts.left_without, "match none"),
    ]
    theirs = [("matched", facts.right_with, "are matched"), ("alone", facts.right_without, "are not")]
    body: list[Svg] = []
    left_spans = _bar(body, ours, LEFT, True)
    right_spans = _bar(body, theirs, RIGHT, False)
    target = right_spans.get("matched")
    for name in ("matched", "many"):
        if name in left_spans and target:
            (a, b), (c, d) = left_spans[name], target
            x0, x1 = LEFT + BAR, RIGHT
            middle = (x0 + x1) / 2
            path = (
                f"M{x0} {a}C{middle} {a} {middle} {c} {x1} {c}L{x1} {d}C{middle} {d} {middle} {b} {x0} {b}Z"
            )
            body.insert(0, el("path", class_=f"band {name}", d=path))
    title = (
        f"{facts.left_once:,} rows of {left} match one row of {right}, {facts.left_many:,} match several, "
        f"{facts.left_without:,} match none; {facts.right_without:,} rows of {right} are not matched"
    )
    return el(
        "svg",
        el("title", title),
        *body,
        class_="join-picture",
        viewBox=f"0 0 {WIDE} {HIGH}",
        width=WIDE,
        height=HIGH,
        role="img",
    )


def _bar(
    body: list[Svg], segments: list[tuple[str, int, str]], x: float, labels_left: bool
) -> dict[str, tuple[float, float]]:
    """Draw one table's bar; segments are as high as their share, but never too thin to see."""
    present = [s for s in segments if s[1]]
    total = sum(n for _, n, _ in present)
    room = HIGH - 20 - GAP * (len(present) - 1) - LEAST * len(present)
    spans: dict[str, tuple[float, float]] = {}
    y = 10.0
    for name, count, words in present:
        high = LEAST + room * count / total
        spans[name] = (y, y + high)
        body.append(el("rect", class_=f"side {name}", x=x, y=y, width=BAR, height=high, rx=3))
        at = x - 10 if labels_left else x + BAR + 10
        anchor = "end" if labels_left else "start"
        label = f"{count:,} {words if count != 1 else _one(words)}"
        body.append(
            el(
                "text",
                label,
                class_="axis-label",
                text_anchor=anchor,
                transform=f"translate({at} {y + high / 2 + 4:.1f})",
            )
        )
        y += high + GAP
    return spans


def _one(words: str) -> str:
    return words.replace("match ", "matches ").replace("are ", "is ")
