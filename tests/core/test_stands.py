"""What stands out: planted slips, blocks and broken rules are found, of noise and honest tails nothing is."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from night_trail.core.conditions import Above, Again, Between, Condition, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.language.spans import plain
from night_trail.core.questions.stands.answer import StandsAnswer, check, stands_out
from night_trail.core.questions.stands.found import Finding
from night_trail.core.questions.stands.question import Stands
from night_trail.core.questions.stands.words import stands_words
from night_trail.core.questions.ways import changed
from night_trail.core.reading import load
from night_trail.core.rows import Rows
from night_trail.core.stats.outlying import HEADS, apart
from night_trail.demo.night_buses import write_csv
from tests.core.tables import table_of
from tests.core.test_signposts import noise


def asked(cells: dict[str, Any], question: Stands | None = None, *only: Condition) -> StandsAnswer:
    return stands_out(question or Stands(), Rows(table_of(**cells), only))


def rows_of(finding: Finding, cells: dict[str, Any]) -> set[int]:
    return set(np.flatnonzero(mask(finding.condition, table_of(**cells))).tolist())


def made(seed: int, n: int = 3_000) -> tuple[dict[str, Any], dict[str, set[int]]]:
    """A table with slips, stand-ins, broken rules, an odd pair, a pasted block, a gap and a stray value."""
    rng = np.random.default_rng(seed)
    day = np.sort(rng.integers(0, 586, n))
    day[day >= 300] += 14
    line = rng.integers(0, 12, n)
    length = np.array([4, 5, 6, 40, 45, 50, 8, 9, 60, 70, 7, 5.0])[line] * np.exp(0.15 * rng.normal(size=n))
    fare = np.round(12 * np.exp(0.6 * rng.normal(size=n)), 2)
    planned = rng.integers(20, 200, n).astype(float)
    counted = planned + rng.gamma(2, 6, n)
    warm = rng.normal(12, 6, n)
    damp = 80 - 2 * warm + rng.normal(0, 3, n)
    district = np.array([f"D{i % 5}" for i in range(12)])[line]
    crew = rng.choice([f"crew {i}" for i in range(20)], n).astype("U9")
    at = rng.permutation(np.arange(100, n - 100))
    middle = at[np.abs(warm[at] - 12) < 5]
    truth = {
        "slip": at[:5], "typed": at[5:11], "above": at[11:17], "odd": middle[-3:], "district": at[20:23], "crew": at[23:25],
    }  # fmt: skip
    length[truth["slip"]] *= 10
    fare[truth["typed"]] = 999
    counted[truth["above"]] = planned[truth["above"]] - rng.uniform(6, 30, 6)
    damp[truth["odd"]] += 35
    district[truth["district"]] = [f"D{(i + 1) % 5}" for i in line[truth["district"]]]
    crew[truth["crew"]] = "crew 7x"
    cells = {
        "day": [dt.date(2022, 1, 1) + dt.timedelta(int(d)) for d in day], "line": [f"L{i}" for i in line],
        "district": district.tolist(), "crew": crew.tolist(), "length": length, "fare": fare, "planned": planned,
        "counted": counted, "warm": warm, "damp": damp,
    }  # fmt: skip
    # rows 60 to 80 once more before the last ones
    order = [*range(n - 50), *range(60, 80), *range(n - 50, n)]
    cells = {k: [v[i] for i in order] if isinstance(v, list) else v[order] for k, v in cells.items()}
    found = {name: set(rows.tolist()) for name, rows in truth.items()}
    return cells, found | {"block": set(range(n - 50, n - 30))}


def test_what_is_planted_is_found_with_its_rows_and_nothing_else() -> None:
    extra = 0
    for seed in range(4):
        cells, truth = made(seed)
        answer = asked(cells)
        told = {(f.sort, f.columns): rows_of(f, cells) for f in answer.findings}
        assert told.pop(("slip", ("length", "line"))) == truth["slip"]
        assert told.pop(("typed", ("fare",))) == truth["typed"]
        assert told.pop(("rule", ("planned", "counted"))) == truth["above"]
        assert told.pop(("rule", ("district", "line"))) == truth["district"]
        assert told.pop(("rare", ("crew",))) == truth["crew"]
        block = next(key for key in told if key[0] == "block")
        assert told.pop(block) == truth["block"]
        assert ("gap", ("day",)) in told
        del told["gap", ("day",)]
        odd = [key for key in told if key[0] == "odd" and set(key[1]) == {"warm", "damp"}]
        assert set().union(*(told.pop(key) for key in odd)) == truth["odd"]
        extra += len(told)
    assert extra <= 1


def test_of_noise_nothing_stands_out() -> None:
    claimed = sum(
        bool(asked(noise(seed, 500 if seed % 2 else 5_000, mixed=seed % 3 == 0)).findings)
        for seed in range(10)
    )
    assert claimed <= 1


@pytest.mark.parametrize(
    ("tail", "most"),
    [
        (lambda rng, n: rng.normal(size=n), 2),
        (lambda rng, n: np.exp(rng.normal(size=n)), 2),
        (lambda rng, n: rng.exponential(size=n), 2),
        (lambda rng, n: rng.poisson(3, n).astype(float), 2),
        (lambda rng, n: np.round(rng.normal(size=n), 1), 2),
        (lambda rng, n: np.where(rng.random(n) < 0.7, 0.0, rng.exponential(size=n)), 2),
        (lambda rng, n: rng.standard_t(4, n), 8),
    ],
)  # fmt: skip
def test_honest_tails_have_nothing_apart(tail: Any, most: int) -> None:
    rng = np.random.default_rng(3)
    claimed = sum(
        apart(np.sort(tail(rng, n))[-HEADS:], n, 0.001) is not None
        for n in (150, 500, 5_000)
        for _ in range(40)
    )
    assert claimed <= most


def test_what_lies_apart_is_counted_and_its_chance_is_that_of_the_gap() -> None:
    rng = np.random.default_rng(5)
    values = np.sort(np.append(rng.exponential(size=2_000), [30.0, 31.0, 50.0]))
    found = apart(values[-HEADS:], len(values), 0.001)
    assert found is not None
    assert (found.n, found.first, found.edge) == (3, 30.0, values[-4])
    # gaps of an exponential tail, times their place, have mean 1; what is fitted is doubted, never surer than that
    assert 3 * (values[-4] - 30) / np.log(10) <= np.log10(found.chance) < -6
    assert apart(np.full(500, 3.0), 500, 0.001) is None
    assert apart(np.arange(20.0), 20, 0.001) is None


def test_values_of_one_day_count_once() -> None:
    rng = np.random.default_rng(2)
    for seed in range(6):
        day = np.repeat(np.arange(400), 12)
        rain = np.round(np.random.default_rng(seed).gamma(0.5, 3, 400), 1)[day]
        cells = {
            "day": [dt.date(2023, 1, 1) + dt.timedelta(int(d)) for d in day],
            "rain": rain, "x": rng.normal(size=len(day)),
        }  # fmt: skip
        assert not [f for f in asked(cells).findings if f.columns[0] == "rain"]


def test_scores_are_no_slips_and_a_column_of_zeros_has_none_typed() -> None:
    rng = np.random.default_rng(4)
    cells = {
        "score": rng.choice([1, 5, 6, 7], 800, p=[0.01, 0.33, 0.33, 0.33]),
        "rain": np.where(rng.random(800) < 0.8, 0.0, rng.exponential(2, 800)),
        "kids": rng.poisson(1.2, 800),
    }
    assert asked(cells).findings == ()
    cells["kids"][:9] = 99
    assert [(f.sort, f.columns, f.n) for f in asked(cells).findings] == [("typed", ("kids",), 9)]


def test_a_slip_is_found_beside_zeros_and_without_groups() -> None:
    rng = np.random.default_rng(11)
    paid = np.round(20 * np.exp(0.2 * rng.normal(size=900)), 2)
    paid[:60] = 0
    paid[[100, 400, 700]] *= 10
    found = [f for f in asked({"paid": paid}).findings if f.sort == "slip"]
    assert [rows_of(f, {"paid": paid}) for f in found] == [{100, 400, 700}]
    assert found[0].here.startswith("10 times what is usual")


def test_an_order_that_comes_from_distance_alone_is_no_rule() -> None:
    rng = np.random.default_rng(6)
    low = rng.normal(0, 1, 2_000)
    cells = {"low": low, "high": low + rng.normal(2.8, 1, 2_000), "far": rng.normal(9, 1, 2_000)}
    assert not [f for f in asked(cells).findings if f.sort == "rule"]


def test_in_time_a_stuck_number_a_peak_and_a_new_level() -> None:
    rng = np.random.default_rng(7)
    n = 500
    week = np.tile([0, 1, 2, 3, 9, 12, 4.0], 80)[:n]
    cells: dict[str, Any] = {
        "day": [dt.date(2023, 1, 2) + dt.timedelta(i) for i in range(n)],
        "lux": rng.normal(50, 4, n), "riders": 100 + week + rng.normal(0, 2, n),
    }  # fmt: skip
    assert asked(cells).findings == ()
    cells["lux"][200:212] = 51.5
    cells["riders"][333] += 60
    cells["riders"][400:] += 40
    found = {f.sort: f for f in asked(cells).findings}
    assert rows_of(found["stuck"], cells) == set(range(200, 212))
    assert rows_of(found["peak"], cells) == {333}
    assert rows_of(found["shift"], cells) == set(range(400, n))
    assert found["shift"].n == 100


def test_what_a_filter_leaves_out_is_no_gap() -> None:
    rng = np.random.default_rng(12)
    days = [dt.date(2021, 1, 1) + dt.timedelta(i) for i in range(1_000)]
    winter = [d.month in (12, 1, 2) for d in days]
    cells = {"day": days, "winter": winter, "x": rng.normal(size=1_000)}
    assert not [f for f in asked(cells, None, OneOf("winter", ("yes",))).findings if f.sort == "gap"]
    kept = [d for d in days if not 400 <= (d - days[0]).days < 420]
    found = asked({"day": kept, "x": rng.normal(size=len(kept))}).findings
    assert [(f.sort, f.usual) for f in found] == [("gap", "elsewhere 100\u2009% of days have some")]


def test_a_new_level_of_one_line_is_found_within_lines() -> None:
    rng = np.random.default_rng(8)
    days = [dt.date(2023, 1, 2) + dt.timedelta(i) for i in range(300)]
    line = np.repeat(["N1", "N2", "N3"], 300)
    riders = rng.normal(100, 8, 900)
    riders[750:] += 60
    cells = {"day": days * 3, "line": line.tolist(), "riders": riders}
    found = [f for f in asked(cells, Stands("riders", "line")).findings if f.sort == "shift"]
    assert [rows_of(f, cells) for f in found] == [set(range(750, 900))]
    assert "where line is N3" in found[0].here


def test_words_say_what_and_when_nothing_and_what_was_put_aside() -> None:
    cells, _ = made(1)
    table = table_of(**cells)
    answer = stands_out(Stands("fare"), Rows(table))
    assert plain(stands_words(answer, table).headline).startswith(
        "1 thing stands out in fare. It is fare: typed for want of"
    )
    aside, words = changed(answer.question, "aside", answer.findings[0].key, table)
    after = stands_out(aside, Rows(table))  # type: ignore[arg-type]
    assert (after.findings, words, len(after.aside)) == ((), "put aside", 1)
    said = stands_words(after, table)
    assert plain(said.headline).startswith("Nothing else stands out in fare. Looked for:")
    assert "Put aside on this trail: fare: typed for want of a value." in said.cautions
    few = stands_out(Stands(), Rows(table, (Between("fare", 0, 3),)))
    assert "nothing can be said to stand out" in plain(stands_words(few, table).headline)


def test_lit_rows_are_counted_and_the_filter_is_kept() -> None:
    cells, truth = made(2)
    rows = Rows(table_of(**cells), (Between("planned", 20, None),), Between("fare", 900, None))
    typed = next(f for f in stands_out(Stands(), rows).findings if f.sort == "typed")
    assert (typed.n, typed.lit) == (6, 6)
    slip = next(f for f in stands_out(Stands(), rows).findings if f.sort == "slip")
    assert (slip.n, slip.lit) == (len(truth["slip"]), 0)


@pytest.mark.parametrize("n", [0, 1, 40])
def test_tables_of_nothing_one_row_and_one_value(n: int) -> None:
    cells = {"x": np.full(n, 3.0), "y": np.full(n, np.nan), "c": ["a"] * n, "t": [dt.date(2024, 1, 1)] * n}
    assert asked(cells).findings == ()


def test_questions_that_cannot_be_answered_are_refused() -> None:
    table = table_of(x=np.arange(300.0), c=["a", "b", "c"] * 100)
    for bad in (Stands("nowhere"), Stands("x", "x"), Stands("c", "x")):
        with pytest.raises(BadQuestion):
            check(bad, table)


def test_rows_above_another_column_and_rows_again_are_conditions_read_back() -> None:
    table = table_of(
        a=[1.0, 5.0, 1.0, np.nan], b=[2.0, 2.0, 2.0, 1.0], c=["u", "v", "u", "v"], d=[1, 2, 3, 4]
    )
    cases: list[tuple[Condition, str, list[bool]]] = [
        (Above("a", "b"), "a above b", [False, True, False, False]),
        (Again(("a", "b", "c")), "a, b, c as in an earlier row", [False, False, True, False]),
        (Again(), "every cell as in an earlier row", [False] * 4),
    ]
    for condition, words, rows in cases:
        assert in_words(condition, table) == words
        assert from_words(words, table) == condition
        assert mask(condition, table).tolist() == rows
    assert from_words("b under a", table) == Above("a", "b")
    with pytest.raises(BadQuestion, match="no order"):
        mask(Above("a", "c"), table)


def test_what_is_planted_in_the_demo_is_found_by_its_question(tmp_path: Path) -> None:
    write_csv(path := tmp_path / "night_buses.csv")
    table, _ = load(path)
    found = {f.sort: f for f in stands_out(Stands(), Rows(table)).findings}
    assert found["gap"].here.startswith("no trips after 7 March 2022 for 13 days")
    late = found["far"]
    assert late.columns == ("late_min",) and "a tenth of each would be usual" in late.usual
    levels = [
        f.here for f in stands_out(Stands("boardings", "line"), Rows(table)).findings if f.sort == "shift"
    ]
    assert any("N3 Crane Wharf: from 1 March 2023 on" in here for here in levels)
    assert any("N7 Saltpan Loop: from " in here and " 2023 on" in here for here in levels)
