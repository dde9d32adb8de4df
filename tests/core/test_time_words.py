"""What is said of time, word for word, on tables small enough to check by hand."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from msgspec.structs import replace

from night_trail.core.conditions import Between, OneOf
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Question, Scene
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.decomposition.words import season_name
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Against, Event, Level, OverTime
from night_trail.core.questions.over_time.words import in_period, relative, signed
from night_trail.core.questions.registry import answer, figures_of, sentence, short_name, words_of
from night_trail.core.rows import Rows
from night_trail.core.sentence import scene_in_words
from night_trail.core.stats.calendar import calendar_of
from night_trail.core.table import Table
from tests.core.tables import table_of
from tests.core.test_compare import typed

SUM = Measure("sum", "x")


def months(values: list[float | None], first: int = 2022, **more: object) -> Table:
    days = [dt.date(first + m // 12, m % 12 + 1, 1) for m in range(len(values))]
    table = table_of(day=pl.Series(days), x=pl.Series(values, dtype=pl.Float64), **more)
    return typed(table, x={"additive": True, "unit": "moths"})


def said(question: Question, table: Table, **more: object) -> tuple[str, list[str]]:
    found = words_of(answer(question, Rows(table, **more)), table)
    return plain(found.headline).replace("\u2009", " ").replace("\u00a0", " "), [
        str(c) for c in found.cautions
    ]


def test_the_main_change_comes_first_with_dates_sizes_and_the_unit() -> None:
    table = months([10, 12, 11, 13, 12, 40, 14, 13, 12, 15])
    headline, _ = said(OverTime(SUM, "day", "month"), table)
    assert headline.startswith(
        "It was highest in June 2022 at 40 moths and lowest in January 2022 at 10 moths. "
    )
    assert "From January 2022 to October 2022 it rose by 5 moths (+50 %)" in headline
    assert "the largest step was +28 moths in June 2022." in headline


def test_what_does_not_move_or_comes_back_says_so() -> None:
    assert said(OverTime(SUM, "day", "month"), months([5.0] * 6))[0] == "It was 5 moths throughout."
    back, _ = said(OverTime(SUM, "day", "month"), months([5, 6, 7, 6, 5]))
    assert back.endswith("From January 2022 to May 2022 it came back to where it was.")


def test_the_period_against_its_base_is_said_with_both_sizes() -> None:
    table = months([10.0] * 12 + [20.0] * 11 + [5.0])
    headline, _ = said(OverTime(SUM, "day", "month", against=Against("year")), table)
    assert headline.startswith("In December 2023 it was 5 moths, 5 moths less than a year earlier (−50 %).")
    assert "It lay above in 11 of 12 periods." in headline
    same, _ = said(OverTime(SUM, "day", "month", against=Against("before")), months([4.0, 4.0]))
    assert same.startswith("In February 2022 it was 4 moths, the same as the period before.")
    none, _ = said(OverTime(SUM, "day", "month", against=Against("year")), months([4.0, 4.0]))
    assert none == "No period has one to be held against."


def test_lines_say_which_is_highest_and_which_changed_most() -> None:
    days = [dt.date(2022, m, 1) for m in range(1, 7) for _ in "ab"]
    table = typed(
        table_of(day=pl.Series(days), g=["a", "b"] * 6, x=[1.0, 9.0, 2, 9, 3, 9, 4, 9, 5, 9, 6, 9]),
        x={"additive": True},
    )
    headline, _ = said(OverTime(SUM, "day", "month", "g"), table)
    assert headline.endswith("At the end b is highest at 9; a changed most, by +5.")


def test_the_lantern_is_spoken_of() -> None:
    table = months([10.0, 12, 11], g=["a", "b", "b"])
    headline, _ = said(OverTime(SUM, "day", "month"), table, lit=OneOf("g", ("b",)))
    # no month has the most of two that lie in two
    assert "The 2 lit rows lie in 2 months, at most 1 in one." in headline
    headline, _ = said(OverTime(SUM, "day", "month"), table, lit=OneOf("g", ("a",)))
    assert "The 1 lit row is in January 2022." in headline
    headline, _ = said(OverTime(SUM, "day", "month", "g"), table, lit=OneOf("g", ("b",)))
    assert "All 2 lit rows are in b." in headline
    headline, _ = said(OverTime(SUM, "day", "month"), table, lit=Between("x", 99.0))
    assert "None of the lit rows is among them." in headline


@pytest.mark.parametrize(
    ("make", "question", "caution"),
    [
        (
            lambda: months([1, 2, None, 4, 5, 6, 7, 8, 9]),
            OverTime(SUM, "day", "month"),
            "1 row has no x and is left out.",
        ),
        (
            lambda: months([1.0] * 5),
            OverTime(SUM, "day", "month"),
            "Only 5 whole months: too few to see a season or a trend.",
        ),
        (
            lambda: typed(months([1.0] * 9), x={"additive": False, "sure": True, "summing": "it is a rate"}),
            OverTime(SUM, "day", "month"),
            "The sum of x over a month says little: it is a rate.",
        ),
        (
            lambda: months([1.0] * 14),
            OverTime(SUM, "day", "year"),
            "2023 is not covered from end to end: drawn apart, left out of comparisons.",
        ),
        (
            lambda: months([1.0, 2.0, 3.0]),
            Cycle(SUM, "day", "year"),
            "January, February and March rest on fewer than 10 trips.",
        ),
        (
            lambda: months([1.0, 2.0, 3.0]),
            Cycle(SUM, "day", "year"),
            "No row lies in April, May, June and 6 more.",
        ),
    ],
)
def test_cautions_word_for_word(make: object, question: Question, caution: str) -> None:
    _, cautions = said(question, make())
    assert caution in cautions or caution.replace("1 row", "1 trip") in cautions, cautions


def test_a_cycle_says_its_peak_its_trough_and_how_many_times() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(28)]
    table = table_of(day=pl.Series(days), x=[30.0 if d.weekday() == 5 else 10.0 for d in days])
    headline, _ = said(Cycle(Measure("mean", "x"), "day"), table)
    assert headline == "It is highest on Saturday at 30 and lowest on Monday at 10: 3 times as much."
    level, _ = said(
        Cycle(Measure("mean", "x"), "day"),
        table_of(day=pl.Series(days), x=[10.0 + d.weekday() / 10 for d in days]),
    )
    assert level == "It is highest on Sunday at 10.6 and lowest on Monday at 10."
    groups = table_of(
        day=pl.Series(days * 2),
        g=["a"] * 28 + ["b"] * 28,
        x=[30.0 if d.weekday() == 5 else 10.0 for d in days] * 2,
    )
    assert said(Cycle(Measure("mean", "x"), "day", split="g"), groups)[0].endswith(
        "That peak is the same for all 2."
    )


def test_parts_say_seasons_trend_steps_and_how_they_join() -> None:
    rng = np.random.default_rng(1)
    season = 8 * np.sin(np.arange(96) * 2 * np.pi / 12)
    table = months(
        (100 + season + rng.normal(0, 1, 96) + np.where(np.arange(96) >= 60, 25, 0)).tolist(), 2015
    )
    headline, cautions = said(Decomposition(SUM, "day", "month", "added"), table)
    assert headline.startswith("The season of the year explains 9")
    assert " in January 2020." in headline and "The level rises by 2" in headline
    assert "The parts are added, as asked." in cautions
    chosen = answer(Decomposition(SUM, "day", "month"), Rows(table))
    assert any(
        c.startswith("The parts are") and getattr(c, "way", "") for c in words_of(chosen, table).cautions
    )
    short, _ = said(Decomposition(SUM, "day", "month"), months([1.0, 2.0, 3.0]))
    assert short == "3 whole months cannot be taken apart: too few, or all the same."


@pytest.mark.parametrize(
    ("grain", "period", "name"),
    [("day", 7, "the week"), ("day", 365, "the year"), ("hour", 24, "the day"), ("hour", 168, "the week"),
     ("month", 12, "the year"), ("quarter", 4, "the year"), ("week", 52, "the year"), ("year", 11, "11 years")],
)  # fmt: skip
def test_seasons_have_names(grain: str, period: int, name: str) -> None:
    assert season_name(period, calendar_of(grain, 0, 5)) == name


def test_a_forecast_says_how_sure_by_which_method_and_how_it_did() -> None:
    rng = np.random.default_rng(3)
    values = 100 + 15 * np.sin(np.arange(84) * 2 * np.pi / 12) + np.arange(84) + rng.normal(0, 2, 84)
    table = months(values.tolist(), 2016)
    headline, _ = said(Forecast(SUM, "day", "month", 6), table)
    assert (
        headline.startswith("About ")
        and " June 2023, between " in headline
        and "in four cases of five." in headline
    )
    assert (
        "5 methods were taken together, weighted by their errors from 6 earlier points; over the last 6 months it missed by"
        in headline
    )
    year, _ = said(Forecast(SUM, "day", "month", 12), table)
    assert " moths in 2023, between " in year
    far = said(Forecast(SUM, "day", "month", 60), table)[1]
    assert "60 months ahead from 84 behind: far, for so short a past." in far


def test_names_sentences_and_figures_hold_what_was_asked() -> None:
    table = months([float(i % 7 + 5) for i in range(60)], 2019, plan=[6.0] * 60)
    asked = OverTime(SUM, "day", "month", against=Against("column", "plan"), levels=(Level("target", 9.0),), window=4,
                     view="rolling", events=(Event("Fair", "2020-05-01", "2020-05-31"),))  # fmt: skip
    assert short_name(asked) == "sum of x month by month against plan"
    text = str(sentence(asked, table))
    assert "against plan as a rolling mean of 4 months with a target of 9 with Fair marked" in text
    names = figures_of(answer(asked, Rows(table))).names
    assert names == ("day from", "to below", "sum of x", "held against", "difference", "rows")
    assert scene_in_words(Scene(main=asked, only=(Between("x", 6.0),)), table).endswith(
        "only where x at least 6?"
    )
    several = replace(asked, against=None, view="plain", more=(Measure("count"),))
    found = figures_of(answer(several, Rows(table)))
    assert found.names[2:4] == ("sum of x", "count") and found.rows[0][2:4] == (5.0, 1.0)
    assert [short_name(q) for q in (Cycle(SUM, "day"), Decomposition(SUM, "day"), Forecast(SUM, "day"))] == [
        "sum of x through the week", "sum of x taken apart", "sum of x ahead",
    ]  # fmt: skip


def test_small_helpers() -> None:
    calendar = calendar_of("day", 19_000, 19_002)
    assert in_period(calendar, 0) == "on 8 January 2022"
    assert signed("5", 5.0) == "+5" and signed("−5", -5.0) == "−5" and signed("0", 0.0) == "0"
    no = np.array([4.0])
    assert relative(1.0, 4.0, None, no).replace("\u2009", " ") == " (+25 %)"
    assert relative(1.0, 0.0, None, no) == relative(1.0, 4.0, None, -no) == ""


def test_this_year_so_far_is_held_against_the_year_before_at_the_same_time() -> None:
    table = months([10.0] * 12 + [20.0] * 12 + [25.0] * 5)
    headline, _ = said(OverTime(SUM, "day", "month", view="to date"), table)
    assert headline.startswith("Up to May 2024 the year has 125")
    assert "more than the year before at the same time (+25" in headline
    first, _ = said(OverTime(SUM, "day", "month", view="to date"), months([10.0] * 7))
    assert "the year before is not there" in first


def test_a_last_day_without_rows_does_not_silence_a_month() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(60)]
    # closed now and then, and on the last day of February
    open_ = [d for d in days[:-1] if d.day not in (9, 20)]
    table = table_of(day=pl.Series(open_), x=[1.0] * len(open_))
    headline, cautions = said(OverTime(SUM, "day", "month", against=Against("before")), table)
    assert headline.startswith("In February 2024 it was 26") and not any("end to end" in c for c in cautions)


def test_differences_of_shares_are_percentage_points() -> None:
    days = [dt.date(2024, m, 5) for m in range(1, 10) for _ in range(40)]
    late = [i % 40 < (10 if d.month < 9 else 20) for i, d in enumerate(days)]
    table = table_of(day=pl.Series(days), late=late)
    headline, _ = said(OverTime(Measure("mean", "late"), "day", "month"), table)
    assert "it rose by 25 percentage points" in headline
    group = table_of(g=["a", "b"] * 40, late=[i % 4 == 0 or i % 2 == 0 for i in range(80)])
    words = words_of(
        answer(Compare(Measure("mean", "late"), "g", "bars", baseline=Baseline(group="b")), Rows(group)),
        group,
    )
    assert "percentage points" in plain(words.headline) and "+100\u2009%" not in plain(words.headline)


def test_four_years_of_days_are_taken_apart_by_days() -> None:
    days = [dt.date(2021, 1, 1) + dt.timedelta(days=i) for i in range(1_461)]
    table = table_of(day=pl.Series(days), x=[float(d.weekday()) for d in days])
    found = answer(Decomposition(SUM, "day"), Rows(table))
    assert found.calendar.grain == "day" and 7 in found.parts.periods
    assert answer(Forecast(SUM, "day"), Rows(table)).calendar.grain == "month"
