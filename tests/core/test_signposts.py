"""Where to look next: what was planted is proposed, nothing of noise, nothing that was seen."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from night_trail.core.conditions import Between, Condition, OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import Question, Scene, key
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.reading import load
from night_trail.core.rows import Rows
from night_trail.core.signposts import Search, beginnings, search
from night_trail.core.table import Kind, Table
from tests.core.tables import table_of

MAIN = Scene(main=Spread("y"))


def noise(seed: int, n: int, mixed: bool = False) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    day = rng.integers(0, 400, n)
    cells: dict[str, Any] = {
        "day": [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day],
        **{f"n{k}": rng.normal(size=n) ** (1 + k % 3) for k in range(8)},
        **{f"c{k}": rng.choice([f"{k}{i}" for i in range(2 + 3 * k)], n).tolist() for k in range(6)},
        **{f"w{k}": rng.poisson(2, n) for k in range(4)},
    }
    y = rng.choice(["a", "b", "c"], n).tolist() if mixed else rng.gamma(2, 5, n)
    return cells | {"y": y}


def found(cells: dict[str, Any], scene: Scene = MAIN, seen: tuple[str, ...] = ()) -> Search:
    return search(scene, Rows(table_of(**cells), scene.only, scene.lit), seen)


def test_of_noise_nothing_is_proposed() -> None:
    claimed = sum(
        bool(found(noise(seed, 500 if seed % 2 else 5_000, mixed=seed % 3 == 0)).found) for seed in range(30)
    )
    assert claimed <= 3


def test_a_number_groups_and_a_weekday_are_found_of_a_number() -> None:
    weeks = 0
    for seed in range(6):
        cells = noise(seed, 4_000)
        group = np.array(cells["c1"]) == "11"
        weekend = np.array([d.weekday() >= 5 for d in cells["day"]])
        cells["y"] = cells["y"] + 4 * cells["n0"] + 6 * group + 8 * weekend
        asked = [s.question for s in found(cells).found]
        assert Relate("y", "n0") in asked
        assert any(isinstance(q, Compare) and q.across == "c1" for q in asked)
        week = [q for q in asked if isinstance(q, Cycle) and q.part == "week"]
        weeks += bool(week)
        assert len(asked) == 2 + len(week), "and nothing else"
    assert weeks >= 5, "of the days of each part one row each is judged by"


def test_groups_and_numbers_are_found_of_a_category() -> None:
    cells = noise(3, 4_000, mixed=True)
    is_a = np.array(cells["y"]) == "a"
    rng = np.random.default_rng(3)
    cells["c0"] = np.where(rng.random(4_000) < np.where(is_a, 0.8, 0.3), "00", "01").tolist()
    cells["n1"] = cells["n1"] + 2.0 * is_a
    asked = [s.question for s in found(cells).found]
    assert Crosstab("y", "c0") in asked
    assert any(isinstance(q, Compare) and q.across == "y" and q.measure.column == "n1" for q in asked)


def test_what_days_share_by_chance_is_no_finding() -> None:
    claimed = 0
    for seed in range(15):
        rng = np.random.default_rng(seed)
        day = np.repeat(np.arange(120), 30)
        cells = {
            "day": [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day],
            **{f"weather{k}": rng.normal(size=120)[day] for k in range(6)},
            **{f"shift{k}": rng.choice(["p", "q"], 120)[day].tolist() for k in range(4)},
            "y": 2 * rng.normal(size=120)[day] + rng.normal(size=3_600),
        }
        claimed += any(not isinstance(s.question, Cycle) for s in found(cells).found)
    assert claimed <= 2


def test_what_was_asked_stands_on_the_desk_or_is_too_little_is_not_proposed() -> None:
    cells = noise(1, 4_000)
    cells["y"] = cells["y"] + 5 * cells["n0"]
    (first,) = found(cells).found
    assert first.question == Relate("y", "n0") and 0.1 < first.strength < 1
    assert not found(cells, seen=(key(first.question),)).found
    assert not found(cells, Scene(main=Spread("y"), beside=(Relate("n0", "y"),))).found
    assert found({k: v[:60] for k, v in cells.items()}).tried == 0
    assert search(Scene(), Rows(table_of(**cells))).found == ()


def test_lit_rows_are_asked_how_they_differ_first() -> None:
    lit = OneOf("c1", ("11",))
    asked = found(noise(2, 1_000), Scene(main=Spread("y"), lit=lit)).found
    assert asked[0].question == Differ(lit)


SUMS = Scene(main=OverTime(Measure("sum", "y"), "day", grain="month"))


def test_a_table_is_not_begun_with_when_or_where_something_was(tmp_path: Path) -> None:
    cells = noise(2, 2_000)
    cells["n0"] = (
        cells["n0"] + np.array([d.month for d in cells["day"]]) + 5 * (np.array(cells["c1"]) == "11")
    )
    when = {"year": [d.year for d in cells["day"]], "month": [d.month for d in cells["day"]]}
    where = {"latitude": np.round(50 + cells["n0"] / 9, 4)}
    pl.DataFrame({**when, **where, **{k: cells[k] for k in ("n0", "c1", "day")}}).write_csv(
        tmp_path / "a.csv"
    )
    table = load(tmp_path / "a.csv")[0]
    assert table.column("year").calendar and table.column("month").calendar
    assert table.column("latitude").kind == Kind.LATITUDE
    begun = [s.question for s in beginnings(Rows(table)).found]
    assert begun and all(q.column == "n0" for q in begun)


def test_a_series_that_wanders_has_no_week_and_no_year() -> None:
    claimed = 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        level = np.cumsum(rng.normal(size=1_500))
        cells = {
            "day": [dt.date(2020, 1, 1) + dt.timedelta(int(d)) for d in range(1_500)],
            "y": level + rng.normal(size=1_500),
        }
        claimed += any(isinstance(s.question, Cycle) for s in found(cells).found)
    assert claimed <= 1


def test_no_step_of_noise_is_asked_about() -> None:
    claimed = 0
    for seed in range(20):
        cells = noise(seed, 500 if seed % 2 else 5_000)
        # the months and groups are of other sizes, and rows as uneven as incomes
        cells["y"] = np.random.default_rng(seed).lognormal(0, 1.2, len(cells["y"]))
        claimed += any(isinstance(s.question, Changed) for s in found(cells, SUMS).found)
    assert claimed <= 1


def test_the_step_of_one_group_is_asked_about_where_it_begins() -> None:
    right = 0
    for seed in range(10):
        cells = noise(seed, 20_000)
        cells["day"] = [dt.date(2023, 1, 1) + dt.timedelta(int(d)) for d in np.arange(20_000) // 22]
        june = np.array([d.month == 6 and d.year == 2024 for d in cells["day"]])
        cells["y"] = np.where(june & (np.array(cells["c1"]) == "11"), cells["y"] * 0.2, cells["y"])
        first = next((s.question for s in found(cells, SUMS).found), None)
        fell = (Between("day", "2024-05-01", "2024-06-01"), Between("day", "2024-06-01", "2024-07-01"))
        right += isinstance(first, Changed) and (first.before, first.after) == fell and first.by == ("c1",)
    assert right >= 9


def test_the_demo_s_truths_are_within_three_signposts(buses: Table) -> None:
    late, sums = Spread("late_min"), Measure("sum", "boardings")
    months = OverTime(sums, "service_night", grain="month")
    wet: Condition = Between("rain_mm", 2.0, None, low_open=True)

    def three(main: Question, *only: Condition, seen: tuple[Question, ...] = ()) -> list[Question]:
        asked = search(Scene(main=main, only=only), Rows(buses, only), [key(q) for q in seen]).found[:3]
        return [s.question for s in asked]

    def across(asked: list[Question], name: str) -> bool:
        return any(isinstance(q, Compare) and q.across == name for q in asked)

    def parts(asked: list[Question]) -> list[str]:
        return [q.part for q in asked if isinstance(q, Cycle)]

    assert across(three(late, wet), "depot"), "the hump of wet nights is Tallow Lane's"
    fall = three(months)[0]
    assert isinstance(fall, Changed) and fall.by == ("line",), "one line is behind the fall"
    assert fall.after == Between("service_night", "2023-03-01", "2023-04-01")
    assert parts(three(months)) == ["week"]
    assert parts(three(months, seen=(fall,))) == ["week", "year"]
    shifted = three(Spread("boardings"), OneOf("line", ("N7 Saltpan Loop",)))
    assert any(isinstance(q, OverTime) for q in shifted), "a line that was rerouted"
    quay = three(late, OneOf("district", ("Quayside",)))
    assert any(isinstance(q, Relate) and q.against == "boardings" for q in quay)
