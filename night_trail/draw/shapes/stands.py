"""What stands out: a lane for each kind, its rows, where they stand among the others, and why."""

from __future__ import annotations

import math

from night_trail.core.language.numbers import counted
from night_trail.core.question import to_json
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.found import Finding
from night_trail.core.questions.stands.pictures import picture_of
from night_trail.core.questions.stands.words import title
from night_trail.core.table import Table
from night_trail.core.turns import See
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label
from night_trail.draw.frame.ranked import Ranked, ranked_frame
from night_trail.draw.frame.scales import Tick
from night_trail.draw.frame.svg import Svg, el, group

MOST_LANES, BESIDE_LANES, THUMB_LANES = 16, 6, 8
_COURSES = ("peak", "shift", "stuck")


def draw_stands(answer: StandsAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return what stands out, what is likelier wrong first."""
    canvas = Canvas(size, prefix, has_lit=answer.basis.lit is not None)
    most = MOST_LANES if canvas.full else BESIDE_LANES if canvas.labelled else THUMB_LANES
    shown = answer.findings[:most]
    rest = len(answer.findings) + answer.more - len(shown)
    note = f"{counted(rest, 'more thing')} below, and in all its figures" if rest > 0 else ""
    longest = max((f.n for f in shown), default=1)
    powers = [10**k for k in range(int(math.log10(max(longest, 1))) + 1)]
    places = [Tick(math.log10(1 + p), f"{p:,}") for p in powers]
    heads = (f"{table.row_noun[1]}, each tick ten times more", "where they stand among the others")
    span = (0.0, math.log10(1 + longest) or 1.0)
    frame = ranked_frame(canvas, [title(f) for f in shown], span, places, heads, f"{longest:,}", note)
    if not shown and canvas.labelled:
        middle = size.width / 2, size.height / 2
        canvas.over.append(label("Nothing stands out", *middle, "middle", "axis-title"))
    for i, one in enumerate(shown):
        _lane(canvas, frame, table, i, one)
    return canvas


def _lane(canvas: Canvas, frame: Ranked, table: Table, i: int, one: Finding) -> None:
    length = math.log10(1 + one.n)
    bar = frame.bar(i, length, "bar", canvas.id("b", one.key))
    card = [title(one), one.here, one.usual]
    see = picture_of(one, table)
    if see is None:
        canvas.over.append(bar)
    else:
        canvas.door(bar, f"open\x1f{one.key}", to_json(See(see)), [*card, "open its picture"])
    if canvas.labelled:
        canvas.over.append(frame.value(i, f"{one.n:,}", frame.x(length)))
    canvas.over += frame.say(i, f"{one.here}; {one.usual}")
    if frame.small is None:
        return
    shape = group(
        *_bars(frame, i, one, one.context.counts, "beside-odd"),
        *_bars(frame, i, one, one.context.odd, "odd"),
        _ground(frame, i),
        id=canvas.id("c", one.key),
    )
    lit = None
    if one.lit:
        lit = group(*_bars(frame, i, one, one.context.odd, "lit"))
    said = f"{one.context.low} … {one.context.high}"
    canvas.mark(shape, lit, one.key, one.condition, [*card, said], Stands(one.n, one.lit))


def _bars(frame: Ranked, i: int, one: Finding, counts: tuple[float, ...], class_: str) -> list[Svg]:
    """Return bars of a context; counts of rows by their logarithm, so that a single one is seen."""
    assert frame.small is not None  # noqa: S101  (asked where there is room)
    top, tall = frame.band(i, 0.74)
    start, end = frame.small
    wide = (end - start) / max(len(one.context.counts), 1)
    scaled = (lambda n: n) if one.sort in _COURSES else math.log1p
    highest = scaled(max(*one.context.counts, 1e-300, 0.0 if one.sort in _COURSES else 1.0))
    found: list[Svg] = []
    for j, count in enumerate(counts):
        if count > 0:
            high = max(tall * scaled(count) / highest, 1.5)
            left = start + j * wide
            found.append(
                el(
                    "rect",
                    class_=class_,
                    x=left,
                    y=top + tall - high,
                    width=max(wide - 0.5, 0.8),
                    height=high,
                )
            )
    return found


def _ground(frame: Ranked, i: int) -> Svg:
    """Return the surface of a context that a hand can hit."""
    assert frame.small is not None  # noqa: S101  (asked where there is room)
    top, tall = frame.band(i, 0.74)
    start, end = frame.small
    return el("rect", class_="hit", x=start, y=top, width=end - start, height=tall)
