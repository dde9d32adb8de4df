"""Why it changed: parts that add up, the planted one first, nothing claimed of noise."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import Between, Not, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.changed.answer import ChangedAnswer, changed, check
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.changed.words import changed_words
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats.change import chance_of, rate_and_mix, side_of, volume_and_amount, z_of_sums
from night_trail.core.table import Table
from tests.core.tables import table_of
from tests.golden import table_of as golden

BEFORE, AFTER = Between("day", "2024-02-01", "2024-03-01"), Between("day", "2024-03-01", "2024-04-01")
SUM, MEAN = Measure("sum", "x"), Measure("mean", "x")


def cells(seed: int, n: int = 6_000, months: int = 3) -> dict[str, Any]:
    """Rows from January 2024 on, with columns that have nothing to do with them."""
    rng = np.random.default_rng(seed)
    day = np.sort(rng.integers(0, 30 * months + 1, n))
    return {
        "day": [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day],
        "x": rng.gamma(2.0, 10.0, n),
        **{f"c{k}": rng.choice([f"{k}{i}" for i in range(3 + 2 * k)], n).tolist() for k in range(6)},
    }


def march(found: dict[str, Any]) -> np.ndarray:
    return np.array([d >= dt.date(2024, 3, 1) for d in found["day"]])


def why(found: dict[str, Any], measure: Measure = SUM, **more: Any) -> tuple[ChangedAnswer, Table]:
    table = table_of(**found)
    return changed(Changed(measure, BEFORE, AFTER, **more), Rows(table)), table


def text(pair: tuple[ChangedAnswer, Table]) -> str:
    return plain(changed_words(*pair).headline)


sides = st.lists(st.tuples(st.integers(0, 3), st.floats(-50, 50)), min_size=1, max_size=30)


@given(sides, sides)
def test_parts_add_up_to_the_change(before: list[tuple[int, float]], after: list[tuple[int, float]]) -> None:
    one, other = (
        side_of(np.array([v for _, v in s]), np.array([k for k, _ in s]), None, 4) for s in (before, after)
    )
    rows, amount = volume_and_amount(one, other)
    assert rows + amount == pytest.approx(other.sums - one.sums, abs=1e-9)
    rate, mix = rate_and_mix(one, other)
    assert float(rate.sum() + mix.sum()) == pytest.approx(other.rate - one.rate, abs=1e-9)


def test_rate_and_mix_by_hand() -> None:
    # a: 3 of 4 rows at 10, then 1 of 4 at 12; b: 1 of 4 at 20, then 3 of 4 at 20
    one = side_of(np.array([10.0, 10, 10, 20]), np.array([0, 0, 0, 1]), None, 2)
    other = side_of(np.array([12.0, 20, 20, 20]), np.array([0, 1, 1, 1]), None, 2)
    rate, mix = rate_and_mix(one, other)
    assert rate.tolist() == [1.0, 0.0]  # (3/4 + 1/4) / 2 · 2
    # weights −1/2 and +1/2; 11 and 20 from (12.5 + 18) / 2
    assert mix.tolist() == pytest.approx([-0.5 * (11 - 15.25), 0.5 * (20 - 15.25)])
    assert z_of_sums(one, one)[0].tolist() == [0, 0]


def test_figures_are_those_of_a_table_grouped_by_hand() -> None:
    made = cells(1)
    answer, _ = why(made, by=("c1",))
    frame = pd.DataFrame(made)
    frame["month"] = pd.to_datetime(frame["day"]).dt.month
    sums = frame.pivot_table("x", "c1", "month", aggfunc="sum")
    for one in answer.segments:
        assert (one.before, one.after) == pytest.approx((sums.loc[one.key, 2], sums.loc[one.key, 3]))
    assert answer.change == pytest.approx(sum(s.change for s in answer.segments))
    assert answer.rate + answer.weight == pytest.approx(answer.change)


def test_of_noise_nothing_is_claimed() -> None:
    claimed = 0
    for seed in range(20):
        for measure in (SUM, MEAN, Measure("count")):
            pair = why(cells(seed, 600 if seed % 2 else 4_000), measure)
            claimed += any(s.unexpected for s in pair[0].segments)
            if not any(s.unexpected for s in pair[0].segments):
                assert "no part moved otherwise than the rest, beyond chance" in text(pair)
    assert claimed <= 3, "of 60"


def test_a_small_part_of_two_columns_that_grew_is_told_before_either_column() -> None:
    first = 0
    for seed in range(20):
        made = cells(seed, 9_000)
        part = march(made) & (np.array(made["c1"]) == "11") & (np.array(made["c2"]) == "22")
        made["x"] = np.where(part, made["x"] * 4, made["x"])
        told = [s for s in why(made)[0].segments if s.unexpected]
        first += bool(told) and set(max(told, key=lambda s: abs(s.off)).label.split(" · ")) == {"11", "22"}
    assert first >= 19


def test_sums_of_uneven_rows_are_held_against_the_rest_at_the_level_promised() -> None:
    rng = np.random.default_rng(3)
    claimed = 0
    for _ in range(1_000):
        sides = []
        for _ in "ab":
            n = rng.poisson(40, 12)
            sides.append(side_of(rng.lognormal(0, 1.5, n.sum()), np.repeat(np.arange(12), n), None, 12))
        claimed += float(chance_of(*z_of_sums(*sides)).min()) * 12 < 0.01
    assert claimed <= 25, "of 1,000, at 1 %"


def test_one_giant_row_is_no_finding_and_a_fall_is_as_far_as_a_rise() -> None:
    rows, groups = np.ones(100), np.repeat(np.arange(4), 25)
    plain = side_of(rows, groups, None, 4)
    giant = side_of(np.where(np.arange(100) == 3, 1_000.0, 1.0), groups, None, 4)
    assert chance_of(*z_of_sums(plain, giant)).min() > 0.1
    more = side_of(np.where(groups == 1, 3.0, 1.0), groups, None, 4)
    up, down = z_of_sums(plain, more)[0], z_of_sums(more, plain)[0]
    assert up[1] == pytest.approx(-down[1]) and up[1] == pytest.approx(np.log(3) / np.sqrt(2 / 25 + 2 / 75))


def test_the_segment_that_fell_comes_first_also_behind_a_rise() -> None:
    first = 0
    for seed in range(10):
        made = cells(seed)
        late = march(made)
        fell = late & (np.array(made["c2"]) == "23")
        made["x"] = made["x"] * np.where(late, 1.3, 1.0) * np.where(fell, 0.35, 1.0)
        pair = why(made)
        assert pair[0].change > 0
        first += pair[0].chosen == ("c2",) and "23 took" in text(pair) and ", against the rest" in text(pair)
        assert sum(s.change for s in pair[0].segments) == pytest.approx(pair[0].change)
    assert first >= 9


def test_a_segment_of_two_columns_is_found_and_said_once() -> None:
    first = 0
    for seed in range(8):
        made = cells(seed, 12_000)
        fell = march(made) & (np.array(made["c0"]) == "01") & (np.array(made["c1"]) == "12")
        made["x"] = made["x"] * np.where(fell, 0.2, 1.0)
        pair = why(made)
        first += set(pair[0].chosen) == {"c0", "c1"} and [
            s.key for s in pair[0].segments if s.unexpected
        ] in (
            ["01 · 12"],
            ["12 · 01"],
        )
    assert first >= 7


def test_a_shift_of_mix_at_unchanged_rates_is_mix_and_no_part_s_own() -> None:
    rng = np.random.default_rng(5)
    made = cells(5, 8_000)
    late = march(made)
    slow = rng.random(8_000) < np.where(late, 0.7, 0.3)
    made["depot"] = np.where(slow, "slow", "quick").tolist()
    made["x"] = rng.normal(size=8_000) + np.where(slow, 10.0, 4.0)
    answer, _ = why(made, MEAN, by=("depot",))
    assert answer.weight == pytest.approx(2.4, abs=0.15) and abs(answer.rate) < 0.15
    assert not any(s.unexpected for s in answer.segments)


def test_a_segment_that_always_wobbles_so_is_not_called_unexpected() -> None:
    rng = np.random.default_rng(3)
    made = cells(3, 20_000, months=20)
    month = np.array([(d.year, d.month) for d in made["day"]])
    sizes = {tuple(m): f for m, f in zip(np.unique(month, axis=0), rng.lognormal(0, 1.0, 40), strict=False)}
    restless = np.array(made["c2"]) == "23"
    made["x"] = made["x"] * np.where(restless, [sizes[tuple(m)] for m in month], 1.0)
    answer, _ = why(made)
    assert not any(s.unexpected for s in answer.segments), "rows alone would make it so"
    assert answer.steps is not None and answer.steps.grain == "month"


def test_came_went_missing_and_gathered() -> None:
    made = cells(7, 3_000)
    late = march(made)
    kind = np.where(late, "new", "old").astype(object)
    kind[::10] = None
    made["kind"] = kind.tolist()
    pair = why(made, by=("kind",))
    by = {s.key: s for s in pair[0].segments}
    assert by["new"].n[0] == 0 and by["new"].rate == 0 and by["old"].n[1] == 0
    assert by["kind missing"].n[0] > 0
    assert "new came with" in text(pair) or "old went with" in text(pair)
    many = cells(8)
    many["name"] = np.random.default_rng(8).choice([f"n{i}" for i in range(120)], 6_000).tolist()
    answer, table = why(many, by=("name",))
    assert answer.gathered is not None and answer.gathered.others == 111
    seen = [mask(s.condition, table) for s in answer.segments]
    assert np.sum(seen, axis=0).max() == 1
    assert sum(int(m.sum()) for m in seen) == sum(answer.n)


def test_sides_without_rows_and_what_has_no_parts_is_refused_in_words() -> None:
    table = table_of(**cells(1, 500))
    later = Changed(SUM, AFTER, Between("day", "2024-05-01", "2024-06-01"))
    said = changed_words(changed(later, Rows(table)), table).headline
    assert plain(said) == "There are no rows with x in May 2024, so nothing can be compared."
    with pytest.raises(BadQuestion, match="median has no parts"):
        check(Changed(Measure("median", "x"), BEFORE, AFTER), table)
    with pytest.raises(BadQuestion, match="same rows"):
        check(Changed(SUM, BEFORE, BEFORE), table)
    groups = changed(Changed(MEAN, Not(OneOf("c0", ("00",))), OneOf("c0", ("00",))), Rows(table))
    assert groups.steps is None and "in the sides" not in text((groups, table))


def test_the_demo_s_fall_is_found_behind_the_rise_of_the_others() -> None:
    table = golden("buses")
    question, only = read(
        "why did the sum of boardings rise from February 2023 to March 2023, by line", table
    )
    answer = changed(question, Rows(table, only))  # type: ignore[arg-type]
    least = min(answer.segments, key=lambda s: s.off)
    assert least.key == "N3 Crane Wharf"
