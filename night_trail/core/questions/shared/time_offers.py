"""What the slots that all sentences of time have offer."""

from __future__ import annotations

from night_trail.core.moments import GRAINS, GrainName
from night_trail.core.question import Time
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measure_offers import (
    aggregate_offers,
    column_offers,
    per_offers,
)
from night_trail.core.questions.shared.offers import Looking, Offer
from night_trail.core.questions.shared.periods import grain_for
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.table import Column, Kind

ZONES = (
    "UTC", "Europe/Lisbon", "Europe/London", "Europe/Paris", "Europe/Helsinki", "America/New_York",
    "America/Chicago", "America/Los_Angeles", "America/Sao_Paulo", "Africa/Nairobi", "Asia/Kolkata",
    "Asia/Shanghai", "Asia/Tokyo", "Australia/Sydney", "Pacific/Auckland",
)  # fmt: skip
MOST_PLANS = 6


def slotted(slot: str, offer: Offer) -> Offer:
    """Return an offer that goes into another slot."""
    return Offer(offer.text, offer.value, offer.chosen, offer.hint, slot)


def zones(look: Looking, question: Time) -> list[Offer]:
    """Return the clocks a question can follow."""
    hint = "the column is told in UTC; days follow this clock"
    return [
        Offer("by its own clock", None, question.zone is None),
        *(Offer(f"by the clock of {zone}", zone, zone == question.zone, hint) for zone in ZONES),
    ]


def able_grains(look: Looking, question: OverTime | Decomposition | Forecast) -> tuple[list[GrainName], int]:
    """Return the steps a column of time has, finest first, and the place of the present one."""
    timed = look.table.column(question.time).kind == Kind.DATETIME
    able = [grain for grain in GRAINS if timed or grain != "hour"]
    able = ["year"] if look.table.column(question.time).yearly else able
    present = grain_for(question, look.rows)
    return able, able.index(present) if present in able else 0


def neighbours(look: Looking, question: OverTime | Decomposition | Forecast) -> dict[str, GrainName]:
    """Return the next finer and the next coarser step, where there is one."""
    able, at = able_grains(look, question)
    found = {"finer": at - 1, "coarser": at + 1}
    return {name: able[i] for name, i in found.items() if 0 <= i < len(able)}


def grains(look: Looking, question: OverTime | Decomposition | Forecast) -> list[Offer]:
    """Return the steps, the present one with its neighbours first."""
    able, at = able_grains(look, question)
    present = able[at]
    hints = {at - 1: "one finer", at + 1: "one coarser"}
    order = sorted(range(len(able)), key=lambda i: abs(i - at))
    return [Offer(GRAIN_WORDS[able[i]], able[i], able[i] == present, hints.get(i, "")) for i in order]


def groups(look: Looking) -> list[Column]:
    """Return the columns that can make a series of each of their groups."""
    return [c for c in look.table.columns if can_compare(c) and not c.dated]


def offers_first(slot: str, look: Looking, question: Time) -> list[Offer] | None:
    """Return the choices for a slot that all questions of time have; None for others."""
    of_measure = {"aggregate": aggregate_offers, "column": column_offers, "per": per_offers}
    if slot in of_measure:
        return of_measure[slot](look, question.measure)
    if slot == "zone":
        return zones(look, question)
    return None


def times(look: Looking, question: Time, yearly: bool = True) -> list[Offer]:
    """Return the columns of time, those of years where they are of use, and then the clock."""
    able = [c for c in look.table.columns if c.dated and (yearly or not c.yearly)]
    return [Offer(f"over {c.name}", c.name, c.name == question.time, str(c.kind)) for c in able]


def clocks(look: Looking, question: Time) -> list[Offer]:
    """Return the first clocks, where the column of time has hours."""
    if look.table.column(question.time).kind != Kind.DATETIME:
        return []
    return [slotted("zone", offer) for offer in zones(look, question)[:4]]
