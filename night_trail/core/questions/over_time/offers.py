"""What the slots of a series over time offer."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.question import to_json
from night_trail.core.questions.over_time.answer import shapes_for
from night_trail.core.questions.over_time.question import Against, Level, OverTime
from night_trail.core.questions.over_time.sentence import (
    AGAINST_WORDS,
    SHAPE_WORDS,
    SHOW_WORDS,
    VIEW_WORDS,
    level_words,
)
from night_trail.core.questions.over_time.views import UNEVEN
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measure_offers import (
    more_offers,
    plan_columns,
)
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.periods import grain_for
from night_trail.core.questions.shared.time_offers import (
    MOST_PLANS,
    clocks,
    grains,
    groups,
    offers_first,
    slotted,
    times,
)
from night_trail.core.questions.shared.time_sentence import MONTH_NAMES
from night_trail.core.table import Kind

ROLLING = {
    "hour": (6, 24),
    "day": (7, 28),
    "week": (4, 13),
    "month": (3, 12),
    "quarter": (4,),
    "year": (3, 5),
}


def offers(slot: str, look: Looking, question: OverTime) -> list[Offer]:
    """Return the choices for a slot."""
    found = offers_first(slot, look, question)
    if found is not None:
        return found
    makers = {
        "time": _times, "grain": grains, "split": _splits, "shape": _shapes, "view": _views,
        "against": _against, "show": _show, "levels": _levels, "events": _events, "more": _more,
        "until": _untils, "year_start": _year_starts, "keep": _keeps,
    }  # fmt: skip
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _splits(look: Looking, question: OverTime) -> list[Offer]:
    taken = question.measure.column
    return [
        Offer("all together", None, question.split is None),
        *(
            Offer(f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values")
            for c in groups(look)
            if c.name != taken
        ),
    ]


def _shapes(look: Looking, question: OverTime) -> list[Offer]:
    found = [Offer(SHAPE_WORDS[s], s, s == question.shape) for s in shapes_for(question)]
    if question.shape in ("line", "steps", "area"):
        text = "without points and figures" if question.points else "with points and figures"
        found.append(Offer(text, "points", False, "where there is room"))
    return found


def _views(look: Looking, question: OverTime) -> list[Offer]:
    grain = grain_for(question, look.rows)
    adds = question.measure.aggregate in ADDS_UP
    found = [Offer(VIEW_WORDS["plain"], "plain", question.view == "plain")]
    for n in ROLLING[grain]:
        chosen = question.view == "rolling" and question.window == n
        found.append(Offer(f"as a rolling mean of {n} {grain}s", f"rolling {n}", chosen))
    if adds:
        found += [Offer(VIEW_WORDS[v], v, question.view == v) for v in ("running", "to date", "per day")]
        if grain in UNEVEN and question.until is None:
            hint = f"as if {grain}s had the same number of each weekday"
            found.append(Offer(VIEW_WORDS["evened"], "evened", question.view == "evened", hint))
    found.append(Offer("as an index, its first period 100", "index", question.view == "index"))
    return found


def _against(look: Looking, question: OverTime) -> list[Offer]:
    present = question.against
    made = [Against("before"), Against("year")]
    made += [Against("column", name) for name in plan_columns(look, question.measure)[:MOST_PLANS]]
    if question.split is None:
        for column in [c for c in look.table.columns if makes_groups(c) and c.distinct <= 12][:3]:
            made += [Against("group", column.name, group) for group in look.table.coded(column.name).labels]
    plain = None if present is None else replace(present, show="absolute")
    hints = {"year": "weekdays agree", "column": "a column", "group": "a group"}
    return [
        Offer("against nothing", None, present is None),
        *(
            Offer(
                f"against {AGAINST_WORDS.get(a.kind) or a.group or a.column}",
                to_json(a),
                a == plain,
                f"{a.column}" if a.kind == "group" else hints.get(a.kind, ""),
            )
            for a in made
        ),
    ]


def _show(look: Looking, question: OverTime) -> list[Offer]:
    present = question.against.show if question.against else ""
    return [Offer(f"difference {words}", key, key == present) for key, words in SHOW_WORDS.items()]


def _levels(look: Looking, question: OverTime) -> list[Offer]:
    made = [Level("mean"), Level("median"), Level("percentile", 90.0), Level("percentile", 10.0)]
    made += [level for level in question.levels if level not in made]
    return [
        Offer("no level", None, not question.levels),
        *(
            Offer(
                f"{'without' if lv in question.levels else 'with'} {level_words(lv)}",
                to_json(lv),
                lv in question.levels,
            )
            for lv in made
        ),
    ]


def _events(look: Looking, question: OverTime) -> list[Offer]:
    yes = [c for c in look.table.columns if c.kind == Kind.YES_NO]
    return [
        Offer("no events", None, not question.events and question.bands is None),
        *(
            Offer(
                f"with {c.name} marked",
                c.name,
                c.name == question.bands,
                "periods in which most rows say yes",
            )
            for c in yes
        ),
        *(Offer(f"without {e.name}", to_json(e), True, f"{e.first} to {e.last}") for e in question.events),
    ]


def _more(look: Looking, question: OverTime) -> list[Offer]:
    return more_offers(look, question.measure, question.more, hint="in a panel of its own")


def _untils(look: Looking, question: OverTime) -> list[Offer]:
    able = [c for c in look.table.columns if c.kind.temporal and c.name != question.time]
    return [
        Offer("counted where it begins", None, question.until is None),
        *(
            Offer(
                f"under way until {c.name}",
                c.name,
                c.name == question.until,
                "rows in every period they touch",
            )
            for c in able
        ),
    ]


def _year_starts(look: Looking, question: OverTime) -> list[Offer]:
    return [
        Offer(f"years from {name}", str(i), i == question.year_start) for i, name in enumerate(MONTH_NAMES, 1)
    ]


def _keeps(look: Looking, question: OverTime) -> list[Offer]:
    return [
        Offer("all that fit", None, question.keep is None),
        *(Offer(f"the largest {n} kept", str(n), n == question.keep) for n in (3, 5, 7, 12)),
    ]


def _times(look: Looking, question: OverTime) -> list[Offer]:
    """Return the columns of time, when years begin, what rows last until, and the clock."""
    starts = [o for o in _year_starts(look, question) if o.value in ("1", "4", "7", "10")]
    return [
        *times(look, question),
        *(slotted("year_start", offer) for offer in starts),
        *(slotted("until", offer) for offer in _untils(look, question)[1:]),
        *clocks(look, question),
    ]
