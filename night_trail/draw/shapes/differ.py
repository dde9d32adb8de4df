"""How rows differ: a lane for each column, how far apart two sides lie in it, what each has of its values."""

from __future__ import annotations

from night_trail.core.language.numbers import counted, number, percent
from night_trail.core.question import to_json
from night_trail.core.questions.differ.answer import Contrast, DifferAnswer, Share
from night_trail.core.questions.differ.words import contrast_words
from night_trail.core.table import Table
from night_trail.core.turns import SeeColumn
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label
from night_trail.draw.frame.ranked import Ranked, ranked_frame
from night_trail.draw.frame.scales import Tick
from night_trail.draw.frame.svg import Svg, el, group

MOST_LANES = 24
BESIDE_LANES, THUMB_LANES = 6, 8


def draw_differ(answer: DifferAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the columns in which two sets of rows differ, the furthest apart first."""
    canvas = Canvas(size, prefix, has_lit=answer.basis.lit is not None)
    most = MOST_LANES if canvas.full else BESIDE_LANES if canvas.labelled else THUMB_LANES
    shown = answer.found[:most]
    rest = len(answer.contrasts) - len(shown)
    note = f"{counted(rest, 'more column')}: alike, or it may be chance" if rest and shown else ""
    places = [Tick(at, number(at)) for at in (0.0, 0.5, 1.0)]
    heads = ("how far apart, 0 to 1", "filled: these · outlined: the others")
    frame = ranked_frame(canvas, [c.name for c in shown], (0.0, 1.0), places, heads, "0.55", note)
    if not shown and canvas.labelled:
        middle = size.width / 2, size.height / 2
        canvas.over.append(label("Nothing differs beyond chance", *middle, "middle", "axis-title"))
    for i, one in enumerate(shown):
        bar = frame.bar(i, one.apart, "bar", canvas.id("b", one.name))
        said = contrast_words(one)
        card = [f"{one.name}: {number(one.apart, 2)} apart", said, f"open {one.column.name}"]
        canvas.door(bar, f"open\x1f{one.name}", to_json(SeeColumn(one.column.name)), card)
        if canvas.labelled:
            canvas.over.append(frame.value(i, number(one.apart, 2), frame.x(one.apart)))
        canvas.over += frame.say(i, said)
        if frame.small is not None:
            _values(canvas, frame, i, one)
    return canvas


def _values(canvas: Canvas, frame: Ranked, i: int, one: Contrast) -> None:
    """Draw what each side has of every value: bars of the one, the outline of the other over them."""
    assert frame.small is not None  # noqa: S101  (asked where there is room)
    top, tall = frame.band(i, 0.74)
    start, end = frame.small
    wide = min((end - start) / len(one.shares), 34.0)
    highest = max(max(s.ones, s.others) for s in one.shares)
    for j, share in enumerate(one.shares):
        left = start + j * wide
        key = f"{one.name}\x1f{share.label}"

        def bar(of: float, class_: str, inset: float, left: float = left) -> Svg:
            high = max(tall * of / highest, 0.8)
            x, broad = left + inset, max(wide - 2 * inset, 0.8)
            return el("rect", class_=class_, x=x, y=top + tall - high, width=broad, height=high)

        shape = group(
            bar(share.ones, "side-these", 1.5),
            bar(share.others, "side-others", 0.75),
            el("rect", class_="hit", x=left, y=top, width=wide, height=tall),
            id=canvas.id("v", key),
        )
        if share.condition is None:
            canvas.over.append(shape)
        else:
            lit = None
            if share.lit and share.n:
                lit = bar(share.ones * share.lit / share.n, "lit", 1.5)
            canvas.mark(shape, lit, key, share.condition, _card(one, share), Stands(share.n, share.lit))


def _card(one: Contrast, share: Share) -> list[str]:
    return [
        f"{one.column.name}: {share.label}",
        f"{percent(share.ones)} of these",
        f"{percent(share.others)} of the others",
    ]
