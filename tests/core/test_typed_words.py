"""What people type before they know our sentences: it asks for the same as the sentence does."""

from __future__ import annotations

import datetime as dt

import pytest

from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.question import Question, Scene
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Kind, Table
from night_trail.core.words_in.readings import meant
from tests.core.tables import table_of
from tests.core.test_compare import typed


@pytest.fixture(scope="module")
def table() -> Table:
    made = table_of(
        at=[dt.datetime(2023, 1, 1) + dt.timedelta(hours=7 * i) for i in range(900)],
        late=[float(i % 13) for i in range(900)],
        boardings=[i % 29 for i in range(900)],
        district=[("Quayside", "Foundry", "Hillfoot")[i % 3] for i in range(900)],
        depot=[("Northgate", "Tallow Lane")[i % 2] for i in range(900)],
    )
    return typed(made, boardings={"additive": True}, late={"unit": "min"})


@pytest.mark.parametrize(
    ("typed_words", "said"),
    [
        ("boardings over time by district", "boardings over time for each district"),
        ("boardings by district over time", "boardings over time for each district"),
        ("sum of boardings month by month, a line for each depot", "boardings by month for each depot"),
        ("boardings over time, by month", "boardings by month"),
        ("late by depot by week", "late by week for each depot"),
        ("late by depot through the week", "late through the week for each depot"),
        ("boardings by weekday", "boardings through the week"),
        ("late by the hour of the day by depot", "late through the day for each depot"),
        ("late by month of the year", "late through the year"),
        ("boardings forecast", "boardings ahead"),
        ("forecast of boardings by depot", "boardings ahead for each depot"),
        ("count by district", "number of rows by district"),
        ("how many rows by district", "number of rows by district"),
        ("rows by district and depot", "number of rows by district and depot"),
        ("rows over time", "number of rows over time"),
        ("average of late, count by depot", "average of late and number of rows by depot"),
        ("late where district is Quayside", "late, only where district is Quayside"),
        ("late by depot where late above 5", "late by depot, only where late above 5"),
        ("share of rows where late above 5 by depot", "the share of rows where late above 5 across depot"),
        ("histogram of late", "late, as a histogram"),
        ("box plots of late by depot", "late by depot, as box plots"),
        ("late and boardings", "late vs boardings"),
        ("correlation between late and boardings", "late vs boardings"),
        ("late vs boardings by depot", "late vs boardings, coloured by depot"),
        ("correlations", "how do the numbers move together"),
        ("district vs depot", "which district goes with which depot"),
    ],
)
def test_other_words_ask_for_the_same(typed_words: str, said: str, table: Table) -> None:
    assert read(typed_words, table) == read(said, table)


def test_columns_that_are_called_like_our_words_come_first() -> None:
    named = table_of(
        month=["May", "June"] * 30,
        count=[1.5, 2.5, 4.0] * 20,
        **{"histogram of late": [3.0, 4.0] * 30},
        weekday=["Mon", "Tue", "Wed"] * 20,
        at=[dt.date(2023, 1, 1) + dt.timedelta(days=i) for i in range(60)],
    )
    assert read("count by month", named)[0].column == "count"
    assert read("count by weekday", named)[0].across == "weekday"
    assert read("histogram of late", named)[0].column == "histogram of late"
    split = read("count by month over time", named)[0]
    assert split.split == "month" and split.measure.column == "count"


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ("late by district and depot", "average of late by district and depot"),
        ("district by depot and district", "count by depot and district"),
        ("late where nothing is there", "does not begin with a column"),
        ("boardings over time by nothing", "is not a column"),
        ("district and late", "has no axis"),
    ],
)
def test_what_is_not_understood_says_how_it_could_be_said(words: str, says: str, table: Table) -> None:
    with pytest.raises(BadQuestion) as refused:
        read(words, table)
    assert says in str(refused.value)


def said_as(words: str, table: Table) -> Question:
    found = meant(words, table, Scene()).scene.main
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("words", "sides"),
    [
        ("how do Quayside and Foundry differ", ("Quayside", "Foundry")),
        ("how do Quayside and Foundry differ from the rest", (("Quayside", "Foundry"), None)),
        ("how do Quayside and Foundry differ from the others", (("Quayside", "Foundry"), None)),
        ("how do Northgate and Tallow Lane differ", ("Northgate", "Tallow Lane")),
    ],
)
def test_two_that_are_named_differ_from_each_other(
    words: str, sides: tuple[object, object], table: Table
) -> None:
    found = said_as(words, table)
    assert isinstance(found, Differ)
    ones, others = sides
    assert found.ones.values == (ones if isinstance(ones, tuple) else (ones,))
    assert found.others is None if others is None else found.others.values == (others,)
    why = said_as("why does the average of late of Northgate and Tallow Lane differ", table)
    assert isinstance(why, Changed)
    assert {why.before.values, why.after.values} == {("Northgate",), ("Tallow Lane",)}
    assert not why.by, "what says which rows are meant tells nothing of how they differ"
    said = plain(words_of(answer(why, Rows(table)), table).headline)
    assert ("is higher by" in said or "is lower by" in said) and "rose" not in said and "fell" not in said


@pytest.mark.parametrize(
    ("words", "before", "after"),
    [
        ("why did late change from february 2023 to april 2023", ("2023-02-01", "2023-03-01"), ("2023-04-01", "2023-05-01")),
        ("why did boardings fall between March 2023 and May 2023", ("2023-03-01", "2023-04-01"), ("2023-05-01", "2023-06-01")),
        ("why did the sum of boardings change in April 2023", ("2023-03-01", "2023-04-01"), ("2023-04-01", "2023-05-01")),
    ],
)  # fmt: skip
def test_from_one_time_to_another_the_two_are_compared_and_not_what_was_before_both(
    words: str, before: tuple[str, str], after: tuple[str, str], table: Table
) -> None:
    found = said_as(words, table)
    assert isinstance(found, Changed)
    assert (found.before.low, found.before.high) == before and (found.after.low, found.after.high) == after


def test_a_picture_of_another_column_is_not_what_was_asked() -> None:
    made = table_of(
        at=[dt.datetime(2023, 1, 1) + dt.timedelta(hours=7 * i) for i in range(900)],
        late=[float(i % 13) for i in range(900)],
        fare=[f"about {i}.{i % 7} or so" for i in range(900)],
        line=[("N1", "N2", "N3")[i % 3] for i in range(900)],
    )
    made = typed(made, fare={"kind": Kind.TEXT})
    for words in ("what drives fare", "what stands out in fare"):
        with pytest.raises(BadQuestion, match="“fare” has no place in this picture"):
            meant(words, made, Scene())
