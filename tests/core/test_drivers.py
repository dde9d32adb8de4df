"""What drives a column: true drivers before noise, leaks set apart, nothing claimed of noise, figures by hand."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import polars as pl
import pytest
from sklearn.ensemble import HistGradientBoostingRegressor
from sklearn.inspection import partial_dependence

from night_trail.core.conditions import mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.questions.drivers.answer import DriversAnswer, check, drives
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.drivers.words import drivers_words
from night_trail.core.rows import Rows
from night_trail.core.stats.drivers import FOLDS, Family, Matrix, folds_of, shuffled
from night_trail.core.stats.drivers import _Seen as Seen
from night_trail.core.stats.leaves import Leaves
from night_trail.core.stats.trees import Trees
from night_trail.core.table import Table
from tests.core.tables import table_of

TRUE = {"linear", "bent", "kind"}


def noise(rng: np.random.Generator, n: int) -> dict[str, Any]:
    return {
        **{f"n{k}": rng.normal(size=n) for k in range(6)},
        **{f"w{k}": rng.poisson(3, n) for k in range(2)},
        **{f"c{k}": rng.choice([f"{k}{i}" for i in range(3 + 6 * k)], n).tolist() for k in range(3)},
        "many": rng.choice([f"m{i}" for i in range(n // 4)], n).tolist(),
    }


def made(seed: int, n: int = 2_000) -> dict[str, Any]:
    """A target of a line, a bend, a pair, a category, beside noise; in minutes."""
    rng = np.random.default_rng(seed)
    cells = noise(rng, n)
    linear, bent, a, b = rng.normal(size=(4, n))
    kind = rng.choice(["p", "q", "r", "s"], n)
    y = 1.0 * linear + 0.9 * bent**2 + 1.5 * np.sign(a * b) + 2.0 * (kind == "r") + rng.normal(size=n)
    return cells | {"linear": linear, "bent": bent, "a": a, "b": b, "kind": kind.tolist(), "y": y}


def of(cells: dict[str, Any], **more: Any) -> tuple[DriversAnswer, Table]:
    table = table_of(**cells)
    return drives(Drivers("y", **more), Rows(table)), table


def said(pair: tuple[DriversAnswer, Table]) -> str:
    return plain(drivers_words(*pair).headline)


@pytest.mark.parametrize("seed", range(1))
def test_true_drivers_come_before_noise_with_their_shapes_and_the_pair(seed: int) -> None:
    answer, table = of(made(seed))
    names = [d.columns[0] for d in answer.drivers]
    assert set(names[:5]) == TRUE | {"a", "b"}
    assert {d.columns[0] for d in answer.found} == TRUE | {"a", "b"}
    shapes = {d.columns[0]: d.said for d in answer.found}
    assert shapes["linear"] is not None and shapes["linear"].shape in ("line", "curve")
    assert shapes["linear"].by > 0
    assert shapes["bent"] is not None and shapes["bent"].shape == "valley"
    assert shapes["bent"].turn == pytest.approx(0, abs=0.6)
    assert shapes["kind"] is not None and shapes["kind"].by == pytest.approx(2, abs=0.5)
    rows = mask(shapes["kind"].rows, table)  # type: ignore[arg-type]
    assert np.array_equal(rows, np.array(table.series("kind").to_list()) == "r")
    pair = answer.pairs[0]
    assert {pair.one.name, pair.other.name} == {"a", "b"}
    # both low or both high: more; one of each: less; in the order of the values that the axes have
    assert pair.grid.shape == (len(pair.at[0]), len(pair.at[1])) and all(
        np.diff(at).min() > 0 for at in pair.at
    )
    assert min(pair.grid[0, 0], pair.grid[-1, -1]) > 0.5 and max(pair.grid[0, -1], pair.grid[-1, 0]) < -0.5
    opened = DriversAnswer(**vars(answer) | {"question": Drivers("y", opened="a")})
    assert opened.opened is not None and "It acts together with b beyond" in said((opened, table))
    assert 0.4 < answer.explained < 0.85


def test_of_noise_nothing_drives() -> None:
    claimed = 0
    # of thirty more tables the bench says how often (docs/accuracy.md)
    for seed in range(2):
        rng = np.random.default_rng(seed)
        n = 500 if seed % 2 else 1_500
        y = np.where(rng.random(n) < 0.3, "yes", "no").tolist() if seed % 2 else rng.normal(size=n)
        pair = of(noise(rng, n) | {"y": y})
        claimed += bool(pair[0].found)
        if not pair[0].found:
            assert "drives" in said(pair) and "beyond chance" in said(pair)
    assert claimed == 0


def test_what_copies_is_computed_from_or_there_only_after_is_set_apart_and_can_be_put_back() -> None:
    cells = made(3)
    y = np.array(cells["y"])
    part = np.random.default_rng(33).normal(size=len(y))
    cells |= {"copy": 3 * y + 7, "part": part, "other": y - part}
    answer, table = of(cells)
    reasons = {a.name: a.reason for a in answer.apart}
    assert reasons == {
        "copy": "says y by itself",
        "part": "y is part + other",
        "other": "y is part + other",
    }
    words = drivers_words(answer, table)
    assert any("copy is set apart: it says y by itself" in c for c in words.cautions)
    back, _ = of(cells, back=("copy",))
    assert back.drivers[0].columns == ("copy",)
    churned = np.random.default_rng(4).random(1_500) < 0.2
    day = [dt.date(2024, 1, 1) if c else None for c in churned]
    leaks, _ = of(
        noise(np.random.default_rng(4), 1_500) | {"y": churned, "left_on": pl.Series(day, dtype=pl.Date)}
    )
    assert [a.name for a in leaks.apart] == ["left_on"]


def test_columns_that_carry_the_same_are_one_and_a_coarser_one_gives_its_name() -> None:
    cells = made(5)
    rng = np.random.default_rng(5)
    line = rng.integers(0, 12, 2_000)
    cells["line"] = [f"l{i:02d}" for i in line]
    cells["depot"] = [f"d{i // 4}" for i in line]
    cells["y"] = np.array(cells["y"]) + 3.0 * (line // 4 == 2)
    cells["twin"] = np.array(cells["linear"]) + 0.05 * rng.normal(size=2_000)
    answer, _ = of(cells)
    families = {frozenset(d.columns): d for d in answer.found if len(d.columns) > 1}
    assert set(families) == {frozenset({"line", "depot"}), frozenset({"linear", "twin"})}
    depot = families[frozenset({"line", "depot"})]
    assert (
        depot.columns[0] == "depot" and depot.said is not None and depot.said.by == pytest.approx(3, abs=0.6)
    )


def test_rows_of_one_day_are_held_back_together_so_that_a_day_tells_nothing_of_itself() -> None:
    rng = np.random.default_rng(6)
    day = np.repeat(np.arange(150), 12)
    shared = rng.normal(size=150)[day] * 2
    cells = noise(rng, 1_800) | {
        "day": [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day],
        "weather": rng.normal(size=150)[day],
        "y": shared + rng.normal(size=1_800),
    }
    together = drives(Drivers("y", without=("day",)), Rows(table_of(**cells)))
    assert together.together is not None and together.together.name == "day"
    assert not together.found
    alone = drives(Drivers("y", without=("day",), together="-"), Rows(table_of(**cells)))
    assert [d.columns[0] for d in alone.found] == ["weather"], "what is alike on a day would seem to drive it"


def test_folds_keep_sets_whole_and_shuffling_keeps_what_they_share() -> None:
    sets = np.repeat(np.arange(40), 5)
    folds = folds_of(sets)
    assert all(len(set(folds[sets == s])) == 1 for s in range(40))
    assert np.bincount(folds, minlength=FOLDS).tolist() == [50] * 4
    y = np.random.default_rng(0).normal(size=40)[sets]
    mixed = shuffled(y, sets, 1)
    assert sorted(mixed) == sorted(y) and not np.array_equal(mixed, y)
    assert all(np.ptp(mixed[sets == s]) == 0 for s in range(40))


def grown() -> tuple[HistGradientBoostingRegressor, np.ndarray]:
    rng = np.random.default_rng(1)
    x = rng.normal(size=(2_000, 6))
    x[rng.random(x.shape) < 0.1] = np.nan
    x[:, 3] = rng.integers(0, 9, 2_000)
    y = np.nan_to_num(2 * x[:, 0] + x[:, 1] * x[:, 2]) + np.sin(x[:, 3]) + rng.normal(size=2_000)
    return HistGradientBoostingRegressor(max_iter=40, max_leaf_nodes=15).fit(x, y), x[:200]


def test_trees_asked_anew_say_what_the_model_says_of_changed_rows() -> None:
    model, some = grown()
    said = Trees.of(model).say(some)
    assert np.allclose(said.whole, model.predict(some), atol=1e-12)
    changed = some.copy()
    changed[:, [0, 3]] = some[::-1][:, [0, 3]]
    assert np.allclose(said.under(changed, [0, 3]), model.predict(changed), atol=1e-12)
    few = Trees.of(model).on([5]).say(some)
    assert 0 < len(few.each) < 40, "not every tree splits on a column of noise"
    changed = some.copy()
    changed[:, 5] = np.nan
    moved = model.predict(changed) - model.predict(some)
    assert np.ptp(moved) > 0 and np.allclose(few.under(changed, [5]) - few.whole, moved, atol=1e-12)


def test_leaves_tell_what_the_trees_predict_under_other_values() -> None:
    model, some = grown()
    leaves = Leaves.of(model, some)
    assert (np.count_nonzero(leaves.outside == 0, axis=0) == 40).all(), "a row lies in one leaf of each tree"

    def walked(values: dict[int, float]) -> float:
        rows = some.copy()
        for j, value in values.items():
            rows[:, j] = value
        return float(model.predict(rows).mean())

    ones, others = np.array([-1.0, 0.0, 0.5, 9.0, np.nan]), np.array([-2.0, 0.1, np.nan])
    start = float(np.ravel(model._baseline_prediction)[0])
    for columns in ((1, 2), (3, 0), (5, 4)):
        got = leaves.under([(columns[0], ones), (columns[1], others)]) + start
        want = [[walked({columns[0]: one, columns[1]: other}) for other in others] for one in ones]
        assert np.allclose(got, want, atol=1e-12)
        assert np.allclose(
            leaves.under([(columns[0], ones)]) + start, [walked({columns[0]: v}) for v in ones], atol=1e-12
        )


def test_an_effect_of_columns_that_do_not_act_together_is_their_partial_dependence() -> None:
    rng = np.random.default_rng(8)
    x = rng.uniform(-1, 1, size=(3_000, 3))
    y = 2 * x[:, 0] + np.where(x[:, 1] > 0.3, 1.0, 0.0)
    matrix = Matrix(x, y, np.arange(3_000), (0, 0, 0), tuple(Family((j,), j) for j in range(3)))
    seen = Seen.fitted(matrix, np.ones(3_000, dtype=bool), y)
    assert isinstance(seen.model, HistGradientBoostingRegressor)
    for j in (0, 1):
        course = seen.effect(x, Leaves.of(seen.model, x[:250]), j)
        known = partial_dependence(seen.model, x, [j], custom_values={j: np.array(course.at)})["average"][0]
        known = known - np.average(known, weights=course.n)
        assert course.effect == pytest.approx(known.tolist(), abs=0.03)


def test_a_few_rules_hold_on_rows_they_were_not_found_on_and_share_out_all_rows() -> None:
    rng = np.random.default_rng(9)
    n = 4_000
    wet, depot = rng.gamma(0.5, 4.0, n), rng.choice(["Foundry", "Mill", "Quay"], n)
    y = 4.0 + 7.0 * ((wet > 2) & (depot == "Foundry")) + rng.normal(size=n)
    cells = noise(rng, n) | {"wet": wet, "depot": depot.tolist(), "y": y}
    answer, table = of(cells, shape="rules")
    first = answer.leaves[0]
    assert first.mean == pytest.approx(11, abs=0.3) and first.low < first.mean < first.high
    assert "depot is Foundry" in first.words and "wet at least 2" in first.words
    rows = [mask(leaf.condition, table) for leaf in answer.leaves]
    assert np.array_equal(np.sum(rows, axis=0), np.ones(n)), "each row has one rule"
    assert [int(r.sum()) for r in rows] == [leaf.n for leaf in answer.leaves]
    assert said((answer, table)).startswith("Where ")


def test_missing_says_something_where_it_does() -> None:
    rng = np.random.default_rng(10)
    n = 2_000
    gone = rng.random(n) < 0.3
    seen = pl.Series(np.where(gone, None, rng.normal(size=n)).tolist(), dtype=pl.Float64)
    answer, table = of(noise(rng, n) | {"seen": seen, "y": 3.0 * gone + rng.normal(size=n)})
    assert answer.found[0].columns == ("seen",)
    assert "where missing +" in said((answer, table))


def test_few_rows_one_value_and_what_nothing_drives() -> None:
    few = of({k: v[:40] for k, v in made(1).items()})
    assert said(few) == "There are too few rows to say what drives y."
    alone = of({"y": np.random.default_rng(1).normal(size=200)})
    assert "no column is left" in said(alone)
    table = table_of(day=[dt.date(2024, 1, 1), dt.date(2024, 1, 2)], y=[1.0, 1.0])
    for name, why in (("day", "which nothing drives"), ("y", "one value only")):
        with pytest.raises(BadQuestion, match=why):
            check(Drivers(name), table)


def test_of_courses_that_wander_stretches_are_held_back_and_nothing_is_claimed_of_two_that_only_wander() -> (
    None
):
    claimed = 0
    for seed in range(4):
        rng = np.random.default_rng(seed)
        n = 600
        steps = rng.normal(size=(n, 4)).cumsum(axis=0)
        day = [dt.date(2024, 1, 1) + dt.timedelta(d) for d in range(n)]
        cells = {"day": day, **{f"s{k}": steps[:, k] for k in range(3)}, "y": steps[:, 3]}
        answer, table = of(cells, without=("day",))
        assert answer.stretches is not None and answer.stretches.name == "day"
        assert any("stretches of it are held back whole" in c for c in drivers_words(answer, table).cautions)
        claimed += bool(answer.found)
        said_of = said((answer, table))
        assert answer.found or "beyond chance" in said_of
        assert answer.explained < 0.01 or "no better than its average" not in said_of
    assert claimed <= 1
