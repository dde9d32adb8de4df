"""The sentence of a forecast."""

from __future__ import annotations

from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import whole
from night_trail.core.language.numbers import THIN, counted, listed
from night_trail.core.question import decode
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Event
from night_trail.core.questions.shared.measure_slots import measure_parts, short_measure
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.questions.shared.time_change import changed_first, with_event
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.table import Table


def said(question: Forecast, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a forecast."""
    grain = question.grain or (answer.calendar.grain if answer is not None else None)
    horizon = question.horizon or (answer.horizon if answer is not None and answer.end else None)
    next_ = counted(horizon, grain) if horizon and grain else "periods"
    parts = [Part("Where is "), *measure_parts(question.measure, table), Part(" "), Part("going", "way")]
    parts += [Part(" "), Part(GRAIN_WORDS[grain] if grain else "over time", "grain"), Part(" over the next ")]
    parts.append(Part(next_, "horizon"))
    addable = []
    for given, slot, words, offer in (
        (question.split, "split", f"for each {question.split}", "each group's own"),
        (question.plan, "plan", f"against {question.plan}", "a plan"),
        (question.known, "known", f"knowing {question.known}", "a column that is known ahead"),
        (question.events, "events", _known_words(question), "holidays and other known days"),
    ):
        if given:
            parts += [Part(" "), Part(words, slot)]
        elif slot != "split" or question.measure.aggregate in ADDS_UP:
            addable.append(Part(offer, slot))
    parts += [Part(", with "), Part(bands_words(question.bands), "bands"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def bands_words(bands: tuple[int, ...]) -> str:
    """Return the bands in words."""
    return listed([f"{b}{THIN}%" for b in sorted(bands)]) + (" bands" if len(bands) > 1 else " band")


def _known_words(question: Forecast) -> str:
    names = list(dict.fromkeys(e.name for e in question.events))
    return f"with {listed(names[:3])} known"


def short_name(question: Forecast) -> str:
    """Return a picture's name on the trail and beside."""
    return f"{short_measure(question.measure)} ahead"


def changed(  # noqa: C901  (one case a slot)
    question: Forecast, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Forecast, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if (found := changed_first(question, slot, value, table, lit)) is not None:
        return found
    match slot:
        case "horizon":
            steps = whole(value, 400)
            if value and not steps:
                raise BadQuestion(
                    "Between 1 and 400 periods can be looked ahead", "horizon", "Write a whole number."
                )
            return replace(question, horizon=steps), f"{steps} ahead" if steps else "as far as fits"
        case "bands":
            bands = tuple(int(b) for b in str(value or "").split() if b in ("50", "80", "95"))
            if not bands:
                raise BadQuestion("A forecast needs a band", "bands", "Choose 50, 80 or 95 %.")
            return replace(question, bands=cast(Any, bands)), bands_words(bands)
        case "split":
            name = table.column(value).name if value else None
            return replace(question, split=name), f"for each {value}" if value else "all together"
        case "plan":
            name = table.column(value).name if value else None
            return replace(question, plan=name), f"against {value}" if value else "against no plan"
        case "known":
            name = table.column(value).name if value else None
            return replace(question, known=name), f"knowing {value}" if value else "nothing known"
        case "events":
            if not value:
                return replace(question, events=()), "nothing known"
            event = decode(value, Event, "event")
            return replace(question, events=with_event(question.events, event)), f"with {event.name} known"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
