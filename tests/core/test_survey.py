"""What the survey says, and that the demo's planted truths can be found."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import polars as pl
import pytest
from sklearn.datasets import load_iris

from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.shape import heaping, humps
from night_trail.core.survey import in_order, profile, survey
from night_trail.core.table import Kind, Table, on_axis
from night_trail.demo import night_buses as demo
from tests.core.tables import table_of


def remarks(**columns: object) -> str:
    table = table_of(**columns)
    return " ".join(r.text for r in profile(table.columns[0], table.series(table.columns[0].name)).remarks)


def test_humps_of_a_known_data_set() -> None:
    iris = load_iris(as_frame=True).data
    petals = humps(iris["petal length (cm)"].to_numpy())
    # setosa around 1.46, the two other species around 4.9
    assert len(petals) == 2 and petals[0] == pytest.approx(1.5, abs=0.2) and 4.2 < petals[1] < 5.3
    assert len(humps(iris["sepal length (cm)"].to_numpy())) == 1


@pytest.mark.parametrize("seed", range(5))
def test_one_hump_stays_one(seed: int) -> None:
    rng = np.random.default_rng(seed)
    assert len(humps(rng.normal(0, 1, 5_000))) == 1
    assert len(humps(np.round(rng.gamma(2, 5, 5_000)))) == 1


def test_the_order_of_the_values_does_not_matter(buses: Table) -> None:
    late = on_axis(buses.series("late_min"))
    late = late[~np.isnan(late)]
    assert len(humps(late)) == len(humps(np.sort(late))) == 2
    assert humps(np.sort(late))[1] == pytest.approx(13.2, abs=0.5)
    words = words_of(answer(Spread("late_min", bins=Bins(1.0)), Rows(buses)), buses)
    assert "two humps" in plain(words.headline)
    assert "Two humps." in [
        r.text for r in profile(buses.column("late_min"), buses.series("late_min")).remarks
    ]


def test_heaping_is_found_where_it_is_and_not_where_it_is_not() -> None:
    rng = np.random.default_rng(3)
    counts = rng.poisson(60, 4_000).astype(float)
    assert heaping(counts) is None
    counts[:1_600] = 5 * np.round(counts[:1_600] / 5)
    assert heaping(counts).step in (5, 10)


def test_remarks() -> None:
    assert remarks(v=[2.0] * 9) == "Always 2."
    assert "75\u2009% are exactly 0" in remarks(v=[0.0, 0.0, 0.0, 4.0])
    assert remarks(v=pl.Series([None, None], dtype=pl.Float64)) == "Every cell is missing."
    assert "Yes in 75\u2009%" in remarks(v=[True, True, True, False])
    days = [dt.date(2024, 1, 1) + dt.timedelta(d) for d in range(100) if not 40 <= d < 45]
    assert "5 days absent in a row from 10 February 2024" in remarks(v=days)
    assert remarks(v=pl.Series([], dtype=pl.Float64)) == "Every cell is missing."


def test_order() -> None:
    table = table_of(plain=[1.0, 2.0, 3.0], odd=[0.0, 0.0, 1.0], word=["a", "b", "a"])
    found = survey(table, dt.date(2024, 6, 1))
    assert [p.column.name for _, p in in_order(found, "odd")] == ["odd", "plain", "word"]
    assert [p for p, _ in in_order(found, "position")] == [0, 1, 2]
    assert [p.column.kind for _, p in in_order(found, "kind")] == [Kind.NUMBER, Kind.NUMBER, Kind.CATEGORY]


# ---- the truths that docs/demo-data.md promises ----


@pytest.fixture(scope="module")
def frame(buses: Table) -> pd.DataFrame:
    names = [c.name for c in buses.columns]
    return pd.DataFrame({n: buses.series(n).to_list() for n in names})


def test_demo_size_and_kinds(buses: Table) -> None:
    assert 51_000 < buses.height < 54_000 and buses.row_noun == ("trip", "trips")
    kinds = {c.name: c.kind for c in buses.columns}
    assert kinds["departed_at"] == Kind.DATETIME and kinds["service_night"] == Kind.DATE
    assert kinds["festival"] == Kind.YES_NO and kinds["trip_id"] == Kind.IDENTIFIER
    assert kinds["fare_total"] == Kind.TEXT and kinds["boardings"] == Kind.WHOLE
    assert [buses.column(n).distinct for n in ("line", "district", "depot", "vehicle")] == [14, 5, 3, 3]


def test_wet_nights_have_a_second_hump_worst_at_one_depot(frame: pd.DataFrame) -> None:
    assert len(humps(frame["late_min"].dropna().to_numpy())) == 2
    wet = frame[frame["rain_mm"] > 2]
    late = (wet["late_min"] > 9).groupby(wet["depot"]).mean()
    assert late.idxmax() == demo.SLOW_DEPOT and late.max() > 1.6 * late.drop(demo.SLOW_DEPOT).max()
    dry = frame[frame["rain_mm"] == 0]
    assert (dry["late_min"] > 9).mean() < 0.05


def test_a_fortnight_is_missing(frame: pd.DataFrame) -> None:
    nights = pd.to_datetime(frame["service_night"])
    absent = set(pd.date_range("2021-01-01", "2024-12-31").date) - set(nights.dt.date)
    assert sorted(absent) == list(pd.date_range(*demo.ABSENT).date) and len(absent) == 14


def test_boardings_have_seasons_a_shift_and_one_segment_behind_a_fall(frame: pd.DataFrame) -> None:
    when = pd.to_datetime(frame["service_night"])
    by_day = frame["boardings"].groupby(when.dt.day_of_week).mean()
    assert by_day.idxmax() == 5 and by_day.max() > 1.6 * by_day.min()
    by_month = frame["boardings"].groupby(when.dt.month).mean()
    assert by_month.max() > 1.2 * by_month.min()
    line = frame[frame["line"] == demo.REROUTED_LINE]
    after = pd.to_datetime(line["service_night"]).dt.date >= demo.REROUTED
    assert line["boardings"][after].mean() > 1.35 * line["boardings"][~after].mean()
    months = when.dt.to_period("M").astype(str)
    sums = frame.groupby([months, "line"])["boardings"].sum().unstack()
    change = sums.loc["2023-03"] - sums.loc["2023-02"]
    assert (
        change.idxmin() == demo.FALLEN_LINE and change.min() < 0.5 * change.drop(demo.FALLEN_LINE).sum() - 500
    )


def test_lateness_moves_with_boardings_in_one_district_only(frame: pd.DataFrame) -> None:
    dry = frame[frame["rain_mm"] == 0].dropna(subset=["late_min"])
    dry = dry[dry["late_min"] < 20]
    r = {name: part["late_min"].corr(part["boardings"]) for name, part in dry.groupby("district")}
    assert r.pop(demo.CROWDED_DISTRICT) > 0.4 and max(abs(x) for x in r.values()) < 0.1


def test_decimal_slips_rounded_counts_and_hidden_numbers(frame: pd.DataFrame, buses: Table) -> None:
    assert 3 <= (frame["late_min"] > 30).sum() <= 40
    for depot, part in frame.groupby("depot"):
        assert (heaping(part["boardings"].to_numpy(dtype=float)) is not None) == (
            depot == demo.ROUNDING_DEPOT
        )
    assert buses.column("rider_rating").pattern == "n of 5"
    assert buses.column("fare_total").pattern == "K n"
    assert 0.15 < buses.column("rider_rating").missing / buses.height < 0.21
