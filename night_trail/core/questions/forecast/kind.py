"""The kind: where a series is going."""

from __future__ import annotations

from night_trail.core.questions.forecast import answer, figures, offers, sentence, words
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time.answer import first_over_time
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.table import Column, Table


def gist(question: Forecast, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.split,) if question.split else ()
    return Gist(question.column, question.measure, groups, question.time, question.grain, question.zone)


def from_gist(gist: Gist, table: Table) -> Forecast:
    """Return a gist's measure ahead."""
    return Forecast(gist.measured(table), gist.when(table).name, gist.grain, zone=gist.zone)


def broken_down(question: Forecast, by: Column, table: Table) -> OverTime:
    """Return a line over time for each group."""
    return first_over_time(question.measure, table.column(question.time), by.name)


KIND = QuestionKind(
    tag="ahead",
    way="where it is going",
    question=Forecast,
    check=answer.check,
    answer=answer.ahead,
    said=sentence.said,
    short_name=sentence.short_name,
    read=None,
    changed=sentence.changed,
    offers=offers.offers,
    words={ForecastAnswer: words.forecast_words},
    figures={ForecastAnswer: figures.forecast_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
