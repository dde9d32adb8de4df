"""What the slots of a forecast offer."""

from __future__ import annotations

from night_trail.core.language.numbers import counted
from night_trail.core.question import to_json
from night_trail.core.questions.forecast.answer import HORIZONS
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.forecast.sentence import bands_words
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.periods import grain_for
from night_trail.core.questions.shared.time_offers import (
    clocks,
    grains,
    groups,
    offers_first,
    times,
)
from night_trail.core.table import Kind


def offers(slot: str, look: Looking, question: Forecast) -> list[Offer]:
    """Return the choices for a slot."""
    found = offers_first(slot, look, question)
    if found is not None:
        return found
    makers = {
        "time": _times, "grain": grains, "horizon": _horizons, "bands": _bands, "split": _ahead_splits,
        "plan": _plans, "known": _known_columns, "events": _known,
    }  # fmt: skip
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _known(look: Looking, question: Forecast) -> list[Offer]:
    return [
        Offer("nothing known", None, not question.events),
        *(Offer(f"without {e.name}", to_json(e), True, f"{e.first} to {e.last}") for e in question.events),
    ]


def _known_columns(look: Looking, question: Forecast) -> list[Offer]:
    taken = (question.measure.column, question.measure.per, question.time, question.plan)
    able = [
        c for c in look.table.columns if (c.kind == Kind.YES_NO or c.kind.numeric) and c.name not in taken
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


def _horizons(look: Looking, question: Forecast) -> list[Offer]:
    grain = grain_for(question, look.rows)
    usual = HORIZONS[grain]
    ladder = sorted({max(1, usual // 4), max(1, usual // 2), usual, 2 * usual})
    return [
        Offer("as far as fits", None, question.horizon is None),
        *(Offer(f"the next {counted(n, grain)}", str(n), n == question.horizon) for n in ladder),
    ]


def _bands(look: Looking, question: Forecast) -> list[Offer]:
    made: list[tuple[int, ...]] = [(80, 95), (50, 80, 95), (80,), (95,), (50,)]
    return [Offer(bands_words(b), " ".join(map(str, b)), b == question.bands) for b in made]


def _ahead_splits(look: Looking, question: Forecast) -> list[Offer]:
    return [
        Offer("all together", None, question.split is None),
        *(
            Offer(
                f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values, totals agree"
            )
            for c in groups(look)
        ),
    ]


def _plans(look: Looking, question: Forecast) -> list[Offer]:
    able = [c for c in look.table.columns if c.kind.numeric and c.name != question.measure.column]
    return [
        Offer("against no plan", None, question.plan is None),
        *(Offer(f"against {c.name}", c.name, c.name == question.plan) for c in able),
    ]


def _times(look: Looking, question: Forecast) -> list[Offer]:
    return [*times(look, question), *clocks(look, question)]
