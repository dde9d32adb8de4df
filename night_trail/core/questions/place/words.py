"""What is said beside a place."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from night_trail.core.language.numbers import counted, listed, number, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.place.answer import LEAST_ROWS, PlaceAnswer
from night_trail.core.questions.shared.chance_words import may_be_chance
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import beside_all, decimals_of, evened
from night_trail.core.questions.shared.rules import rule_words
from night_trail.core.table import Table

MOST_FACTS = 60
MOST_NAMED = 3
MOST_ARCS = 300
"""So many ways are drawn, those of the largest figures."""

LEVELS = {
    "countries": ("country", "countries"),
    "regions": ("region", "regions"),
    "towns": ("town", "towns"),
    "areas": ("area", "areas"),
}


def figure_said(answer: PlaceAnswer) -> Callable[[float], str]:
    """Return how a figure of this place is written."""
    known = answer.figures[np.isfinite(answer.figures)]
    figures = beside_all(answer.question.measure, known.tolist(), answer.total)
    return evened(answer.question.measure, answer.column, decimals_of(figures, []))


def shade_said(answer: PlaceAnswer, table: Table) -> Callable[[float], str]:
    """Return how what shades is written: the second measure, or the first where there is no second."""
    shade = answer.question.shade
    if shade is None or answer.shades is None:
        return figure_said(answer)
    column = None if shade.column is None else table.column(shade.column)
    known = answer.shades[np.isfinite(answer.shades)]
    return evened(shade, column, decimals_of(known.tolist(), []))


def spot_words(answer: PlaceAnswer) -> tuple[str, str]:
    """Return what a spot is called, one and many."""
    spots = answer.spots
    if spots.onward is not None:
        return "way", "ways"
    if spots.level is not None and spots.level != "plan":
        return LEVELS[spots.level]
    if spots.wide:
        return ("hexagon", "hexagons") if answer.shape == "hexagons" else ("dot", "dots")
    return (spots.named, f"places ({spots.named})") if spots.named else ("place", "places")


def place_words_of(answer: PlaceAnswer, table: Table) -> Words:
    """Return the words of a place."""
    said = figure_said(answer)
    known = [i for i in answer.order.tolist() if answer.n[i]]
    if not known:
        return Words(
            spans("No row that is kept lies anywhere it can be shown."), (), tuple(_cautions(answer, table))
        )
    labels = answer.spots.labels
    facts = [Fact("total", "all together", answer.total, said(answer.total))]
    facts += [
        Fact(
            f"place:{answer.spots.keys[i]}",
            labels[i],
            float(answer.figures[i]),
            said(float(answer.figures[i])),
        )
        for i in known[:MOST_FACTS]
    ]
    headline = (
        _adding_up(answer, known, said)
        if answer.adds_up and not answer.figures[known].min() < 0
        else _others(answer, known, said) + may_be_chance(answer.tested)
    )
    if answer.question.rule is not None:
        marked = sum(answer.marked(i) for i in known)
        text = " {n} of {all} {many} {are} {rule}{what}."
        rule = answer.question.rule
        what = f", {said(answer.total)}" if rule.at is None else ""
        headline += spans(
            text, n=f"{marked:,}", all=f"{len(known):,}", many=Span(spot_words(answer)[1]),
            are=Span("is" if marked == 1 else "are"), rule=Span(rule_words(rule)), what=Span(what),
        )  # fmt: skip
    if answer.basis.lit is not None and answer.lit is not None:
        places = [(labels[i], int(answer.lit[i])) for i in known]
        headline += where_lit(answer.basis.lit, places, spot_words(answer)[1], at=answer.spots.at)
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _adding_up(answer: PlaceAnswer, known: list[int], said: Callable[[float], str]) -> tuple[Span, ...]:
    many, at = spot_words(answer)[1], Span(answer.spots.at)
    lies = "lies" if answer.spots.onward is None else "goes"
    top, labels = known[0], answer.spots.labels
    value = float(answer.figures[top])
    others = _and_others(answer, known, value)
    if len(known) == 1:
        text = f"All of it, {{value}}, {lies} {{at}} {{top}}."
        return spans(text, value=said(value), at=at, top=labels[top])
    if value == float(answer.figures[known[-1]]):
        return spans(
            "{n} {many} are alike: {value} each.", n=f"{len(known):,}", many=Span(many), value=said(value)
        )
    share = percent(value / answer.total, 3) if answer.total else "0"
    start = spans(
        f"The most {lies} {{at}} {{top}}{{others}}: {{value}}{{each}}, {{share}} of {{total}}",
        at=at, top=labels[top],
        others=Span(others),
        value=said(value), each=Span(" each" if others else ""), share=share, total=said(answer.total),
    )  # fmt: skip
    needed, run = 0, 0.0
    while needed < len(known) and run < answer.total / 2:
        run += float(answer.figures[known[needed]])
        needed += 1
    if 1 < needed < len(known):
        return start + spans(
            "; {k} of {n} {many} hold {share}.",
            k=f"{needed:,}",
            n=f"{len(known):,}",
            many=Span(many),
            share=percent(run / answer.total, 3),
        )
    return (*start, Span("."))


def _others(answer: PlaceAnswer, known: list[int], said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say where a figure is highest and lowest; of averages among spots that rest on enough rows."""
    many, at = spot_words(answer)[1], Span(answer.spots.at)
    enough = known if answer.adds_up else [i for i in known if answer.n[i] >= LEAST_ROWS]
    able = enough if len(enough) > 1 else known
    labels = answer.spots.labels
    high, low = able[0], able[-1]
    top, least = float(answer.figures[high]), float(answer.figures[low])
    if len(able) == 1:
        lie = "lie" if answer.spots.onward is None else "go"
        return spans(f"All rows {lie} {{at}} {{top}}: {{value}}.", at=at, top=labels[high], value=said(top))
    if top == least:
        return spans("{n} {many} are alike: {value}.", n=f"{len(able):,}", many=Span(many), value=said(top))
    fewer = len(known) - len(able)
    of = f"Of {len(able):,} {many} with at least {LEAST_ROWS} rows it" if fewer else "It"
    return spans(
        "{of} is highest {at} {top}{more}, {high}, and lowest {at} {low}{others}, {least}; all together "
        "{total}.",
        of=Span(of), at=at, top=labels[high], more=Span(_and_others(answer, able, top)), high=said(top),
        low=labels[low], others=Span(_and_others(answer, able, least)), least=said(least),
        total=said(answer.total),
    )  # fmt: skip


