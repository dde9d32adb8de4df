"""Cells that hold several values: recognised, a row or a yes/no column each, and never counted twice unsaid."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest

from night_trail.core.conditions import OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.recipe import apply
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.offers import column_offers
from night_trail.core.recipe.several import several
from night_trail.core.rows import Rows
from night_trail.core.table import Table, counted_texts
from tests.core.tables import table_of

KINDS = ["hawk moth", "beetle", "lacewing", "caddis", "crane fly"]


def nights(mark: str = "|") -> tuple[pd.DataFrame, Table]:
    rng = np.random.default_rng(4)
    frame = pd.DataFrame(
        {
            "seen": [mark.join(rng.choice(KINDS, rng.integers(1, 4), replace=False)) for _ in range(200)],
            "catch": rng.integers(1, 90, 200),
            "trap": rng.choice(["fen", "hill"], 200),
        }
    )
    frame.loc[[3, 50], "seen"] = None
    return frame, table_of(seen=_plain(frame.seen), catch=frame["catch"].tolist(), trap=frame.trap.tolist())


def _plain(texts: pd.Series) -> list[str | None]:
    return [None if pd.isna(text) else text for text in texts]


@pytest.mark.parametrize("mark", ["|", "; ", ", ", "/"])
def test_values_between_marks_are_recognised(mark: str) -> None:
    frame, table = nights(mark)
    found = several(counted_texts(table.series("seen")), table.column("seen").missing)
    assert found is not None and found.mark == mark.strip()
    counts = frame.seen.dropna().str.split(mark).explode().value_counts()
    assert set(found.values) == set(KINDS) and found.values[0] == counts.index[0]
    assert found.rows == len(frame.seen.str.split(mark).explode())


RNG = np.random.default_rng(8)


@pytest.mark.parametrize(
    "texts",
    [
        [f"{last}, {first}" for last, first in RNG.choice([["Reed", "Ana"], ["Marsh", "Bo"], ["Iha", "Cem"]], 90)],
        [f"{place}, {part}" for place in ("Tarn", "Wold", "Ness") for part in ("upper", "lower") for _ in range(30)],
        [f"{a}/{b}/2020" for a, b in RNG.integers(1, 12, (200, 2))],
        [f"{a};{b}" for a, b in RNG.integers(1, 9, (200, 2))],
        ["n/a", "yes", "no"] * 40,
        [", ".join(RNG.choice(["the bus was late again today", "rain all night and no shelter"], 2)) for _ in range(90)],
        [f"code{i}|code{i + 1}" for i in range(200)],
        ["a|b"], [], [None] * 20,
    ],
)  # fmt: skip
def test_names_places_dates_and_sentences_are_one_value(texts: list[str | None]) -> None:
    table = table_of(x=texts)
    assert several(counted_texts(table.series("x")), 0) is None


def test_a_row_for_each_value_is_what_pandas_makes_and_sums_know_it() -> None:
    frame, table = nights()
    offers = {type(o.step): o for o in column_offers(table.column("seen"), table.series("seen"))}
    made = offers[s.OneEach]
    theirs = frame.assign(seen=frame.seen.str.split("|")).explode("seen")
    assert made.text == f"A row for each of its values (200 rows become {len(theirs):,})"
    after = apply([s.Describe("catch", additive=True), made.step], table).table("after")
    assert after.height == len(theirs)
    assert after.series("seen").to_list() == _plain(theirs.seen)
    assert after.series("catch").to_list() == theirs["catch"].tolist()
    once = made.step.once
    only = (OneOf(once, ("yes",)),)
    assert Rows(after, only).n == 200
    assert (
        not after.column("catch").additive and "once for each value of seen" in after.column("catch").summing
    )
    # said wherever rows are counted several times, and not where each is counted once
    by_trap = Compare(Measure("count"), "trap")
    said = words_of(answer(by_trap, Rows(after)), after, ()).cautions
    assert any("counts several times" in c for c in said)
    said = words_of(answer(by_trap, Rows(after, only)), after, only).cautions
    assert not any("several" in c for c in said)
    said = words_of(answer(Compare(Measure("count"), "seen"), Rows(after)), after, ()).cautions
    assert any("counts in each of them" in c for c in said)
    before = words_of(answer(by_trap, Rows(table)), table, ()).cautions
    assert not any("several" in c for c in before)


def test_a_yes_no_column_each_is_what_pandas_makes() -> None:
    frame, table = nights()
    offers = {type(o.step): o for o in column_offers(table.column("seen"), table.series("seen"))}
    after = apply([offers[s.YesNoEach].step], table).table("after")
    theirs = frame.seen.str.get_dummies("|")
    for kind in KINDS:
        made = after.series(f"seen: {kind}")
        assert made.null_count() == 2 and made.sum() == theirs[kind].sum()
        assert after.column(f"seen: {kind}").kind == "yes/no"
    assert after.height == 200 and after.series("seen").to_list() == table.series("seen").to_list()


def test_a_name_that_is_taken_and_a_number_are_no_trouble() -> None:
    _, table = nights()
    step = s.OneEach("seen", "|", "catch")
    assert apply([step], table).table().column("seen").once == "catch (2)"
    with pytest.raises(BadQuestion, match="Only texts"):
        apply([s.OneEach("catch", "|", "x")], table)
    with pytest.raises(BadQuestion, match="between the values"):
        apply([s.OneEach("seen", "", "x")], table)
    with pytest.raises(BadQuestion, match="values are needed"):
        apply([s.YesNoEach("seen", "|", ())], table)
