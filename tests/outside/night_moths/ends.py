"""The kind: its sentence, its answer, its words and figures."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from night_moths.question import Ends
from night_trail.core.conditions import Condition, between
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import value
from night_trail.core.language.spans import Fact, Words, spans
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.basis import Basis, basis_of
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.offers import Looking, Offer, column_offer, no_slot
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table


@dataclass(frozen=True)
class EndsAnswer:
    """The least and the most of a column; both NaN where it has no value."""

    question: Ends
    column: Column
    basis: Basis
    least: float
    most: float

    def condition(self, at: float) -> Condition:
        """Return the rows that lie at an end."""
        return between(self.column, at, at, True)


def check(question: Ends, table: Table) -> None:
    """Refuse what has no ends."""
    if not table.column(question.column).kind.numeric:
        raise BadQuestion(f"“{question.column}” is no number", "column", "Choose a number.")


def ends(question: Ends, rows: Rows) -> EndsAnswer:
    """Return the least and the most of the kept rows."""
    found = rows.measured(question.column).values
    basis = basis_of(rows, question.column, len(found), rows.lit)
    least, most = (float(found[0]), float(found[-1])) if len(found) else (float("nan"),) * 2
    return EndsAnswer(question, rows.table.column(question.column), basis, least, most)


def said(question: Ends, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence."""
    return Sentence(
        (
            Part("Between what does "),
            Part(question.column, "column"),
            Part(" "),
            Part("lie", "way"),
            Part("?"),
        )
    )


def read(body: str, table: Table) -> Ends | None:
    """Return what typed words ask for."""
    begun = re.match(r"between what does (.+?) lie$", body, re.IGNORECASE)
    column = take_column(begun[1], table)[0] if begun else None
    return Ends(column.name) if column is not None else None


def changed(question: Ends, slot: str, value_: Any, table: Table, lit: Any = None) -> tuple[Ends, str]:
    """Return the question with another column."""
    name = table.column(value_ or "").name
    return Ends(name), f"ends of {name}"


def offers(slot: str, look: Looking, question: Ends) -> list[Offer]:
    """Return the columns that have ends."""
    if slot != "column":
        raise no_slot(slot)
    return [column_offer(c, c.name == question.column) for c in look.table.columns if c.kind.numeric]


def words(answer: EndsAnswer, table: Table) -> Words:
    """Return what is said beside it."""
    if answer.least != answer.least:
        return Words(spans("No row that is kept has a value."))
    low, high = (value(at, answer.column.kind, answer.column.unit) for at in (answer.least, answer.most))
    facts = (Fact("least", "least", answer.least, low), Fact("most", "most", answer.most, high))
    return Words(spans("It lies between {low} and {high}.", low=low, high=high), facts)


def figures(answer: EndsAnswer) -> Made:
    """Return both ends as a table."""

    def rows() -> Iterator[list[Figure]]:
        yield ["least", answer.least, None]
        yield ["most", answer.most, None]

    return ["end", answer.question.column], rows()


def from_gist(gist: Gist, table: Table) -> Ends:
    """Return the ends of what another picture is about."""
    made = Ends(gist.column)
    check(made, table)
    return made


KIND = QuestionKind(
    tag="ends",
    way="between what it lies",
    question=Ends,
    check=check,
    answer=ends,
    said=said,
    short_name=lambda question: f"ends of {question.column}",
    read=read,
    changed=changed,
    offers=offers,
    words={EndsAnswer: words},
    figures={EndsAnswer: figures},
    gist=lambda question, table: Gist(question.column),
    from_gist=from_gist,
    broken_down=lambda question, by, table: question,
)