def _and_others(answer: PlaceAnswer, able: list[int], value: float) -> str:
    same = sum(float(answer.figures[i]) == value for i in able) - 1
    return f" and {counted(same, 'other')}" if same else ""


def _cautions(answer: PlaceAnswer, table: Table) -> Iterator[str]:  # noqa: C901  (one case a caution)
    spots, left, column = answer.spots, answer.spots.left, answer.column
    if answer.basis.missing:
        rows = table.rows_in_words(answer.basis.missing)
        name = column.name if column is not None else "value"
        yield f"{rows} {'has' if answer.basis.missing == 1 else 'have'} no {name} and are left out."
    if left.missing:
        have = "has" if left.missing == 1 else "have"
        out = "is left out" if left.missing == 1 else "are left out"
        yield f"{table.rows_in_words(left.missing)} {have} no place and {out}."
    if left.beyond:
        turned = (
            f"; {left.turned:,} would lie on Earth with the two columns the other way round"
            if left.turned
            else ""
        )
        lie = "lies" if left.beyond == 1 else "lie"
        rows = table.rows_in_words(left.beyond)
        yield f"{rows} {lie} beyond the Earth (latitudes end at 90°): left out{turned}."
    if left.zero:
        lie = "lies" if left.zero == 1 else "lie"
        rows = table.rows_in_words(left.zero)
        yield f"{rows} {lie} at 0°, 0°, which mostly stands for an unknown place: left out."
    if left.unknown:
        yield _unknown(answer, table)
    if spots.several:
        shown = listed(list(spots.several[:MOST_NAMED]))
        more = f" and {len(spots.several) - MOST_NAMED:,} more" if len(spots.several) > MOST_NAMED else ""
        names = "names several places" if len(spots.several) == 1 else "name several places each"
        way = "the largest is taken" if spots.level == "towns" else "one was taken"
        yield f"{shown}{more} {names}: {way}. Choose in the sentence which is meant, or add their countries."
    if left.outside:
        lie = "lies" if left.outside == 1 else "lie"
        yield f"{table.rows_in_words(left.outside)} {lie} outside the part zoomed into."
    if answer.shape != answer.question.shape:
        yield "Towns have no areas here, but places: drawn as dots."
    if left.still:
        stay = "begins and ends" if left.still == 1 else "begin and end"
        yield f"{table.rows_in_words(left.still)} {stay} at the same place: no way is drawn for them."
    if spots.onward is not None and len(known := answer.order) > MOST_ARCS:
        yield f"The {MOST_ARCS:,} largest of {len(known):,} ways are drawn; all are in the table of figures."
    if answer.question.history is not None and answer.histories is None:
        yield "There are too many places, or too few whole periods, for a small line each."
    if spots.cut:
        yield "Places lie on both sides of the date line, where it is cut: near ones stand far apart."
    if spots.wide and len(spots.cells) and len(answer.n):
        yield _gathered(answer)
    if spots.crowded is not None:
        label, n = spots.crowded
        rows = table.rows_in_words(n)
        yield f"{rows} lie on exactly the same spot, {label}: it may stand for an unknown place."
    if answer.shape == "areas" and answer.adds_up and answer.question.rule is None and len(answer.n):
        yield (
            "Large areas catch the eye whatever they hold, and where more people live there is more of "
            "most things: take the figure per something to compare."
        )
    if column is not None and answer.times > 1:
        yield f"{column.name} is a stock, taken at {answer.times:,} times: its sum counts it at each of them."


