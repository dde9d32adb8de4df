"""Long columns in order: by counting as by comparing, and by comparing where counting does not do."""

from __future__ import annotations

import numpy as np
import pytest

from night_trail.core.abreast import MANY
from night_trail.core.stats.ordering import by_places

N = MANY + 7


def column(seed: int, decimals: int, spread: float = 20.0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return np.round(rng.normal(3, spread, N), decimals)


@pytest.mark.parametrize("decimals", [0, 1, 2, 3])
@pytest.mark.parametrize("missing", [0.0, 0.3])
def test_counted_order_is_the_stable_one_of_numpy(decimals: int, missing: float) -> None:
    values = column(decimals, decimals, 2.0)
    values[np.random.default_rng(9).random(N) < missing] = np.nan
    found = by_places(values)
    assert found is not None
    order = np.argsort(values, kind="stable")[: np.count_nonzero(~np.isnan(values))]
    assert np.array_equal(found[1], order) and np.array_equal(found[0], values[order])


@pytest.mark.parametrize(
    "values",
    [
        column(1, 0)[:1_000],
        np.random.default_rng(2).normal(size=N),
        np.append(column(3, 1), 0.123456),
        column(4, 0) * 10_000,
        np.append(column(5, 0), np.inf),
        np.append(1e308, column(6, 0)),
        np.full(N, np.nan),
        np.append(np.full(N, np.nan), [0.1, 70_000.0]),
    ],
)
def test_what_is_short_fine_or_far_apart_is_sorted_by_comparing(values: np.ndarray) -> None:
    assert by_places(values) is None


def test_one_value_and_both_zeros_are_in_order() -> None:
    for values in (np.full(N, -2.5), np.where(np.arange(N) % 2 == 0, 0.0, -0.0)):
        found = by_places(values)
        assert found is not None and np.array_equal(found[0], values) and found[1].tolist() == list(range(N))
