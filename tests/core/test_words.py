"""What is said beside pictures, and the docstrings' examples."""

from __future__ import annotations

import doctest
import importlib
import pkgutil

import numpy as np
import polars as pl
import pytest

import night_trail.core
import night_trail.draw
from night_trail.core.conditions import Between, OneOf
from night_trail.core.language.spans import Words, plain
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
from tests.core.tables import table_of


@pytest.mark.parametrize(
    "name",
    [
        m.name
        for package in (night_trail.core, night_trail.draw)
        for m in pkgutil.walk_packages(package.__path__, package.__name__ + ".")
    ]
    + ["night_trail.trails.rowlist", "night_trail.tales.prose"],
)
def test_examples_in_docstrings_hold(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


def said(question: Spread, lit: object = None, only: tuple = (), **columns: object) -> Words:
    table = table_of(**columns)
    return words_of(answer(question, Rows(table, only, lit)), table)


def test_the_main_fact_comes_first() -> None:
    words = said(Spread("v"), v=np.arange(101.0))
    assert plain(words.headline) == "Half of the 101 rows lie between 25 and 75, the middle at 50."
    assert {f.key: f.value for f in words.facts}["mean"] == 50.0


def test_lit_rows_are_set_against_the_rest() -> None:
    words = said(Spread("v"), lit=Between("v", 80.0), v=np.arange(101.0))
    assert "The middle of the 21 lit is 90, against 39.5 for the rest." in plain(words.headline)
    assert [s.text for s in words.headline if s.role == "lit"] == ["21", "90"]


def test_left_out_rows_gathered_tails_and_few_rows_are_cautioned() -> None:
    values = [*np.random.default_rng(0).normal(0, 1, 2_000).tolist(), 500.0, None, None]
    cautions = " ".join(said(Spread("v"), v=pl.Series(values)).cautions)
    assert "2 rows have no v and are left out." in cautions
    assert "1 row beyond" in cautions and "(at 500) is gathered in the last bar." in cautions
    assert "Only 3 rows" in " ".join(said(Spread("v"), v=[1.0, 2.0, 3.0]).cautions)


def test_an_axis_that_does_not_start_at_zero_and_uneven_bins_are_cautioned() -> None:
    words = said(Spread("v", shape="boxes"), v=np.arange(40.0, 90.0))
    assert "The axis of v does not start at zero" in " ".join(words.cautions)
    days = pl.date_range(pl.date(2024, 1, 1), pl.date(2024, 12, 31), eager=True)
    months = Spread("d", bins=Bins(calendar="month"))
    assert "uneven" in " ".join(said(months, d=days).cautions)
    dense = Spread("d", bins=Bins(calendar="month"), height="density")
    assert "uneven" not in " ".join(said(dense, d=days).cautions)


def test_boxes_name_the_highest_and_the_lowest() -> None:
    groups = np.repeat(["a", "b"], 50)
    values = np.concatenate([np.arange(50.0), np.arange(50.0) + 100])
    words = said(Spread("v", "g", "boxes"), lit=OneOf("g", ("a",)), v=values, g=groups)
    text = plain(words.headline)
    assert (
        "highest for b at 124.5 and lowest for a at 24.5. They lie further apart than chance would put them."
        in text
    )
    assert "All 50 lit are in a, their middle at 24.5." in text


@pytest.mark.parametrize("draw", ["normal", "lognormal", "poisson"])
def test_middles_of_noise_hardly_ever_lie_apart_and_planted_ones_do(draw: str) -> None:
    rng = np.random.default_rng(5)
    make = {"normal": rng.normal, "lognormal": rng.lognormal, "poisson": lambda size: rng.poisson(2.0, size)}[
        draw
    ]
    groups = np.repeat([f"g{i:02d}" for i in range(12)], 40)

    def beyond(shift: float) -> int:
        found = 0
        for _ in range(40):
            values = np.asarray(make(size=480), dtype=float) + shift * (groups == "g03")
            found += answer(Spread("v", "g", "boxes"), Rows(table_of(v=values, g=groups))).apart
        return found

    assert beyond(0.0) <= 2
    assert beyond(5.0) == 40
    single = said(Spread("v", "g", "boxes"), v=[1.0, 2.5], g=["a", "b"])
    assert "may lie by chance" in plain(single.headline)


def test_panels_name_the_highest_and_the_lowest_middle() -> None:
    groups = np.repeat(["a", "b"], 50)
    words = said(Spread("v", "g"), v=np.concatenate([np.arange(50.0), np.arange(50.0) + 100]), g=groups)
    assert "The middle is highest for b at 124.5 and lowest for a at 24.5." in plain(words.headline)


@pytest.mark.parametrize("shape", ["histogram", "boxes"])
def test_nothing_left_is_said_with_the_way_on(shape: str) -> None:
    words = said(Spread("v", shape=shape), only=(Between("v", 9.0),), v=[1.0, 2.0])
    assert "the filter keeps none" in plain(words.headline)
    empty = said(Spread("v", shape=shape), v=pl.Series([], dtype=pl.Float64))
    assert plain(empty.headline) == "The table has no rows."
    missing = said(Spread("v", shape=shape), v=pl.Series([None], dtype=pl.Float64))
    assert plain(missing.headline) == "Nothing to show: v is missing in the one row."


def test_bars_in_words() -> None:
    words = said(Spread("g", shape="bars"), g=["a"] * 30 + ["b"] * 10)
    assert plain(words.headline).startswith("a is the most frequent: 30 of 40 rows (75\u2009%).")
