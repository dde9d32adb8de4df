"""What the slots of a measure offer, in every sentence that has one."""

from __future__ import annotations

from night_trail.core.language.conditions import in_words
from night_trail.core.measure import Measure
from night_trail.core.questions.shared.measure_slots import NAMED, measure_words, plain_words
from night_trail.core.questions.shared.measure_words import aggregate_words
from night_trail.core.questions.shared.measures import AGGREGATES, first_measure, fits
from night_trail.core.questions.shared.offers import Looking, Offer, column_offer
from night_trail.core.table import Kind

Taken = tuple[str | None, ...]


def aggregate_offers(look: Looking, measure: Measure) -> list[Offer]:
    """Return the aggregates that can be taken: named measures first, then what makes most sense."""
    column = None if measure.column is None else look.table.column(measure.column)
    best = first_measure(column).aggregate
    noun = look.table.row_noun[1]
    found = []
    for key in AGGREGATES:
        if key in ("count", "share"):
            continue
        if fits(key, column) or (column is None and key in ("mean", "sum")):
            text = aggregate_words(Measure(key, measure.column), column)
            hint = "makes most sense here" if key == best and column is not None else ""
            found.append(Offer(text, key, key == measure.aggregate, hint))
    found.sort(key=lambda offer: offer.value != best)
    found = [
        Offer(name, NAMED + name, known == measure, plain_words(known, look.table))
        for name, known in look.table.measures.items()
    ] + found
    found.append(Offer(f"the number of {noun}", "count", measure.aggregate == "count"))
    if look.scene.lit is not None:
        lit = in_words(look.scene.lit, look.table)
        found.append(
            Offer(f"the share of {noun} where {lit}", "share", measure.where == look.scene.lit, "lit")
        )
    return found


def column_offers(look: Looking, measure: Measure, taken: Taken = ()) -> list[Offer]:
    """Return what can be measured: columns the aggregate fits first, then the others."""
    able = [c for c in look.table.columns if c.name not in taken]
    able = [c for c in able if c.missing < look.table.height and not c.kind.temporal]
    able.sort(key=lambda c: not fits(measure.aggregate, c))
    return [column_offer(c, c.name == measure.column) for c in able]


def per_offers(look: Looking, measure: Measure, taken: Taken = ()) -> list[Offer]:
    """Return the numbers a ratio can be taken to."""
    able = [c for c in look.table.columns if c.kind.numeric and c.name not in (*taken, measure.column)]
    return [column_offer(c, c.name == measure.per) for c in able]


def more_offers(
    look: Looking, present: Measure, more: tuple[Measure, ...], taken: Taken = (), hint: str = ""
) -> list[Offer]:
    """Return further measures: named ones first, then what makes most sense of each number."""
    able = [c for c in look.table.columns if c.kind.numeric or c.kind == Kind.YES_NO]
    known = [Measure("count"), *(first_measure(c) for c in able if c.name not in taken)]
    found = list(dict.fromkeys([*look.table.measures.values(), *known]))
    return [
        Offer("one measure", None, not more),
        *(
            Offer(
                f"{'without' if m in more else 'and'} {measure_words(m, look.table)}",
                measure_words(m, look.table),
                m in more,
                hint,
            )
            for m in found
            if m != present
        ),
    ]


def plan_columns(look: Looking, measure: Measure) -> list[str]:
    """Return the columns that could be a plan of what is measured, those called after it first."""
    column = measure.column
    if column is None or measure.aggregate in ("count", "share", "distinct"):
        return []
    unit = look.table.column(column).unit
    able = [c.name for c in look.table.columns if c.kind.numeric and c.name != column and c.unit == unit]
    return sorted(able, key=lambda name: column.lower() not in name.lower())


def shade_offers(look: Looking, present: Measure | None) -> list[Offer]:
    """Return the figures that can shade marks: those with a name, then the first of each column."""
    able = [c for c in look.table.columns if c.kind.numeric or c.kind == Kind.YES_NO]
    found = list(dict.fromkeys([*look.table.measures.values(), *(first_measure(c) for c in able)]))
    words = [(m, measure_words(m, look.table)) for m in found]
    return [
        Offer("not shaded", None, present is None),
        *(Offer(f"shaded by {text}", text, m == present) for m, text in words),
    ]
