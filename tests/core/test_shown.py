"""What shapes show beside figures, against scipy and by hand; the table of figures has the same."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest
from scipy import stats

from night_trail.core.questions.over_time.shown import (
    from_own_median,
    largest_step,
    ranks,
    shades,
    usual_change,
)
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from tests.core.tables import table_of

RNG = np.random.default_rng(7)
MONTHS = pl.datetime_range(pl.datetime(2021, 1, 1), pl.datetime(2022, 12, 1), "1mo", eager=True)


def asked(typed: str, sold: np.ndarray, names: list[str] | None = None):
    names = names or ["a", "b", "c"]
    table = table_of(
        when=pl.concat([MONTHS] * len(names)),
        sold=pl.Series(sold.ravel()),
        shop=pl.Series([name for name in names for _ in range(len(MONTHS))]),
    )
    question, only = read(typed, table)
    return answer(question, Rows(table, only))


def test_shades_are_sixths_and_one_spike_does_not_pale_the_rest() -> None:
    values = RNG.permutation(np.arange(600.0))
    found = shades(values)
    assert np.bincount(found, minlength=7).tolist() == [0, 100, 100, 100, 100, 100, 100]
    values[values.argmax()] = 1e9
    assert (shades(values) == found).all()
    assert (
        shades(np.array([np.nan, 3.0, np.nan])).tolist() == [0, 6, 0] and not shades(np.array([np.nan])).any()
    )


def test_ranks_are_those_of_each_period_and_stand_among_the_figures() -> None:
    sold = RNG.normal(100, 20, (3, 24))
    found = asked("sum of sold by month for each shop as ranks", sold)
    order = [one.label for one in found.lines]
    ours = dict(zip(order, ranks(found), strict=True))
    theirs = np.apply_along_axis(lambda column: stats.rankdata(-column), 0, sold)
    for name, row in zip("abc", theirs, strict=True):
        np.testing.assert_array_equal(ours[name], row)
    told = figures_of(found)
    at = told.names.index("rank")
    assert [line[at] for line in told.rows if line[0] == "b"] == theirs[1].tolist()


def test_distances_are_from_the_own_median_and_stand_among_the_figures() -> None:
    sold = RNG.normal(100, 20, (3, 24))
    found = asked("sum of sold by month for each shop as bands of colour", sold)
    for one in found.lines:
        mine = sold["abc".index(one.label)]
        median, off = from_own_median(found, one)
        assert median == pytest.approx(np.median(mine))
        np.testing.assert_allclose(off, mine - np.median(mine))
    told = figures_of(found)
    middle, off_at = told.names.index("its median"), told.names.index("from its median")
    assert all(line[3] - line[middle] == pytest.approx(line[off_at]) for line in told.rows)


def test_the_largest_step_is_between_neighbours_and_beside_the_usual_one() -> None:
    values = np.array([1.0, 2.0, 3.0, np.nan, 50.0, 51.0, 49.0, 50.0, 51.0])
    has = np.flatnonzero(~np.isnan(values))
    # from 3 to 50 a period lies between: that is no step
    assert largest_step(values, has) == (6, -2.0, 1.0)
    assert largest_step(values[:4], has[:3]) is None
    assert usual_change(np.array([100.0, 110.0, 99.0, 108.9])) == pytest.approx(0.1)
    assert usual_change(np.array([5.0])) is None
