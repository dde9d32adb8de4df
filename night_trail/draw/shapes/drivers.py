"""What drives a column: a lane for each driver with its importance and its effect; or a few rules."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from night_trail.core.language.numbers import counted, number
from night_trail.core.question import to_json
from night_trail.core.questions.drivers.answer import Driver, DriversAnswer
from night_trail.core.questions.drivers.effects import Effect
from night_trail.core.questions.drivers.words import effect_words, importance_said, leaf_said
from night_trail.core.table import Table
from night_trail.core.turns import See
from night_trail.draw.frame.canvas import NAMED, UNCOUNTED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.ranked import Ranked, ranked_frame
from night_trail.draw.frame.scales import Lanes, Linear, ticks
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import width
from night_trail.draw.shapes.driver_opened import draw_opened

BESIDE_LANES, THUMB_LANES, MOST_LANES = 6, 8, 20


def draw_drivers(answer: DriversAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the drivers, the most important first, or the rules."""
    if answer.question.shape == "rules" and answer.leaves:
        return _rules(answer, table, size, prefix)
    if answer.opened is not None:
        return draw_opened(answer, answer.opened, table, size, prefix)
    canvas = Canvas(size, prefix, has_lit=False)
    most = MOST_LANES if canvas.full else BESIDE_LANES if canvas.labelled else THUMB_LANES
    shown = answer.found[:most]
    written = importance_said(answer)
    longest = max((d.worse + d.half for d in shown), default=1.0)
    low = min(0.0, *(d.worse - d.half for d in shown)) if shown else 0.0
    unit = "points of explained share" if answer.is_share else answer.column.unit or answer.column.name
    heads = (f"worse on unseen rows without it, {unit}", f"what it does to {answer.column.name}")
    chance = len({c for d in answer.chance for c in d.columns})
    note = f"{counted(chance, 'column')}: nothing beyond chance" if chance and shown else ""
    scale = 100.0 if answer.is_share else 1.0
    places = [t for t in ticks(0.0, scale * longest, 3) if t.at <= scale * longest]
    places = [type(t)(t.at / scale, t.label) for t in places]
    widest = max((written(d.worse) for d in shown), key=width, default="0")
    frame = ranked_frame(canvas, [d.name for d in shown], (low, longest), places, heads, widest, note)
    if not shown and canvas.labelled:
        text = "Models are being made" if answer.pending is not None else "Nothing drives it beyond chance"
        canvas.over.append(label(text, size.width / 2, size.height / 2, "middle", "axis-title"))
        return canvas
    if canvas.labelled and shown:
        left, right = frame.x(0.0), frame.x(max(answer.level, 0.0))
        top, tall = canvas.y_start, canvas.y_end - canvas.y_start
        chance_band = el(
            "rect", class_="chance-band", x=left, y=top, width=max(right - left, 0.5), height=tall
        )
        canvas.under.append(chance_band)
    biggest = max((float(np.abs(d.effect.effect).max()) for d in shown if d.effect is not None), default=1.0)
    for i, one in enumerate(shown):
        _lane(canvas, frame, answer, table, i, one, biggest)
    return canvas


def _lane(
    canvas: Canvas, frame: Ranked, answer: DriversAnswer, table: Table, i: int, one: Driver, biggest: float
) -> None:
    written = importance_said(answer)
    bar = frame.bar(i, one.worse, "bar", canvas.id("b", one.name))
    said = effect_words(one, answer)
    card = [
        ", ".join(one.columns),
        f"{written(one.worse)} worse without, give or take {written(one.half)}",
        said,
    ]
    opened = See(replace(answer.question, opened=one.columns[0], shape="drivers"))
    canvas.door(bar, f"open\x1f{one.name}", to_json(opened), [*card, "open it"])
    if not canvas.labelled:
        return
    top, tall = frame.band(i, 0.5, 18.0)
    middle = top + tall / 2
    ends = frame.x(one.worse - one.half), frame.x(one.worse + one.half)
    canvas.over.append(line(max(ends[0], frame.x.start), middle, ends[1], middle, "importance-spread"))
    canvas.over.append(frame.value(i, written(one.worse), max(ends[1], frame.x(one.worse))))
    canvas.over += frame.say(i, said)
    if frame.small is None or one.effect is None or one.said is None:
        return
    shape = _effect(canvas, frame, i, one.effect, biggest)
    if one.said.rows is None:
        canvas.over.append(shape)
    else:
        canvas.mark(
            shape,
            None,
            f"effect\x1f{one.name}",
            one.said.rows,
            [one.effect.feature.name, said, "light these"],
            UNCOUNTED,
        )


