"""The kind: where a series is going."""

from __future__ import annotations

from night_trail.core.questions.forecast import (
    answer,
    by_group,
    figures,
    offers,
    phrases,
    read,
    sentence,
    words,
)
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time.answer import for_each
from night_trail.core.questions.shared.behind import Behind
from night_trail.core.questions.shared.gist import Gist, gist_in_time
from night_trail.core.questions.shared.time_offers import neighbours
from night_trail.core.table import Table


def from_gist(gist: Gist, table: Table) -> Forecast:
    """Return a gist's measure ahead."""
    return Forecast(gist.measured(table), gist.when(table).name, gist.grain, zone=gist.zone)


KIND = QuestionKind(
    tag="ahead",
    way="where it is going",
    question=Forecast,
    check=answer.check,
    answer=answer.ahead,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("split",),
    read=read.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={ForecastAnswer: words.forecast_words},
    figures={ForecastAnswer: figures.forecast_figures},
    gist=gist_in_time,
    from_gist=from_gist,
    broken_down=for_each,
    modelled=True,
    neighbours=neighbours,
    behind=Behind(
        algorithm=1,
        piece=answer.Alone,
        applies=by_group.applies,
        bare=by_group.bare,
        check=by_group.check,
        count=by_group.count,
        pieces=answer.groups_alone,
        whole=answer.ahead,
        meanwhile=by_group.meanwhile,
    ),
)