def _unknown(answer: PlaceAnswer, table: Table) -> str:
    unknown = answer.spots.left.unknown
    n = sum(one[1] for one in unknown)
    if answer.shape == "areas" and len(answer.question.at) == 2:
        return f"{table.rows_in_words(n)} {'lies' if n == 1 else 'lie'} in none of the areas."
    if answer.spots.level == "plan":
        shown = listed([f"“{name[:60]}”" for name, _ in unknown[:MOST_NAMED]])
        more = f" and {len(unknown) - MOST_NAMED:,} more" if len(unknown) > MOST_NAMED else ""
        stand, rows = "stands" if len(unknown) == 1 else "stand", table.rows_in_words(n)
        return f"{shown}{more} {stand} nowhere on the plan yet: {rows} {'is' if n == 1 else 'are'} not shown."
    shown = listed([f"“{name[:60]}”" for name, _ in unknown[:MOST_NAMED]])
    more = f" and {len(unknown) - MOST_NAMED:,} more" if len(unknown) > MOST_NAMED else ""
    share = percent(n / answer.basis.rows, 3) if answer.basis.rows else "0"
    lie, by = "lies" if n == 1 else "lie", "its name" if len(unknown) == 1 else "their names"
    return (
        f"{table.rows_in_words(n)} ({share}) {lie} nowhere that is known, by {by}: {shown}{more}; "
        "all are in the table of figures."
    )


def _gathered(answer: PlaceAnswer) -> str:
    spots = answer.spots
    if spots.onward is not None:
        true = f" (true at {spots.parallel:g}°)" if spots.parallel else ""
        return (
            f"Places near each other are gathered: ways lead between hexagons {number(spots.km, 3)} km "
            f"wide{true}; zoom in to part them."
        )
    one = (
        "Each hexagon is"
        if answer.shape == "hexagons"
        else "Places near each other are gathered: a dot stands for what lies within a hexagon"
    )
    true = f" (true at {spots.parallel:g}°)" if spots.parallel else ""
    return f"{one} {number(spots.km, 3)} km wide{true}; zoom in to part them."
