"""The form of a distribution: said where it was planted, and not said of what chance makes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from night_trail.core.language.numbers import percent
from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.form import Form, form, limits
from tests.core.tables import table_of

Make = Callable[[np.random.Generator], np.ndarray]


def kinds(found: Form) -> set[str]:
    said = {"limit high" if limit.high else "limit low" for limit in found.limits}
    said |= {"even"} if found.even else {f"stop {'high' if high else 'low'}" for high in found.stops}
    said |= {f"tail {found.tail:+d}"} if found.tail else set()
    return said | ({"far"} if found.far is not None else set())


@pytest.mark.parametrize(
    ("make", "planted"),
    [
        (lambda rng: rng.exponential(3.0, 3_000), {"tail +1"}),
        (lambda rng: 50 - rng.gamma(2.0, 2.0, 3_000), {"tail -1"}),
        (lambda rng: np.minimum(rng.normal(20.0, 9.0, 3_000), 34.0), {"limit high"}),
        (lambda rng: np.where(rng.random(3_000) < 0.3, 0.0, rng.gamma(5.0, 2.0, 3_000)), {"limit low"}),
        (lambda rng: rng.standard_t(3, 3_000), {"far"}),
        (lambda rng: rng.uniform(5.0, 9.0, 3_000), {"even"}),
        (lambda rng: (values := rng.normal(50.0, 1.0, 9_000))[values < 51.0], {"stop high"}),
        (lambda rng: 15 + rng.exponential(3.0, 3_000), {"tail +1", "stop low"}),
    ],
)
def test_what_was_planted_is_found_and_nothing_else(make: Make, planted: set[str]) -> None:
    for seed in range(5):
        assert kinds(form(np.sort(make(np.random.default_rng(seed))))) == planted


@pytest.mark.parametrize(
    "make",
    [
        lambda rng: rng.normal(10.0, 2.0, rng.integers(200, 4_000)),
        lambda rng: np.round(rng.normal(100.0, 15.0, rng.integers(200, 4_000))),
        lambda rng: rng.poisson(50.0, rng.integers(200, 4_000)).astype(float),
        lambda rng: rng.beta(2.0, 2.0, rng.integers(200, 4_000)),
        # multiples of ten are common, also the last of them
        lambda rng: np.where(
            rng.random(2_000) < 0.3,
            np.round(rng.normal(50, 15, 2_000), -1),
            rng.normal(50, 15, 2_000).round(),
        ),
    ],
)
def test_a_bell_has_no_form_to_speak_of(make: Make) -> None:
    said = [kinds(form(np.sort(make(np.random.default_rng(seed))))) for seed in range(60)]
    assert sum(map(bool, said)) <= 1


def test_few_values_are_not_judged() -> None:
    rng = np.random.default_rng(1)
    assert form(np.sort(rng.exponential(3.0, 150))) == Form()
    assert form(np.sort(rng.poisson(1.0, 5_000).astype(float))) == Form()
    assert form(np.full(500, 3.0)) == Form() and limits(np.array([])) == ()


def test_the_form_is_said_below_the_picture_and_a_limit_is_no_hump() -> None:
    rng = np.random.default_rng(2)
    capped = np.round(np.minimum(rng.normal(20.0, 9.0, 4_000), 40.0), 1)
    capped = np.concatenate([capped, np.full(200, 40.0)])
    table = table_of(v=capped)
    found = answer(Spread("v"), Rows(table))
    assert len(found.humps) == 1
    said = plain(words_of(found, table).headline)
    share = np.mean(capped == 40.0)
    assert f"Exactly at 40, the highest of all, lie {percent(share)}: that may be a limit." in said
    noise = table_of(v=rng.normal(size=4_000))
    said = plain(words_of(answer(Spread("v"), Rows(noise)), noise).headline)
    assert not any(word in said for word in ("tail", "abruptly", "limit", "evenly", "bell"))


def test_little_beside_a_limit_has_no_humps() -> None:
    rng = np.random.default_rng(3)
    odd = rng.choice([0.1, 0.4, 1.2, 3.2, 4.8, 7.9], 2_000) * rng.choice([1.0, 1.01, 1.02, 1.03, 1.05], 2_000)
    values = np.where(rng.random(2_000) < 0.68, 0.0, odd)
    table = table_of(v=values)
    found = answer(Spread("v"), Rows(table))
    assert len(found.humps) < 2 and "humps" not in plain(words_of(found, table).headline)
