"""How rows differ: figures against scipy, what was planted found first, nothing claimed of noise."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from scipy import stats

from night_trail.core.conditions import Missing, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.questions.differ.answer import DifferAnswer, check, differ
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.differ.words import differ_words
from night_trail.core.rows import Rows
from night_trail.core.stats.contrast import chance, distance, higher
from night_trail.core.table import Table
from tests.core.tables import table_of

IN = OneOf("side", ("in",))


def asked(table: Table, **more: object) -> DifferAnswer:
    return differ(Differ(IN, **more), Rows(table))  # type: ignore[arg-type]


def test_figures_are_those_of_other_libraries() -> None:
    rng = np.random.default_rng(1)
    ones, others = np.array([40, 25, 35]), np.array([20, 50, 30])
    both = np.array([ones, others])
    assert chance(ones, others) == pytest.approx(stats.chi2_contingency(both, correction=False).pvalue)
    v = stats.contingency.association(both, method="cramer")
    assert distance(ones, others) ** 2 + 2 * (1 / 100 + 1 / 100) / 4 == pytest.approx(v**2)
    a, b = rng.integers(0, 9, 40).astype(float), rng.integers(2, 9, 60).astype(float)
    found = stats.mannwhitneyu(a, b, method="asymptotic")
    delta, p = higher(a, b)
    assert p == pytest.approx(found.pvalue)
    assert delta == pytest.approx(np.sign(a[:, None] - b[None, :]).mean())


def test_how_far_apart_depends_on_shares_and_not_on_sizes() -> None:
    assert distance(np.array([50, 0]), np.array([0, 50])) == pytest.approx(1, abs=0.01)
    assert distance(np.array([500, 500]), np.array([50, 50])) == 0
    small = distance(np.array([60, 40]) * 100, np.array([30, 70]) * 100)
    large = distance(np.array([60, 40]) * 100, np.array([30, 70]) * 10_000)
    assert small == pytest.approx(large, abs=0.002)
    assert (distance(np.array([0]), np.array([3])), chance(np.array([4]), np.array([3]))) == (0, 1)
    assert higher(np.ones(5), np.ones(7)) == (0, 1)


def noise(seed: int, n: int) -> dict[str, object]:
    rng = np.random.default_rng(seed)
    cells: dict[str, object] = {f"n{i}": rng.normal(size=n) ** (1 + i % 3) for i in range(10)}
    cells |= {f"c{i}": rng.choice(list("abcdefgh")[: 2 + i], n).tolist() for i in range(6)}
    cells |= {f"w{i}": rng.poisson(2 + i, n) for i in range(4)}
    return cells | {"side": np.where(rng.random(n) < 0.2, "in", "out").tolist()}


def test_nothing_is_claimed_of_noise() -> None:
    claimed = 0
    for seed in range(30):
        found = asked(table_of(**noise(seed, 500 if seed % 2 else 3_000)))
        claimed += bool(found.found)
        if not found.found:
            text = plain(differ_words(found, table_of(**noise(0, 20))).headline)
            assert text.startswith("Nothing tells rows where side is in from the rest beyond chance")
    assert claimed <= 3


def test_what_was_planted_comes_first_whatever_its_kind() -> None:
    for seed in range(8):
        cells = noise(seed, 2_000)
        side = np.array(cells["side"]) == "in"
        rng = np.random.default_rng(seed)
        cells["shifted"] = rng.normal(size=2_000) + side
        cells["wider"] = rng.normal(size=2_000) * np.where(side, 4, 1)  # no middle differs
        cells["often"] = np.where(rng.random(2_000) < np.where(side, 0.9, 0.4), "x", "y").tolist()
        gone = rng.random(2_000) < np.where(side, 0.5, 0.05)
        cells["gaps"] = pl.Series(np.where(gone, None, rng.normal(size=2_000)).tolist(), dtype=pl.Float64)
        names = [c.name for c in asked(table_of(**cells)).found]
        assert set(names[:4]) == {"shifted", "wider", "often", "gaps missing"}
        left = asked(table_of(**cells), without=("shifted",))
        assert "shifted" not in [c.name for c in left.contrasts]


def test_rows_of_one_night_count_as_one_where_they_stand_or_fall_together() -> None:
    wrong = 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        night = np.repeat(np.arange(200), 25)
        day = [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in night]
        side = np.where((rng.random(200) < 0.3)[night], "in", "out").tolist()
        cells = {"night": day, "side": side, "weather": rng.normal(size=200)[night]}
        cells["late"] = rng.normal(size=5_000) + (2.0 * (np.array(side) == "in"))
        found = asked(table_of(**cells), without=("night",))
        assert found.together is not None
        assert found.found[0].column.name == "late"
        wrong += any(c.column.name == "weather" for c in found.found)
    assert wrong <= 2


def test_sides_are_the_rows_that_were_named_and_marks_name_theirs() -> None:
    cells = noise(3, 2_000)
    side = np.array(cells["side"]) == "in"
    cells["often"] = np.where(
        np.random.default_rng(3).random(2_000) < np.where(side, 0.9, 0.4), "x", "y"
    ).tolist()
    table = table_of(**cells)
    rows = Rows(table, (), OneOf("often", ("x",)))
    found = differ(Differ(IN, OneOf("c0", ("a",))), rows)
    in_, a = mask(IN, table), mask(OneOf("c0", ("a",)), table)
    assert found.both == np.count_nonzero(in_ & a)
    assert found.n == (np.count_nonzero(in_ & ~a), np.count_nonzero(a & ~in_))
    often = found.found[0]
    for share in often.shares:
        has = mask(share.condition, table)  # type: ignore[arg-type]
        assert share.ones == pytest.approx(np.count_nonzero(has & in_ & ~a) / found.n[0])
        assert share.lit == (share.n if share.label == "x" else 0)


def test_few_rows_none_and_themselves() -> None:
    table = table_of(side=["in", "in", *["out"] * 50], x=np.arange(52.0))
    text = plain(differ_words(asked(table), table).headline)
    assert text == "There are 2 rows among rows where side is in: too few to say how they differ."
    assert not asked(table).contrasts
    one = differ(Differ(Missing("x")), Rows(table))
    assert plain(differ_words(one, table).headline).startswith(
        "There are 0 rows among rows where x is missing"
    )
    with pytest.raises(BadQuestion, match="from themselves"):
        check(Differ(IN, IN), table)
