"""A kind of question: what the house knows about it, in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from night_trail.core.language.spans import Words
from night_trail.core.moments import GrainName
from night_trail.core.questions.shared.behind import Behind
from night_trail.core.questions.shared.figures import Made
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.offers import Looking, Offer
from night_trail.core.questions.shared.phrase import Outline, Phrase
from night_trail.core.questions.shared.sentence import Sentence
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table


def _as_asked(question: Any, rows: Rows) -> Any:
    return question


def _as_it_is(answer: Any, every: Sequence[Any]) -> Any:
    return answer


@dataclass(frozen=True)
class Playing:
    """How pictures of a kind play through time.

    ``fixed`` is the question with what must stay the same in all periods taken from all rows;
    ``held`` the answer of one period on the scales of the answers of all.
    """

    fixed: Callable[[Any, Rows], Any] = _as_asked
    held: Callable[[Any, Sequence[Any]], Any] = _as_it_is


@dataclass(frozen=True)
class QuestionKind:
    """A kind of question and its room.

    Attributes
    ----------
    tag, way
        How it is stored, and what the slot ``way`` calls it.
    question
        The struct that is asked.
    check
        Refuses a question that a table cannot answer, before any cell is read.
    answer
        The answer from rows; one of the types that ``words`` and ``figures`` know.
    said, short_name
        The sentence (the answer, where at hand, names what was chosen from the
        data), and the name on the trail.
    read
        The question that typed words ask for, None where they ask for another
        kind; None where a kind that is read before it knows its words.
    changed
        The question with another choice in a slot, and the change in words.
    offers
        What a slot offers.
    words, figures
        What is said beside each type of its answer, and the table behind it.
    gist, from_gist
        What a question is about, and one of this kind about that.
    broken_down
        The same asked across the groups of another column.
    phrases
        What people say for it and for what its slots hold, in the word box.
    likely
        How likely what was typed is of this kind, None where it cannot be.
    group_slots, ungrouped
        The slots that take what rows are grouped by, the first of them first,
        and a slot with its value for where nothing groups them.
    takes_rows
        Whether the rows that are named are what it is about, and no filter.
    modelled
        Whether answers are fitted and take a second: lists do not wait for them.
    neighbours
        The next finer and the next coarser step of its time; None where it has no steps.
    playing
        How it plays through time; None where it does not.
    behind
        How those of its questions are answered that take longer still.
    """

    tag: str
    way: str
    question: type
    check: Callable[[Any, Table], None]
    answer: Callable[[Any, Rows], Any]
    said: Callable[[Any, Table, Any], Sentence]
    short_name: Callable[[Any], str]
    read: Callable[[str, Table], Any] | None
    changed: Callable[..., tuple[Any, str]]
    offers: Callable[[str, Looking, Any], list[Offer]]
    words: Mapping[type, Callable[[Any, Table], Words]]
    figures: Mapping[type, Callable[[Any], Made]]
    gist: Callable[[Any, Table], Gist]
    from_gist: Callable[[Gist, Table], Any]
    broken_down: Callable[[Any, Column, Table], Any]
    phrases: tuple[Phrase, ...] = ()
    likely: Callable[[Outline], float | None] = lambda asked: None
    group_slots: tuple[str, ...] = ()
    ungrouped: tuple[str, str] | None = None
    takes_rows: bool = False
    modelled: bool = False
    neighbours: Callable[[Looking, Any], dict[str, GrainName]] | None = None
    behind: Behind | None = None
    playing: Playing | None = None
