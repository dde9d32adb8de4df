"""What can be written into a slot by hand, beside the choices it offers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from night_trail.core.errors import BadQuestion
from night_trail.core.hand import number_in, real, written_in
from night_trail.core.question import to_json
from night_trail.core.questions.compare.question import Baseline, Rule
from night_trail.core.questions.over_time.question import Event, Level
from night_trail.core.questions.spread.question import Bins
from night_trail.core.table import Table

Fields = Mapping[str, str]


@dataclass(frozen=True)
class Entry:
    """One field: its name, its label, what stands in it; ``choices`` where one is taken of a few."""

    name: str
    label: str
    value: str = ""
    form: str = "text"
    hint: str = ""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class SlotForm:
    """The fields of a slot, the word on its button, and what it makes of what was written.

    ``entries`` takes the question and its table; there are none where nothing
    can be written. ``read`` returns the slot's value or refuses.
    """

    button: str
    entries: Callable[[Any, Table], tuple[Entry, ...]]
    read: Callable[[Fields], Any]


def read_form(slot: str, fields: Fields) -> Any:
    """Return what was written as the value of a slot.

    Raises
    ------
    BadQuestion
        Where the slot has no form, or what was written is none of its values.
    """
    if slot not in FORMS:
        raise BadQuestion(f"There is no form for “{slot[:40]}”")
    return FORMS[slot].read(fields)


def _plain(at: float | None) -> str:
    return "" if at is None else f"{at:.12g}"


def _bins_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    column, bins = table.column(question.column), question.bins
    if column.kind.temporal:
        return ()  # the calendar's widths are all there are
    unit = f", {column.unit}" if column.unit else ""
    return (
        Entry("width", f"Width{unit}", _plain(bins.width), "number"),
        Entry("count", "or how many", _plain(bins.count), "whole"),
        Entry("start", "starting at", _plain(bins.start), "number"),
    )


def _bins(fields: Fields) -> Bins:
    count = number_in(fields, "count")
    if count is not None and count != int(count):
        raise BadQuestion("The number of bins must be whole", "bins", "Write it as 20.")
    number = None if count is None else int(count)
    return Bins(
        width=number_in(fields, "width"),
        count=number,
        start=number_in(fields, "start"),
    )


def _rule_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    rule = question.rule or Rule("above")
    return (
        Entry("side", "Mark what is", rule.side, choices=("above", "below")),
        Entry("at", "this figure", _plain(rule.at), "number"),
    )


def _rule(fields: Fields) -> str:
    """Return a rule; without a figure, that of all together is meant."""
    return to_json(Rule("below" if fields.get("side") == "below" else "above", number_in(fields, "at")))


def _target_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    if question.shape != "figure":
        return ()  # groups are held against groups; a target is one of all rows
    target = question.baseline.target if question.baseline else None
    return (Entry("target", "or a target of", _plain(target), "number"),)


def _target(fields: Fields) -> str:
    return to_json(Baseline(target=real(written_in(fields, "target"), "target")))


def _levels_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    return (
        Entry("target", "A target of", form="number"),
        Entry("percentile", "or the percentile", form="number", hint="90"),
    )


def _level(fields: Fields) -> str:
    if (target := number_in(fields, "target")) is not None:
        return to_json(Level("target", target))
    at = number_in(fields, "percentile")
    if at is None:
        raise BadQuestion("No level is given", "levels", "Write a target or a percentile.")
    return to_json(Level("percentile", at))


def _events_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    return (
        Entry("name", "Name", hint="Lantern Week"),
        Entry("first", "from", form="date"),
        Entry("last", "to", form="date"),
    )


def _event(fields: Fields) -> str:
    first = written_in(fields, "first")
    return to_json(Event(written_in(fields, "name"), first, fields.get("last", "").strip() or first))


def _horizon_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    return (Entry("steps", "How many periods ahead", _plain(question.horizon), "whole"),)


def _zone_entries(question: Any, table: Table) -> tuple[Entry, ...]:
    return (Entry("zone", "Another clock", question.zone or "", hint="Europe/Lisbon"),)


FORMS: Mapping[str, SlotForm] = {
    "bins": SlotForm("Cut it so", _bins_entries, _bins),
    "baseline": SlotForm("Hold it against it", _target_entries, _target),
    "rule": SlotForm("Mark them", _rule_entries, _rule),
    "levels": SlotForm("Draw it", _levels_entries, _level),
    "events": SlotForm("Draw it", _events_entries, _event),
    "horizon": SlotForm("Look so far", _horizon_entries, lambda fields: written_in(fields, "steps")),
    "zone": SlotForm("Follow it", _zone_entries, lambda fields: fields.get("zone", "").strip()),
}
"""By slot: a slot takes the same in every sentence that has it."""
