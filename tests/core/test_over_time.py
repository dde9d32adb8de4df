"""A measure over time against pandas: roll-ups, comparisons, views, events, words; sentences read back."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy import stats

from night_trail.core.breakdown import down
from night_trail.core.conditions import Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Question as AnyQuestion
from night_trail.core.question import Scene, decode, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.answer import OverTimeAnswer, fitted
from night_trail.core.questions.over_time.question import Against, Event, Level, OverTime
from night_trail.core.questions.over_time.views import rolling_mean
from night_trail.core.questions.registry import answer, check, figures_of, sentence, short_name, words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.signposts import search
from night_trail.core.stats.rounds import chance_of_parts, drift, without_drift
from night_trail.core.table import Table
from night_trail.core.turns import Zoom, turn
from night_trail.draw import Size, draw
from tests.core.tables import table_of
from tests.core.test_compare import typed

SUM = Measure("sum", "boardings")


@pytest.fixture(scope="module")
def frame() -> pd.DataFrame:
    rng = np.random.default_rng(12)
    n = 4_000
    start = np.datetime64("2021-01-01T00:00")
    at = start + rng.integers(0, 3 * 365 * 24 * 60, n).astype("timedelta64[m]")
    frame = pd.DataFrame(
        {
            "at": at.astype("datetime64[us]"),
            "line": rng.choice(["N1", "N2", "N3"], n, p=[0.5, 0.3, 0.2]),
            "boardings": rng.poisson(20, n).astype(float),
            "planned": rng.poisson(21, n).astype(float),
            "late": rng.gamma(2, 2, n),
        }
    )
    frame.loc[rng.random(n) < 0.05, "late"] = np.nan
    frame["wet"] = rng.random(n) < 0.3
    # a fortnight without any row
    return frame[(frame["at"] < "2022-03-07") | (frame["at"] >= "2022-03-21")].reset_index(drop=True)


@pytest.fixture(scope="module")
def table(frame: pd.DataFrame) -> Table:
    made = table_of(**{name: frame[name].tolist() for name in frame.columns if name != "at"},
                    at=pl.Series(frame["at"].tolist()).cast(pl.Datetime("us")))  # fmt: skip
    return typed(made, boardings={"additive": True, "unit": "riders"}, late={"unit": "min"})


def asked(question: AnyQuestion, table: Table, **more: object) -> OverTimeAnswer:
    return answer(question, Rows(table, **more))


FREQUENCY = {"day": "D", "week": "W-SUN", "month": "M", "quarter": "Q-DEC", "year": "Y-DEC"}


@pytest.mark.parametrize("grain", list(FREQUENCY))
@pytest.mark.parametrize(
    ("measure", "made"),
    [
        (SUM, lambda g: g["boardings"].sum()),
        (Measure("mean", "late"), lambda g: g["late"].mean()),
        (Measure("median", "late"), lambda g: g["late"].median()),
        (Measure("quantile", "late", level=0.9), lambda g: g["late"].quantile(0.9)),
        (Measure("count"), lambda g: g.size()),
        (Measure("distinct", "line"), lambda g: g["line"].nunique()),
        (Measure("ratio", "boardings", "planned"), lambda g: g["boardings"].sum() / g["planned"].sum()),
        (Measure("share", where=OneOf("wet", ("yes",))), lambda g: g["wet"].mean()),
    ],
)  # fmt: skip
def test_every_aggregate_over_every_grain_is_that_of_pandas(
    frame: pd.DataFrame, table: Table, grain: str, measure: Measure, made: object
) -> None:
    found = asked(OverTime(measure, "at", grain), table)
    expected = made(frame.groupby(frame["at"].dt.to_period(FREQUENCY[grain])))
    has = np.asarray(found.together.n) > 0
    np.testing.assert_allclose(found.together.values[has], expected.dropna().to_numpy(dtype=float), rtol=1e-9)
    assert int(np.sum(found.together.n)) == found.basis.used


def test_lines_add_up_to_the_whole_and_the_lit_lie_inside(table: Table) -> None:
    found = asked(OverTime(SUM, "at", "month", "line"), table, lit=OneOf("wet", ("yes",)))
    np.testing.assert_allclose(np.sum([one.values for one in found.lines], axis=0), found.together.values)
    for one in found.lines:
        assert (np.asarray(one.lit_n) <= np.asarray(one.n)).all()
        assert (np.nan_to_num(one.lit) <= np.nan_to_num(one.values)).all()


@pytest.mark.parametrize("rows_without_a_line", [0, 300])
@pytest.mark.parametrize(
    "measure",
    [
        SUM,
        Measure("count"),
        Measure("mean", "late"),
        Measure("share", where=OneOf("wet", ("yes",))),
        Measure("median", "late"),
        Measure("ratio", "boardings", "planned"),
    ],
)
def test_all_together_is_the_same_with_lines_and_without(
    frame: pd.DataFrame, table: Table, measure: Measure, rows_without_a_line: int
) -> None:
    line = [None if i < rows_without_a_line else name for i, name in enumerate(frame["line"])]
    series = {column.name: table.series(column.name) for column in table.columns}
    some = typed(table_of(**{**series, "line": line}), boardings={"additive": True}, late={"unit": "min"})
    wet = OneOf("wet", ("yes",))
    for grain in ("day", "month"):
        split = asked(OverTime(measure, "at", grain, "line"), some, lit=wet)
        plain_ = asked(OverTime(measure, "at", grain), some, lit=wet)
        assert split.ungrouped == rows_without_a_line
        for part in ("values", "lit"):
            np.testing.assert_allclose(
                getattr(split.together, part), getattr(plain_.together, part), rtol=1e-9, equal_nan=True
            )
        assert split.together.n.tolist() == plain_.together.n.tolist()
        assert split.together.lit_n.tolist() == plain_.together.lit_n.tolist()


def test_the_condition_of_a_mark_names_exactly_its_rows(table: Table) -> None:
    for grain in ("week", "month", "quarter"):
        found = asked(OverTime(SUM, "at", grain, "line"), table)
        for one in found.lines[:2]:
            for i in (0, 5, found.calendar.n - 1):
                assert int(mask(found.condition(one, i), table).sum()) == int(one.n[i])


def test_a_fortnight_without_rows_is_a_gap_and_is_said(table: Table) -> None:
    found = asked(OverTime(SUM, "at", "week"), table)
    assert len(found.gaps) == 1 and np.isnan(found.together.values[found.gaps[0][0]])
    cautions = words_of(found, table).cautions
    assert any("have no row: week 10 of 2022 to week 11 of 2022" in c for c in cautions)


@pytest.mark.parametrize(("kind", "back"), [("before", 1), ("year", 12)])
def test_periods_are_held_against_earlier_ones(table: Table, kind: str, back: int) -> None:
    found = asked(OverTime(SUM, "at", "month", against=Against(kind)), table)
    one = found.together
    np.testing.assert_array_equal(one.base[back:], one.values[:-back])
    assert np.isnan(one.base[:back]).all()
    np.testing.assert_allclose(found.difference(one)[back:], one.values[back:] - one.values[:-back])
    relative = asked(OverTime(SUM, "at", "month", against=Against(kind, show="relative")), table)
    np.testing.assert_allclose(relative.difference(one)[back:], one.values[back:] / one.values[:-back] - 1)


def test_days_are_held_against_the_same_weekday_and_moving_feasts_against_themselves(table: Table) -> None:
    events = (
        Event("Lantern Week", "2021-05-03", "2021-05-05"),
        Event("Lantern Week", "2022-05-23", "2022-05-25"),
    )
    found = asked(OverTime(Measure("count"), "at", "day", against=Against("year"), events=events), table)
    edges = found.calendar.edges

    def at(day: str) -> int:
        return int(np.searchsorted(edges, pd.Timestamp(day).timestamp()))

    values, base = found.together.values, found.together.base
    for day in ("2022-06-15", "2023-02-01"):
        earlier = pd.Timestamp(day) - pd.Timedelta(days=364)
        assert earlier.day_name() == pd.Timestamp(day).day_name()
        np.testing.assert_equal(base[at(day)], values[at(str(earlier.date()))])
    for i in range(3):
        np.testing.assert_equal(base[at("2022-05-23") + i], values[at("2021-05-03") + i])
    assert [(name, b - a) for name, a, b in found.bands] == [("Lantern Week", 3), ("Lantern Week", 3)]


def test_a_plan_and_another_group_are_held_against(frame: pd.DataFrame, table: Table) -> None:
    months = frame["at"].dt.to_period("M")
    found = asked(OverTime(SUM, "at", "month", against=Against("column", "planned")), table)
    np.testing.assert_allclose(found.together.base, frame.groupby(months)["planned"].sum())
    found = asked(OverTime(SUM, "at", "month", against=Against("group", "line", "N2")), table)
    part = frame[frame["line"] == "N2"]
    np.testing.assert_allclose(found.together.base, part.groupby(months)["boardings"].sum())


def test_views_against_pandas(frame: pd.DataFrame, table: Table) -> None:
    monthly = frame.groupby(frame["at"].dt.to_period("M"))["boardings"].sum()
    plain_ = OverTime(SUM, "at", "month")

    def view(**fields: object) -> np.ndarray:
        return asked(replace(plain_, **fields), table).together.values

    np.testing.assert_allclose(view(view="running"), monthly.cumsum())
    np.testing.assert_allclose(view(view="to date"), monthly.groupby(monthly.index.year).cumsum())
    np.testing.assert_allclose(view(view="rolling", window=4), monthly.rolling(4).mean())
    np.testing.assert_allclose(view(view="per day"), monthly / monthly.index.days_in_month)
    np.testing.assert_allclose(view(view="index"), 100 * monthly / monthly.iloc[0])
    # a year that begins in April starts anew in April
    fiscal = view(view="to date", year_start=4)
    assert fiscal[3] == monthly.iloc[3] and fiscal[2] == pytest.approx(monthly.iloc[:3].sum())


def test_days_evened_out_leave_neither_lengths_nor_weekends() -> None:
    days = pd.date_range("2021-01-01", "2024-12-31")
    busy = np.array([4.0, 4.0, 5.0, 6.0, 11.0, 20.0, 9.0])
    line = np.where(np.arange(len(days)) % 3 > 0, "N1", "N2")
    moths = busy[days.day_of_week]
    table = typed(
        table_of(day=pl.Series(list(days.date)), line=list(line), moths=moths), moths={"additive": True}
    )
    total = Measure("sum", "moths")

    def evened(grain: str, split: str | None = None) -> OverTimeAnswer:
        return asked(OverTime(total, "day", grain, split, view="evened"), table)

    # the same week again and again has the same figure in all periods: that of an average one
    for grain, part in (("month", 12), ("quarter", 4), ("year", 1)):
        np.testing.assert_allclose(evened(grain).together.values, busy.sum() / 7 * 365.2425 / part)
    # lines still add up to the whole, and what is not of the calendar stays
    parts = evened("month", "line")
    np.testing.assert_allclose(sum(one.values for one in parts.lines), parts.together.values)
    grown = typed(
        table_of(day=pl.Series(list(days.date)), moths=moths * (days.year - 2020)), moths={"additive": True}
    )
    found = asked(OverTime(total, "day", "year", view="evened"), grown).together.values
    np.testing.assert_allclose(found / found[0], [1, 2, 3, 4], rtol=2e-3)
    # counts of weekdays are those of the calendar
    months = pd.Series(1, index=days).groupby([days.to_period("M"), days.day_of_week]).sum().unstack()
    np.testing.assert_array_equal(evened("month").calendar.weekdays(), months.to_numpy())


def test_days_are_evened_out_only_where_periods_differ_in_them(table: Table) -> None:
    with pytest.raises(BadQuestion, match="differ in their days"):
        check(OverTime(SUM, "at", "week", view="evened"), table)
    with pytest.raises(BadQuestion, match="add up"):
        check(OverTime(Measure("mean", "late"), "at", "month", view="evened"), table)
    assert fitted(OverTime(SUM, "at", "day", view="evened")).view == "plain"
    monthly = OverTime(SUM, "at", "month", view="evened")
    assert changed(monthly, "grain", "day", table)[0].view == "plain"
    assert read(str(sentence(monthly, table)), table)[0] == monthly


@given(st.lists(st.floats(-100, 100), min_size=1, max_size=30), st.integers(2, 6))
def test_a_rolling_mean_is_that_of_pandas(values: list[float], window: int) -> None:
    np.testing.assert_allclose(
        rolling_mean(np.array(values), window), pd.Series(values).rolling(window).mean(), atol=1e-9
    )


def test_levels_leave_unfinished_periods_out(table: Table) -> None:
    levels = (Level("mean"), Level("median"), Level("percentile", 90.0), Level("target", 5.0))
    found = asked(
        OverTime(SUM, "at", "month", levels=levels), table, only=(Between("at", None, "2023-11-15"),)
    )
    values = found.together.values[found.whole]
    assert found.whole.tolist().count(False) == 1
    expected = [values.mean(), np.median(values), np.percentile(values, 90), 5.0]
    assert [at for _, at in found.levels] == pytest.approx(expected)
    assert any("November 2023 is not covered" in c for c in words_of(found, table).cautions)


def test_what_moved_it_names_the_group_that_did() -> None:
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=i) for i in range(731)]
    # in December 2024 one line of five falls to nothing
    rows = [(d, line, 0.0 if line == "N3" and d >= dt.date(2024, 12, 1) else 10.0) for d in days for line in
            ("N1", "N2", "N3", "N4", "N5")]  # fmt: skip
    days_, lines, values = zip(*rows, strict=True)
    table = typed(table_of(day=pl.Series(days_), line=list(lines), x=list(values), odd=[i % 2 == 0 for i in range(len(rows))]),
                  x={"additive": True})  # fmt: skip
    found = asked(OverTime(Measure("sum", "x"), "day", "month", against=Against("year")), table)
    assert [(c.column, c.label) for c in found.contributions] == [("line", "N3")]
    said = plain(words_of(found, table).headline)
    assert "In November 2024" not in said and "N3 (−" in said


def test_of_noise_no_group_is_said_to_have_moved_otherwise() -> None:
    told = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        n = 1_500
        at = pl.Series(np.datetime64("2021-01-01") + rng.integers(0, 1_096, n))
        table = table_of(
            day=at, x=rng.poisson(20, n), g=[*rng.choice([*"abcde"], n)], ok=list(rng.random(n) < 0.4)
        )
        for measure in (Measure("count"), Measure("sum", "x")):
            found = asked(OverTime(measure, "day", "month", against=Against("year")), table)
            told += bool(found.contributions)
    assert told <= 4, "5 % of 80"


def test_rows_that_last_are_counted_in_every_period_they_touch() -> None:
    start = [
        dt.datetime(2024, 1, 1, 0, 30),
        dt.datetime(2024, 1, 1, 1),
        dt.datetime(2024, 1, 1, 2, 10),
        dt.datetime(2024, 1, 1, 5),
    ]
    end = [dt.datetime(2024, 1, 1, 2), dt.datetime(2024, 1, 1, 1, 5), None, dt.datetime(2024, 1, 1, 4)]
    table = table_of(
        start=pl.Series(start).cast(pl.Datetime("us")), end=pl.Series(end).cast(pl.Datetime("us"))
    )
    found = asked(OverTime(Measure("count"), "start", "hour", until="end"), table)
    # the first ends as hour 2 begins; the third has no end; the fourth ends before it starts
    assert found.together.values.tolist() == [1, 2, 1, 1, 1, 1] and found.basis.missing == 1


def test_cautions_of_definition_few_periods_and_month_lengths() -> None:
    months = [dt.date(2021 + m // 12, m % 12 + 1, d) for m in range(36) for d in range(1, 28) for _ in "abc"]
    lines = ["a", "b", "c"] * (36 * 27)
    x = [float(1 + (m >= dt.date(2023, 2, 1)) * 5) for m in months]
    table = typed(table_of(day=pl.Series(months), line=lines, x=x), x={"additive": True})
    said = words_of(asked(OverTime(Measure("sum", "x"), "day", "month", "line"), table), table).cautions
    assert not any("defined anew" in c for c in said)  # no noise at all: nothing to judge by
    noise = np.random.default_rng(0).normal(1, 0.05, len(x))
    table = typed(
        table_of(day=pl.Series(months), line=lines, x=list(np.array(x) * noise)), x={"additive": True}
    )
    said = words_of(asked(OverTime(Measure("sum", "x"), "day", "month", "line"), table), table).cautions
    assert any("All 3 lines change level in February 2023" in c for c in said)
    few = words_of(asked(OverTime(Measure("sum", "x"), "day", "year"), table), table).cautions
    assert any("too few to see a season" in c for c in few)
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=i) for i in range(731)]
    table = typed(table_of(day=pl.Series(days), x=[10.0] * 731), x={"additive": True})
    lengths = words_of(asked(OverTime(Measure("sum", "x"), "day", "month"), table), table).cautions
    assert any("28 to 31 days" in c and c.way == "with days evened out" for c in lengths)
    even = asked(OverTime(Measure("sum", "x"), "day", "month", view="per day"), table)
    assert even.together.values.tolist() == [10.0] * 24


SENTENCES = [
    "How did the sum of boardings change month by month, drawn as a line?",
    "How did the average of late change week by week for each line, drawn as small panels?",
    "How did the sum of boardings change month by month against the year before, the difference relative to it, drawn as columns?",
    "How did the sum of boardings change quarter by quarter as a rolling mean of 4 quarters with the mean and the 90th percentile, drawn as an area?",
    "How did the sum of boardings and the average of late change month by month, drawn as a line with points?",
    "How did the share of trips where wet is yes change month by month with a target of 0.5, drawn as a line?",
    "How did the sum of boardings change month by month for each line as the year so far with years from April, drawn as stacked areas?",
    "How did the number of trips change day by day with wet marked by the clock of Europe/Lisbon, drawn as a calendar of days?",
    "How does the average of late run through the week for each line, drawn as a line?",
    "How does the sum of boardings run through the year in each year, drawn as a line?",
    "How does the number of trips run through the day, drawn as a grid of weekdays?",
    "How does the average of late run through the week, drawn as a row for each weekday?",
    "What are the trend and seasons of the sum of boardings month by month, multiplied, shown as the season's shape?",
    "Where is the sum of boardings going month by month over the next 6 months for each line against planned, with 50 %, 80 % and 95 % bands?",
]  # fmt: skip


@pytest.mark.parametrize("text", SENTENCES)
def test_every_sentence_reads_back(table: Table, text: str) -> None:
    question, _ = read(text, table)
    assert str(sentence(question, table)).replace("\u2009", " ") == text
    assert read(str(sentence(question, table)), table)[0] == question
    assert decode(to_json(question), AnyQuestion, "question") == question
    found = answer(question, Rows(table))
    assert plain(words_of(found, table).headline) and figures_of(found).rows and short_name(question)
    named = str(sentence(question, table, found))
    assert str(sentence(read(named, table)[0], table, found)) == named


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("boardings by month as columns", OverTime(SUM, "at", "month", shape="columns")),
        ("boardings monthly", OverTime(SUM, "at", "month")),
        ("late over time", OverTime(Measure("mean", "late"), "at")),
        ("boardings through the week", Cycle(SUM, "at", "week")),
        ("boardings taken apart", Decomposition(SUM, "at")),
        ("boardings by month, taken apart", Decomposition(SUM, "at", "month")),
        ("boardings weekly forecast", Forecast(SUM, "at", "week")),
        ("boardings through the year for each year", Cycle(SUM, "at", "year", years=True)),
        ("boardings ahead", Forecast(SUM, "at")),
        ("sum of boardings by line", Compare(SUM, "line", "bars")),
    ],
)
def test_short_forms(table: Table, text: str, expected: AnyQuestion) -> None:
    assert read(text, table)[0] == expected


@pytest.mark.parametrize(
    ("question", "says"),
    [
        (OverTime(SUM, "line"), "is category and no time"),
        (OverTime(SUM, "at", split="late"), None),
        (OverTime(SUM, "at", shape="stacked"), "cannot be drawn"),
        (OverTime(Measure("mean", "late"), "at", view="running"), "add up over time"),
        (OverTime(SUM, "at", split="line", more=(Measure("count"),)), "do not go together"),
        (OverTime(SUM, "at", bands="line"), "no yes/no column"),
        (OverTime(SUM, "at", against=Against("column", "boardings")), "A plan is another column"),
        (OverTime(SUM, "at", until="late"), "counted from a start to an end"),
        (Cycle(SUM, "at", shape="grid", split="line"), "no further lines"),
        (Forecast(Measure("mean", "late"), "at", split="line"), "add up to a total"),
    ],
)
def test_what_makes_no_sense_is_refused_in_a_sentence(
    table: Table, question: AnyQuestion, says: str | None
) -> None:
    if says is None:
        check(question, table)
        return
    with pytest.raises(BadQuestion, match=says):
        check(question, table)


def test_impossible_values_are_refused_where_they_are_written() -> None:
    for made in (
        lambda: Event("x", "2024-02-30", "2024-03-01"),
        lambda: Event("x", "2024-03-02", "2024-03-01"),
        lambda: Level("percentile", 100.0),
        lambda: Against("group", "line"),
        lambda: OverTime(SUM, "at", window_at=(5.0, 1.0)),
        lambda: OverTime(SUM, "at", zone="Atlantis/Town"),
    ):
        with pytest.raises(BadQuestion):
            made()


def test_slots_change_one_thing_and_fit_the_rest(table: Table) -> None:
    question = OverTime(SUM, "at", "month", "line", "stacked")
    assert changed(question, "aggregate", "mean", table)[0] == replace(
        question, measure=Measure("mean", "boardings"), shape="line"
    )
    assert changed(question, "split", None, table)[0].shape == "line"
    assert changed(question, "grain", "week", table) == (replace(question, grain="week"), "week by week")
    levels, label = changed(OverTime(SUM, "at"), "levels", to_json(Level("median")), table)
    assert levels.levels == (Level("median"),) and label == "with the median"
    assert changed(levels, "levels", to_json(Level("median")), table)[0].levels == ()
    assert changed(OverTime(SUM, "at"), "view", "rolling 7", table)[0].window == 7
    several, _ = changed(OverTime(SUM, "at"), "more", "the average of late", table)
    assert several.more == (Measure("mean", "late"),)
    assert changed(question, "way", "cycle", table)[0] == Cycle(SUM, "at", split="line")
    assert changed(question, "way", "compare", table)[0] == Compare(SUM, "line", "bars")
    assert changed(Spread("boardings", "line"), "way", "over time", table)[0] == OverTime(
        SUM, "at", split="line"
    )
    assert down(OverTime(SUM, "at", "month"), "line", table) == OverTime(SUM, "at", "month", "line")
    with pytest.raises(BadQuestion, match="no slot"):
        changed(question, "bins", "1", table)


def test_zooming_into_time_is_a_turn_and_out_again(table: Table) -> None:
    scene = Scene(main=OverTime(SUM, "at", "month"))
    into, label = turn(scene, Zoom((1.62e9, 1.65e9, 0.0, 1.0)), table)
    assert into.main.window_at == (1.62e9, 1.65e9) and label == "zoomed in"
    assert turn(into, Zoom(None), table)[0] == scene


def test_cycles_against_pandas(frame: pd.DataFrame, table: Table) -> None:
    late = Measure("mean", "late")
    for part, key in (
        ("day", frame["at"].dt.hour),
        ("week", frame["at"].dt.day_of_week),
        ("year", frame["at"].dt.month),
    ):
        found = answer(Cycle(late, "at", part), Rows(table))
        np.testing.assert_allclose(found.together.values, frame.groupby(key)["late"].mean())
    years = answer(Cycle(Measure("count"), "at", "year", years=True), Rows(table))
    assert [r.label for r in years.rounds] == ["2021", "2022", "2023"]
    # a year that ended in June has no figure for July, and not one of 0
    cut = answer(Cycle(SUM, "at", "year", years=True), Rows(table, (Between("at", None, "2023-07-01"),)))
    assert np.isnan(cut.rounds[2].values).tolist() == [False] * 6 + [True] * 6
    assert not np.isnan(cut.rounds[1].values).any()
    grid = answer(Cycle(Measure("count"), "at", shape="grid"), Rows(table))
    expected = frame.groupby([frame["at"].dt.day_of_week, frame["at"].dt.hour]).size().unstack()
    np.testing.assert_array_equal(np.array([r.values for r in grid.rounds]), expected)
    # where a column has only days, weekdays are crossed with months
    dated = table_of(day=pl.Series(frame["at"].dt.date.tolist()), x=[1.0] * len(frame))
    rows = answer(Cycle(Measure("count"), "day", shape="rows"), Rows(dated))
    assert rows.parts[:2] == ("January", "February")
    expected = frame.groupby([frame["at"].dt.day_of_week, frame["at"].dt.month]).size().unstack()
    np.testing.assert_array_equal(np.array([r.values for r in rows.rounds]), expected)
    top = np.unravel_index(expected.to_numpy().argmax(), expected.shape)
    said = plain(words_of(rows, dated).headline)
    assert f"highest on {rows.rounds[top[0]].label}s in {rows.parts[top[1]]}" in said
    assert int(mask(rows.condition(rows.rounds[2], 4), dated).sum()) == int(rows.rounds[2].n[4])
    for found in (years, grid):
        one = found.rounds[1]
        assert int(mask(found.condition(one, 3), table).sum()) == int(one.n[3])


def test_nothing_and_little_are_said_plainly() -> None:
    days = pl.Series([dt.date(2024, 1, 1), None]).cast(pl.Date)
    for question in (OverTime(Measure("mean", "x"), "day"), Cycle(Measure("mean", "x"), "day"), Decomposition(Measure("mean", "x"), "day"),
                     Forecast(Measure("mean", "x"), "day")):  # fmt: skip
        for table in (
            table_of(day=pl.Series([], dtype=pl.Date), x=pl.Series([], dtype=pl.Float64)),
            table_of(day=pl.Series([None, None]).cast(pl.Date), x=[1.0, 2.0]),
            table_of(day=days, x=[1.0, 2.0]),
            table_of(day=pl.Series([dt.date(2024, 1, 1)] * 2), x=pl.Series([None, None]).cast(pl.Float64)),
        ):
            assert plain(words_of(answer(question, Rows(table)), table).headline)


def test_the_order_of_the_rows_changes_nothing(frame: pd.DataFrame, table: Table) -> None:
    order = np.random.default_rng(1).permutation(len(frame))
    mixed = frame.iloc[order]
    other = table_of(**{name: mixed[name].tolist() for name in mixed.columns if name != "at"},
                     at=pl.Series(mixed["at"].tolist()).cast(pl.Datetime("us")))  # fmt: skip
    for question in (OverTime(SUM, "at", "week", "line"), OverTime(Measure("median", "late"), "at", "month")):
        one, two = answer(question, Rows(table)), answer(question, Rows(other))
        for a, b in zip(one.lines, two.lines, strict=True):
            np.testing.assert_allclose(a.values, b.values)


# ---- a cycle and how often its parts came ----


def catches(first: dt.date, days: int, skip: int = 0) -> Table:
    made = [first + dt.timedelta(days=i) for i in range(days)]
    return typed(table_of(night=made, moths=[5] * days), moths={"additive": True})


@pytest.mark.parametrize(
    ("days", "told"), [(3 * 365 + 1, False), (3 * 365 + 32, True), (365, False), (380, True)]
)
def test_months_that_came_more_often_are_named_where_figures_add_up(days: int, told: bool) -> None:
    table = catches(dt.date(2022, 1, 1), days)
    found = answer(Cycle(Measure("sum", "moths"), "night", "year"), Rows(table))
    months = pd.date_range("2022-01-01", periods=days).to_period("M").nunique()
    assert int(found.times.sum()) == months and found.times.min() == days // 365
    said = " ".join(map(str, words_of(found, table).cautions))
    assert ("January comes" in said) is told, said
    # averages do not depend on how often
    plain_ = answer(Cycle(Measure("mean", "moths"), "night", "year"), Rows(table))
    assert "sums differ" not in " ".join(map(str, words_of(plain_, table).cautions))
    # and of many weeks one more is nothing
    weeks = answer(Cycle(Measure("sum", "moths"), "night", "week"), Rows(table))
    assert weeks.times.sum() == days and "sums differ" not in " ".join(
        map(str, words_of(weeks, table).cautions)
    )


def test_a_year_of_one_month_is_no_line_and_named() -> None:
    table = catches(dt.date(2022, 1, 1), 2 * 365 + 10)
    found = answer(Cycle(Measure("mean", "moths"), "night", "year", years=True), Rows(table))
    assert [r.label for r in found.rounds] == ["2022", "2023"] and [r.label for r in found.begun] == ["2024"]
    said = " ".join(map(str, words_of(found, table).cautions))
    assert "2024 has figures of one part only and is not drawn." in said and ">2024<" not in draw(
        found, table
    )
    # where there is nothing else, it is drawn
    short = catches(dt.date(2022, 1, 1), 10)
    alone = answer(Cycle(Measure("mean", "moths"), "night", "year", years=True), Rows(short))
    assert [r.label for r in alone.rounds] == ["2022"] and not alone.begun


@pytest.mark.parametrize(("last", "timed"), [(dt.date(9999, 12, 31), False), (dt.date(1, 1, 1), True)])
def test_dates_at_the_ends_of_the_calendar_break_no_picture(last: dt.date, timed: bool) -> None:
    """Where an end is not known yet, many tables write 9999-12-31: its rows are there, and can be lit."""
    days = [last if i % 50 == 0 else dt.date(2024, 1, 1) + dt.timedelta(days=i % 200) for i in range(600)]
    at = [dt.datetime.combine(day, dt.time(23, 59, 59)) for day in days] if timed else days
    table = table_of(g=[*"abc"] * 200, at=at, v=np.arange(600.0))
    drawn = 0
    for words in (
        *("number of rows by at", "number of rows over time", "average v by year", "average v by quarter"),
        *("average v by month", "average v by at", "at by g as a strip of points", "v vs at", "at"),
        *("average v by year for each g", "average v by year taken apart", "at as a density curve"),
        *("what makes up the number of rows by at › g", "what stands out", "at as box plots"),
    ):
        question, only = read(words, table)
        try:
            found = answer(question, Rows(table, only))
        except BadQuestion:
            continue  # eight thousand years are more months than can be drawn, and that is said
        words_of(found, table, only)
        figures_of(found)
        draw(found, table, Size(664, 420), "main")
        drawn += 1
    assert drawn > 8
    both = table_of(at=[last, dt.date(9999, 12, 31) if timed else dt.date(1, 1, 1)] * 50)
    bars = answer(read("at", both)[0], Rows(both)).groups[0].counts
    assert [int(bars[1]), int(bars[-2]), len(bars)] == [50, 50, 122], "even bins, and a tail at both ends"
    line = answer(read("number of rows by year", table)[0], Rows(table))
    for period in np.flatnonzero(line.together.n):
        lit = mask(line.condition(line.together, int(period)), table)
        assert int(lit.sum()) == line.together.n[period]


def test_parts_of_rounds_differ_beyond_chance_only_where_they_do() -> None:
    rng = np.random.default_rng(0)
    two = rng.normal(size=(12, 2))
    assert chance_of_parts(two) == pytest.approx(stats.ttest_rel(two[:, 0], two[:, 1]).pvalue)
    # by the sphericity of the parts F has fewer degrees of freedom (hand calculation of two of three alike)
    twin = np.column_stack([two[:, 0], two[:, 1], two[:, 1]])
    assert chance_of_parts(twin) == pytest.approx(stats.ttest_rel(two[:, 0], two[:, 1]).pvalue)
    white = [chance_of_parts(rng.normal(size=(30, 7))) for _ in range(400)]
    walks = [chance_of_parts(np.cumsum(rng.normal(size=8 * 12)).reshape(8, 12)) for _ in range(400)]
    for noise in (white, walks):
        assert np.mean(np.array(noise) < 0.05) < 0.08
    planted = [chance_of_parts(rng.normal(size=(30, 7)) + np.eye(7)[2] * 1.5) for _ in range(100)]
    assert np.mean(np.array(planted) < 0.05) > 0.95
    assert chance_of_parts(np.ones((9, 7))) == 1.0 and chance_of_parts(np.ones((3, 7))) is None
    assert chance_of_parts(np.tile(np.arange(7.0), (9, 1))) == 0.0


def test_what_rises_all_the_time_has_no_season_and_a_season_that_rises_has() -> None:
    rng = np.random.default_rng(8)
    months = np.arange(60).reshape(5, 12)
    assert drift(3.0 * months) == pytest.approx(3.0) and drift(months[:3] * 1.0) == 0.0
    assert np.ptp(without_drift(3.0 * months)[0]) == pytest.approx(0.0)
    made = {
        "a walk that drifts": lambda: np.cumsum(rng.normal(0.5, 1, 60)).reshape(5, 12),
        "growth": lambda: 100 * np.exp(months * 0.01) + rng.normal(size=(5, 12)),
        "a fall": lambda: rng.normal(size=(5, 12)) - months * 0.5,
    }
    for name, make in made.items():
        claimed = sum((chance_of_parts(without_drift(make())) or 0) < 0.05 for _ in range(200))
        before = sum((chance_of_parts(make()) or 0) < 0.05 for _ in range(200))
        assert claimed <= 10 < before, name
    season = 3.0 * np.sin(np.arange(12) / 12 * 2 * np.pi)
    kept = [
        chance_of_parts(without_drift(months * 0.5 + season + rng.normal(size=(5, 12)))) for _ in range(50)
    ]
    assert max(kept) < 0.05


def test_the_words_tell_a_rise_from_a_season_and_no_signpost_takes_one_for_the_other() -> None:
    rng = np.random.default_rng(2)
    at = [dt.date(2015 + m // 12, m % 12 + 1, d) for m in range(96) for d in (5, 15, 25)]
    grows = np.repeat(np.arange(96) * 2.0, 3) + rng.normal(0, 1, 288)
    both = grows + np.array([120.0 if d.month == 6 else 0.0 for d in at])
    for values, of_season in ((grows, False), (-grows, False), (both, True)):
        table = table_of(at=at, y=values.tolist())
        asked = Cycle(Measure("mean", "y"), "at", "year")
        said = plain(words_of(answer(asked, Rows(table)), table).headline)
        rise = "rise" if values[-1] > values[0] else "fall"
        assert (f"may be no more than its {rise} from year to year" in said) == (not of_season)
        posts = [
            s.question for s in search(Scene(main=OverTime(Measure("mean", "y"), "at")), Rows(table)).found
        ]
        assert (asked in posts) == of_season


def test_of_noise_a_peak_of_the_week_may_be_chance_and_of_a_rhythm_it_is_not() -> None:
    rng = np.random.default_rng(6)
    days = [dt.date(2020, 1, 1) + dt.timedelta(days=i) for i in range(900)]
    weekday = np.array([d.weekday() for d in days])
    table = table_of(
        day=pl.Series(days), flat=rng.normal(30, 5, 900), tides=rng.normal(30, 5, 900) + 6 * (weekday == 4)
    )
    for words, chance in (
        ("average flat through the week", True),
        ("number of rows through the week", True),
        ("average tides through the week", False),
    ):
        found = answer(read(words, table)[0], Rows(table))
        said = plain(words_of(found, table).headline)
        assert ("The differences may be chance (F over" in said) == chance, said
        assert found.whole in (128, 127)


def test_no_change_is_told_in_percent_of_what_has_no_zero() -> None:
    months = [dt.date(2024, m, 5) for m in range(1, 13)]
    kept, refused = [10.0 + m for m in range(12)], [-3.0, 0.02, *(5.0 + m for m in range(10))]
    for values, unit, percent in (
        (kept, "", True),
        (kept, "°C", False),
        (refused, "", False),
        (refused[1:], "", True),
    ):
        table = typed(table_of(at=months[-len(values) :], v=values), v={"unit": unit})
        said = plain(words_of(answer(OverTime(Measure("mean", "v"), "at"), Rows(table)), table).headline)
        assert "it rose by" in said and ("(+" in said) == percent, said


def test_of_too_few_whole_rounds_the_rows_tell_whether_hours_differ_by_chance() -> None:
    rng = np.random.default_rng(4)
    at = [dt.datetime(2024, 1, 1) + dt.timedelta(hours=int(h)) for h in rng.integers(0, 8_000, 1_500)]
    noise = rng.normal(size=1_500)
    planted = noise + 2 * np.array([t.hour == 7 for t in at])
    for values, chance in ((noise, True), (planted, False)):
        table = table_of(at=at, v=values.tolist())
        found = answer(Cycle(Measure("mean", "v"), "at", "day"), Rows(table))
        assert found.chance is None and found.tested.p is not None
        assert ("The differences may be chance" in plain(words_of(found, table).headline)) == chance