def _effect(canvas: Canvas, frame: Ranked, i: int, one: Effect, biggest: float) -> Svg:
    """Return an effect as a line with its band, or a point for each value; all lanes share one scale."""
    assert frame.small is not None  # noqa: S101  (asked where there is room)
    start, end = frame.small
    top, tall = frame.band(i, 0.78, 40.0)
    y = Linear(-biggest, biggest, top + tall, top)
    parts: list[Svg] = [line(start, y(0.0), end, y(0.0), "grid")]
    if one.feature.labels:
        shown = np.argsort(-one.n, kind="stable")[:24]
        shown = shown[np.argsort(one.at[shown])]
        step = (end - start) / max(len(shown), 1)
        for k, j in enumerate(shown):
            x = start + (k + 0.5) * step
            high, low = y(float(one.effect[j] + one.half[j])), y(float(one.effect[j] - one.half[j]))
            parts.append(line(x, low, x, high, "importance-spread"))
            parts.append(el("circle", class_="dot", cx=x, cy=y(float(one.effect[j])), r=2.8))
    else:
        # by ranks of the rows, so that where many are has room
        places = np.linspace(start, end, len(one.at)) if len(one.at) > 1 else np.array([start])
        above = [
            f"{x:.1f} {y(float(e + h)):.1f}" for x, e, h in zip(places, one.effect, one.half, strict=True)
        ]
        below = [
            f"{x:.1f} {y(float(e - h)):.1f}" for x, e, h in zip(places, one.effect, one.half, strict=True)
        ]
        parts.append(el("path", class_="fit-band", d=f"M{'L'.join(above)}L{'L'.join(below[::-1])}Z"))
        course = "L".join(f"{x:.1f} {y(float(e)):.1f}" for x, e in zip(places, one.effect, strict=True))
        parts.append(el("path", class_="fit", d=f"M{course}"))
    parts.append(el("rect", class_="hit", x=start, y=top, width=end - start, height=tall))
    return group(*parts, id=canvas.id("e", one.feature.name))


def _rules(answer: DriversAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return each rule's mean on unseen rows with its interval, the highest first."""
    canvas = Canvas(size, prefix, has_lit=False)
    leaves, said = answer.leaves, leaf_said(answer)
    names = [leaf.words for leaf in leaves]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 330.0, 110.0)
        canvas.right = 20.0 + max(width(said(leaf.mean)) for leaf in leaves)
        canvas.top, canvas.bottom = 14.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    ends = [e for leaf in leaves for e in (leaf.low, leaf.high)]
    low, high = min([*ends, 0.0]), max([*ends, 0.0])
    x = Linear(low, high if high > low else low + 1.0, canvas.x_start, canvas.x_end)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.labelled:
        factor = 100.0 if answer.is_share else 1.0
        found = [type(t)(t.at / factor, t.label) for t in ticks(factor * x.low, factor * x.high, 4)]
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        unit = f", {answer.column.unit_words}" if answer.column.unit_words else ""
        what = f"share of {answer.value}, %" if answer.is_share else f"average of {answer.column.name}{unit}"
        canvas.bottom_title(f"{what} · on rows the rules were not found on")
        canvas.under.append(line(x(answer.mean), canvas.y_start, x(answer.mean), canvas.y_end, "overall"))
    for i, leaf in enumerate(leaves):
        thick = min(26.0, max(0.6 * lanes.step, 1.0))
        top = lanes.top(i) + (lanes.step - thick) / 2
        left, right = sorted((x(max(x.low, 0.0)), x(leaf.mean)))
        bar = el("rect", class_="bar", x=left, y=top, width=max(right - left, 0.8), height=thick)
        middle = top + thick / 2
        spread = line(x(leaf.low), middle, x(leaf.high), middle, "importance-spread")
        key = to_json(leaf.condition)
        share = leaf.n / answer.basis.used if answer.basis.used else 0.0
        card = [leaf.words, f"{said(leaf.mean)} on unseen rows", f"{said(leaf.grown)} where it was found"]
        rows = f"{table.rows_in_words(leaf.n)} ({number(100 * share, 2)} %)"
        canvas.mark(
            group(bar, spread, id=canvas.id("b", key)),
            None,
            key,
            leaf.condition,
            [*card, rows],
            Stands(leaf.n, None),
        )
        if canvas.labelled:
            canvas.over.append(
                label(said(leaf.mean), max(right, x(leaf.high)) + 6, middle + 4, "start", "bar-value")
            )
    return canvas
