"""All kinds of questions, and the doors to what each of them knows.

An answer is a frozen dataclass of plain data: everything the picture and the
words show is in it. A new kind is a room with a ``kind.py``, and a line here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from night_trail.core.conditions import Condition
from night_trail.core.language.spans import Words
from night_trail.core.outside import brought
from night_trail.core.question import Question
from night_trail.core.questions.changed import kind as changed
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.compare import kind as compare
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.correlation import kind as correlation
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab import kind as crosstab
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.cycle import kind as cycle
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.decomposition import kind as decomposition
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.differ import kind as differ
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.drivers import kind as drivers
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.flow import kind as flow
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.forecast import kind as forecast
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.held import kind as held
from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.kin import kind as kin
from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.make_up import kind as make_up
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.over_time import kind as over_time
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.place import kind as place
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.relate import kind as relate
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.questions.shared.repeats import repeats
from night_trail.core.questions.shared.sentence import Sentence
from night_trail.core.questions.spread import kind as spread
from night_trail.core.questions.spread.answer import SpreadAnswer
from night_trail.core.questions.stages import kind as stages
from night_trail.core.questions.stages.answer import StagesAnswer
from night_trail.core.questions.stands import kind as stands
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.rows import Rows
from night_trail.core.table import Table

Compared = CompareAnswer | CrossAnswer | SeveralAnswer
Made = MakeUpAnswer | FlowAnswer | KinAnswer | PlaceAnswer | StagesAnswer
Timed = OverTimeAnswer | CycleAnswer | DecompositionAnswer | ForecastAnswer
Reasoned = ChangedAnswer | DifferAnswer | DriversAnswer | HeldAnswer | StandsAnswer
Answer = SpreadAnswer | Compared | Made | RelateAnswer | CorrelationAnswer | CrosstabAnswer | Timed | Reasoned

KINDS: tuple[QuestionKind, ...] = (
    spread.KIND,
    compare.KIND,
    make_up.KIND,
    flow.KIND,
    kin.KIND,
    place.KIND,
    stages.KIND,
    relate.KIND,
    correlation.KIND,
    crosstab.KIND,
    over_time.KIND,
    cycle.KIND,
    decomposition.KIND,
    forecast.KIND,
    drivers.KIND,
    held.KIND,
    changed.KIND,
    differ.KIND,
    stands.KIND,
    *brought("night_trail.kinds"),
)
"""In the order in which ways of looking are offered; what installed packages bring comes last."""

_BY_QUESTION = {kind.question: kind for kind in KINDS}


def kind_of(question: Question) -> QuestionKind:
    """Return the kind of a question."""
    return _BY_QUESTION[type(question)]


def answer(question: Question, rows: Rows) -> Answer:
    """Return the answer to a question from these rows."""
    check(question, rows.table)
    found: Answer = kind_of(question).answer(question, rows)
    return found


def check(question: Question, table: Table) -> None:
    """Refuse a question that this table cannot answer, before any cell is read."""
    kind_of(question).check(question, table)


def sentence(question: Question, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a question.

    With its answer at hand, what was chosen from the data is named too.
    """
    return kind_of(question).said(question, table, answer)


def short_name(question: Question) -> str:
    """Return a picture's name on the trail and beside."""
    return kind_of(question).short_name(question)


def words_of(answer: Answer, table: Table, only: Sequence[Condition] | None = None) -> Words:
    """Return the words of an answer; ``only`` are the conditions its rows meet, where they are known."""
    words = kind_of(answer.question).words[type(answer)](answer, table)
    cautions = repeats(answer.question, table, only)
    return replace(words, cautions=(*words.cautions, *cautions)) if cautions else words


def figures_of(answer: Answer) -> Figures:
    """Return the numbers that a picture draws, a row for each mark."""
    names, rows = kind_of(answer.question).figures[type(answer)](answer)
    if answer.basis.lit is None:
        return Figures(tuple(names), tuple(tuple(row[: len(names)]) for row in rows))
    return Figures((*names, "lit"), tuple(tuple(row) for row in rows))
