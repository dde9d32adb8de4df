"""Forecasts of every group of a category, which a worker makes one after another."""

from __future__ import annotations

from dataclasses import replace

from msgspec.structs import replace as changed

from night_trail.core.questions.forecast.answer import MOST_GROUPS, ForecastAnswer, ahead
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.shared.behind import Pending
from night_trail.core.questions.shared.periods import grain_for, periods_of
from night_trail.core.questions.shared.ranking import ranked_grouping
from night_trail.core.rows import Rows


def applies(question: Forecast) -> bool:
    """Whether a forecast is one of groups."""
    return question.split is not None


def bare(question: Forecast) -> Forecast:
    """Return the question whose groups serve this one: bands and a plan are drawn over the same forecasts."""
    return changed(question, bands=(80,), plan=None)


def check(question: Forecast, rows: Rows) -> None:
    """Refuse at once where there are too many periods."""
    periods_of(rows, question.time, grain_for(question, rows), 1, question.zone)


def count(question: Forecast, rows: Rows) -> int:
    """Return how many groups there are."""
    return len(ranked_grouping(rows, question.split, MOST_GROUPS, question.measure)[0].groups)


def meanwhile(question: Forecast, rows: Rows, pending: Pending) -> ForecastAnswer:
    """Return the forecast of all, until those of the groups are made."""
    return replace(ahead(changed(question, split=None), rows), question=question, pending=pending)
