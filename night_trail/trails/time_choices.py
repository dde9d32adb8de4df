"""What the slots of the sentences of time offer."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import counted
from night_trail.core.question import Time, to_json
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.cycle.sentence import CYCLE_SHAPES, PART_WORDS
from night_trail.core.questions.decomposition.question import Apart
from night_trail.core.questions.decomposition.sentence import APART_SHOW, WAY_WORDS
from night_trail.core.questions.forecast.answer import HORIZONS
from night_trail.core.questions.forecast.question import Ahead
from night_trail.core.questions.forecast.sentence import bands_words
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
from night_trail.core.questions.shared.grouping import can_compare, makes_groups
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import grain_for
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS, MONTH_NAMES
from night_trail.core.stats.calendar import GRAINS, GrainName
from night_trail.core.table import Column, Kind
from night_trail.core.turns import Slot
from night_trail.trails.measure_choices import (
    aggregate_offers,
    column_offers,
    more_offers,
    per_offers,
    plan_columns,
)
from night_trail.trails.offers import Offer
from night_trail.trails.pictures import Desk

ZONES = (
    "UTC", "Europe/Lisbon", "Europe/London", "Europe/Paris", "Europe/Helsinki", "America/New_York",
    "America/Chicago", "America/Los_Angeles", "America/Sao_Paulo", "Africa/Nairobi", "Asia/Kolkata",
    "Asia/Shanghai", "Asia/Tokyo", "Australia/Sydney", "Pacific/Auckland",
)  # fmt: skip
MOST_PLANS = 6
ROLLING = {
    "hour": (6, 24),
    "day": (7, 28),
    "week": (4, 13),
    "month": (3, 12),
    "quarter": (4,),
    "year": (3, 5),
}


def time_offers(slot: str, desk: Desk, question: Time) -> list[Offer]:
    """Return the choices for a slot of a question about time."""
    of_measure = {"aggregate": aggregate_offers, "column": column_offers, "per": per_offers}
    if slot in of_measure:
        return of_measure[slot](desk, question.measure)
    shared = {"zone": _zones, "time": _times}
    if slot in shared:
        return shared[slot](desk, question)
    if slot == "grain" and not isinstance(question, Cycle):
        return _grains(desk, question)
    if isinstance(question, OverTime):
        own = {
            "split": _splits, "shape": _shapes, "view": _views, "against": _against, "show": _show,
            "levels": _levels, "events": _events, "more": _more, "until": _untils,
            "year_start": _year_starts, "keep": _keeps,
        }  # fmt: skip
        if slot in own:
            return own[slot](desk, question)
    elif isinstance(question, Cycle):
        own_cycle = {"part": _parts, "shape": _cycle_shapes, "split": _cycle_splits}
        if slot in own_cycle:
            return own_cycle[slot](desk, question)
    elif isinstance(question, Apart):
        own_apart = {"how": _hows, "show": _apart_shows}
        if slot in own_apart:
            return own_apart[slot](desk, question)
    else:
        own_ahead = {
            "horizon": _horizons,
            "bands": _bands,
            "split": _ahead_splits,
            "plan": _plans,
            "known": _known_columns,
            "events": _known,
        }
        if slot in own_ahead:
            return own_ahead[slot](desk, question)
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _times(desk: Desk, question: Time) -> list[Offer]:
    """Return the columns of time, when years begin, the clock, and what rows last until."""
    able = [c for c in desk.table.columns if c.dated and (not c.yearly or not isinstance(question, Cycle))]
    found = [Offer(f"over {c.name}", c.name, c.name == question.time, str(c.kind)) for c in able]
    if isinstance(question, OverTime):
        found += [
            _slotted("year_start", offer)
            for offer in _year_starts(desk, question)
            if offer.value in ("1", "4", "7", "10")
        ]
        found += [_slotted("until", offer) for offer in _untils(desk, question)[1:]]
    if desk.table.column(question.time).kind == Kind.DATETIME:
        found += [_slotted("zone", offer) for offer in _zones(desk, question)[:4]]
    return found


def _slotted(slot: str, offer: Offer) -> Offer:
    return Offer(offer.text, offer.value, offer.chosen, offer.hint, Slot(slot, offer.value))


def _zones(desk: Desk, question: Time) -> list[Offer]:
    hint = "the column is told in UTC; days follow this clock"
    return [
        Offer("by its own clock", None, question.zone is None),
        *(Offer(f"by the clock of {zone}", zone, zone == question.zone, hint) for zone in ZONES),
    ]


def _able_grains(desk: Desk, question: OverTime | Apart | Ahead) -> tuple[list[GrainName], int]:
    """Return the steps a column of time has, finest first, and the place of the present one."""
    timed = desk.table.column(question.time).kind == Kind.DATETIME
    able = [grain for grain in GRAINS if timed or grain != "hour"]
    able = ["year"] if desk.table.column(question.time).yearly else able
    present = grain_for(question, desk.rows)
    return able, able.index(present) if present in able else 0


def neighbours(desk: Desk, question: OverTime | Apart | Ahead) -> dict[str, GrainName]:
    """Return the next finer and the next coarser step, where there is one."""
    able, at = _able_grains(desk, question)
    found = {"finer": at - 1, "coarser": at + 1}
    return {name: able[i] for name, i in found.items() if 0 <= i < len(able)}


def _grains(desk: Desk, question: OverTime | Apart | Ahead) -> list[Offer]:
    """Return the steps, the present one with its neighbours first."""
    able, at = _able_grains(desk, question)
    present = able[at]
    hints = {at - 1: "one finer", at + 1: "one coarser"}
    order = sorted(range(len(able)), key=lambda i: abs(i - at))
    return [Offer(GRAIN_WORDS[able[i]], able[i], able[i] == present, hints.get(i, "")) for i in order]


def _groups(desk: Desk) -> list[Column]:
    return [c for c in desk.table.columns if can_compare(c) and not c.dated]


def _splits(desk: Desk, question: OverTime) -> list[Offer]:
    taken = question.measure.column
    return [
        Offer("all together", None, question.split is None),
        *(
            Offer(f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values")
            for c in _groups(desk)
            if c.name != taken
        ),
    ]


def _shapes(desk: Desk, question: OverTime) -> list[Offer]:
    found = [Offer(SHAPE_WORDS[s], s, s == question.shape) for s in shapes_for(question)]
    if question.shape in ("line", "area"):
        text = "without points and figures" if question.points else "with points and figures"
        found.append(Offer(text, "points", False, "where there is room"))
    return found


def _views(desk: Desk, question: OverTime) -> list[Offer]:
    grain = grain_for(question, desk.rows)
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


def _against(desk: Desk, question: OverTime) -> list[Offer]:
    present = question.against
    made = [Against("before"), Against("year")]
    made += [Against("column", name) for name in plan_columns(desk, question.measure)[:MOST_PLANS]]
    if question.split is None:
        for column in [c for c in desk.table.columns if makes_groups(c) and c.distinct <= 12][:3]:
            made += [Against("group", column.name, group) for group in desk.table.coded(column.name).labels]
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


def _show(desk: Desk, question: OverTime) -> list[Offer]:
    present = question.against.show if question.against else ""
    return [Offer(f"difference {words}", key, key == present) for key, words in SHOW_WORDS.items()]


def _levels(desk: Desk, question: OverTime) -> list[Offer]:
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


def _events(desk: Desk, question: OverTime) -> list[Offer]:
    yes = [c for c in desk.table.columns if c.kind == Kind.YES_NO]
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


def _known(desk: Desk, question: Ahead) -> list[Offer]:
    return [
        Offer("nothing known", None, not question.events),
        *(Offer(f"without {e.name}", to_json(e), True, f"{e.first} to {e.last}") for e in question.events),
    ]


def _known_columns(desk: Desk, question: Ahead) -> list[Offer]:
    taken = (question.measure.column, question.measure.per, question.time, question.plan)
    able = [
        c for c in desk.table.columns if (c.kind == Kind.YES_NO or c.kind.numeric) and c.name not in taken
    ]
    able.sort(key=lambda c: c.kind != Kind.YES_NO)
    hints = {True: "by its days", False: "needs rows with its values to come"}
    return [
        Offer("nothing known", None, question.known is None),
        *(
            Offer(f"knowing {c.name}", c.name, c.name == question.known, hints[c.kind == Kind.YES_NO])
            for c in able
        ),
    ]


def _more(desk: Desk, question: OverTime) -> list[Offer]:
    return more_offers(desk, question.measure, question.more, hint="in a panel of its own")


def _untils(desk: Desk, question: OverTime) -> list[Offer]:
    able = [c for c in desk.table.columns if c.kind.temporal and c.name != question.time]
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


def _year_starts(desk: Desk, question: OverTime) -> list[Offer]:
    return [
        Offer(f"years from {name}", str(i), i == question.year_start) for i, name in enumerate(MONTH_NAMES, 1)
    ]


def _keeps(desk: Desk, question: OverTime) -> list[Offer]:
    return [
        Offer("all that fit", None, question.keep is None),
        *(Offer(f"the largest {n} kept", str(n), n == question.keep) for n in (3, 5, 7, 12)),
    ]


def _parts(desk: Desk, question: Cycle) -> list[Offer]:
    timed = desk.table.column(question.time).kind == Kind.DATETIME
    hints = {"day": "hours", "week": "weekdays", "year": "months", "quarters": "of the year"}
    return [
        Offer(f"through {words}", key, key == question.part, hints[key])
        for key, words in PART_WORDS.items()
        if timed or key != "day"
    ]


def _cycle_shapes(desk: Desk, question: Cycle) -> list[Offer]:
    crossed = "hours" if desk.table.column(question.time).kind == Kind.DATETIME else "months"
    hints = {"grid": f"by {crossed}", "rows": f"over the {crossed}"}
    return [Offer(w, k, k == question.shape, hints.get(k, "")) for k, w in CYCLE_SHAPES.items()]


def _cycle_splits(desk: Desk, question: Cycle) -> list[Offer]:
    return [
        Offer("all together", None, question.split is None and not question.years),
        Offer("a line for each year", "each year", question.years),
        *(
            Offer(f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values")
            for c in _groups(desk)
        ),
    ]


def _hows(desk: Desk, question: Apart) -> list[Offer]:
    return [
        Offer("as fits", None, question.way is None, "what leaves the remainder more even"),
        *(Offer(words, key, key == question.way) for key, words in WAY_WORDS.items()),
    ]


def _apart_shows(desk: Desk, question: Apart) -> list[Offer]:
    return [Offer(words, key, key == question.show) for key, words in APART_SHOW.items()]


def _horizons(desk: Desk, question: Ahead) -> list[Offer]:
    grain = grain_for(question, desk.rows)
    usual = HORIZONS[grain]
    ladder = sorted({max(1, usual // 4), max(1, usual // 2), usual, 2 * usual})
    return [
        Offer("as far as fits", None, question.horizon is None),
        *(Offer(f"the next {counted(n, grain)}", str(n), n == question.horizon) for n in ladder),
    ]


def _bands(desk: Desk, question: Ahead) -> list[Offer]:
    made: list[tuple[int, ...]] = [(80, 95), (50, 80, 95), (80,), (95,), (50,)]
    return [Offer(bands_words(b), " ".join(map(str, b)), b == question.bands) for b in made]


def _ahead_splits(desk: Desk, question: Ahead) -> list[Offer]:
    return [
        Offer("all together", None, question.split is None),
        *(
            Offer(
                f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values, totals agree"
            )
            for c in _groups(desk)
        ),
    ]


def _plans(desk: Desk, question: Ahead) -> list[Offer]:
    able = [c for c in desk.table.columns if c.kind.numeric and c.name != question.measure.column]
    return [
        Offer("against no plan", None, question.plan is None),
        *(Offer(f"against {c.name}", c.name, c.name == question.plan) for c in able),
    ]
