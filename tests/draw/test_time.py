"""Time drawn: places follow dates, lengths follow figures, gaps break lines, nothing leaves the picture."""

from __future__ import annotations

import datetime as dt
import itertools
import json
import re
import xml.etree.ElementTree as ET

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import Between, OneOf
from night_trail.core.language.numbers import THIN
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Against, Event, Level, OverTime
from night_trail.core.questions.registry import answer
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.draw import BESIDE, MAIN, THUMB, Size, draw, standalone
from night_trail.draw.frame.measures import measured_ends
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.text import width
from night_trail.draw.marks.lines import steps
from tests.core.tables import table_of
from tests.core.test_compare import typed
from tests.draw.test_geometry import of_class

SUM = Measure("sum", "x")
ODD = 'N1 "<script>" {x} 🚌'


@pytest.fixture(scope="module")
def table() -> Table:
    rng = np.random.default_rng(3)
    n = 3_000
    start = np.datetime64("2021-01-01T00:00")
    at = (start + rng.integers(0, 3 * 365 * 24, n).astype("timedelta64[h]")).astype("datetime64[us]")
    keep = (at < np.datetime64("2022-03-01")) | (at >= np.datetime64("2022-05-01"))
    at, n = at[keep], int(keep.sum())
    made = table_of(
        at=pl.Series(at.tolist()).cast(pl.Datetime("us")),
        x=rng.gamma(3, 4, n),
        y=rng.normal(50, 5, n),
        line=rng.choice([ODD, "N2", "N3", "N4"], n).tolist(),
        wet=(rng.random(n) < 0.3).tolist(),
    )
    return typed(made, x={"additive": True, "unit": "riders"})


def drawn(question: Question, table: Table, size: Size = MAIN, **more: object) -> ET.Element:
    return ET.fromstring(draw(answer(question, Rows(table, **more)), table, size, "p"))


ALL = [
    *(OverTime(SUM, "at", "month", shape=shape) for shape in ("line", "area", "columns")),
    OverTime(SUM, "at", "day", shape="days"),
    *(OverTime(SUM, "at", "month", "line", shape) for shape in ("line", "stacked", "shares", "panels", "horizon", "ranks")),
    OverTime(SUM, "at", "month", against=Against("year"), levels=(Level("mean"), Level("target", 200.0))),
    OverTime(SUM, "at", "month", more=(Measure("mean", "y"), Measure("count")), points=True),
    OverTime(SUM, "at", "week", events=(Event("Fair", "2021-06-01", "2021-06-30"),), bands="wet", window_at=(1.61e9, 1.63e9)),
    Cycle(SUM, "at", "year", years=True),
    Cycle(SUM, "at", "week", "line"),
    Cycle(SUM, "at", "day", shape="columns"),
    Cycle(SUM, "at", shape="grid"),
    Cycle(SUM, "at", shape="rows"),
    *(Decomposition(SUM, "at", "month", show=show) for show in ("parts", "season", "adjusted")),
    Forecast(SUM, "at", "month", bands=(50, 80, 95)),
    Forecast(SUM, "at", "month", split="line", horizon=4),
]  # fmt: skip


@pytest.mark.parametrize(
    "question", ALL, ids=lambda q: f"{type(q).__name__}-{getattr(q, 'shape', '')}-{getattr(q, 'show', '')}"
)
def test_every_picture_of_time_is_sound_at_every_size(table: Table, question: Question) -> None:
    # what does not depend on the lantern, a forecast above all, is figured once
    rows = Rows(table)
    for lit in (None, OneOf("wet", ("yes",))):
        found = answer(question, rows.relit(lit))
        for size in (MAIN, BESIDE, THUMB, Size(320, 220)):
            root = ET.fromstring(draw(found, table, size, "p"))
            ids = [e.get("id") for e in root.iter() if e.get("id")]
            assert len(ids) == len(set(ids))
            for mark in root.iter("g"):
                if mark.get("data-light"):
                    json.loads(mark.get("data-light"))
            for rect in root.iter("rect"):
                x, y, w, h = (float(rect.get(k, 0)) for k in ("x", "y", "width", "height"))
                assert x >= -1 and y >= -4 and x + w <= size.width + 1 and y + h <= size.height + 4, (
                    rect.attrib
                )
            for element in root.iter("path"):
                for number in re.findall(r"-?\d+\.\d+ (-?\d+\.\d+)", element.get("d")):
                    assert -6 <= float(number) <= size.height + 6
    assert "<script>" not in standalone(answer(question, rows), table, ODD)


def test_nothing_to_draw_is_drawn_as_nothing() -> None:
    for n in (0, 1):
        table = table_of(at=pl.Series([dt.date(2024, 1, 1)] * n, dtype=pl.Date), x=pl.Series([1.0] * n, dtype=pl.Float64),
                         line=pl.Series(["a"] * n, dtype=pl.String), wet=pl.Series([True] * n, dtype=pl.Boolean),
                         y=pl.Series([1.0] * n, dtype=pl.Float64))  # fmt: skip
        table = typed(table, x={"additive": True})
        for question in ALL:
            if getattr(question, "part", "") == "day":
                continue  # days have no hours
            for size in (MAIN, THUMB):
                assert drawn(question, table, size).tag.endswith("svg")


def test_a_column_is_as_long_as_its_figure_from_0(table: Table) -> None:
    found = answer(OverTime(SUM, "at", "quarter", shape="columns"), Rows(table))
    bars = of_class(drawn(OverTime(SUM, "at", "quarter", shape="columns"), table), "bar")
    heights = np.array([float(b.get("height")) for b in bars])
    values = found.together.values[~np.isnan(found.together.values)]
    np.testing.assert_allclose(heights / heights.max(), values / values.max(), atol=0.01)


def test_a_gap_breaks_the_line_and_an_unfinished_end_is_left_open(table: Table) -> None:
    root = drawn(OverTime(SUM, "at", "month"), table)
    series = next(e for e in root.iter("path") if e.get("class") == "series")
    # two months without rows make two strokes
    assert series.get("d").count("M") == 2
    short = Rows(table, only=())
    assert answer(OverTime(SUM, "at", "month"), short).gaps == ((14, 16),)
    cut = ET.fromstring(draw(answer(OverTime(SUM, "at", "year"), Rows(table)), table, MAIN, "p"))
    assert len([e for e in cut.iter("circle") if "open" in (e.get("class") or "")]) <= 1


def test_differences_stand_to_either_side_of_their_axis(table: Table) -> None:
    question = OverTime(SUM, "at", "month", against=Against("year"))
    found = answer(question, Rows(table))
    difference = found.difference(found.together)
    has = difference[~np.isnan(difference)]
    root = drawn(question, table)
    assert len(of_class(root, "rise")) == int((has >= 0).sum())
    assert len(of_class(root, "fall")) == int((has < 0).sum())


def test_bands_of_a_forecast_lie_inside_each_other_and_join_the_past(table: Table) -> None:
    root = drawn(Forecast(SUM, "at", "month", bands=(80, 95)), table)

    def span(class_: str) -> tuple[float, float]:
        places = re.findall(r"(-?[\d.]+) (-?[\d.]+)", of_class(root, class_)[0].get("d"))
        ys = [float(y) for _, y in places]
        return min(ys), max(ys)

    outer, inner = span("band-95"), span("band-80")
    assert outer[0] <= inner[0] and inner[1] <= outer[1]
    past = next(e for e in root.iter("path") if e.get("class") == "series")
    ahead = of_class(root, "forecast")[0]
    assert ahead.get("d").split("L")[0].lstrip("M") == past.get("d").split("L")[-1]


def test_names_at_the_ends_of_lines_do_not_overlap(table: Table) -> None:
    root = drawn(OverTime(SUM, "at", "month", "line"), table)
    places = sorted(
        float(re.search(r" (-?[\d.]+)\)", e.get("transform"))[1]) for e in of_class(root, "end-name")
    )
    assert len(places) == 4 and all(b - a >= 13.9 for a, b in itertools.pairwise(places))


def test_scale_bars_are_equally_long_in_the_unit_of_the_values(table: Table) -> None:
    found = answer(Decomposition(SUM, "at", "month", "added"), Rows(table))
    root = drawn(Decomposition(SUM, "at", "month", "added"), table)
    heights = [float(b.get("height")) for b in of_class(root, "scale-bar")]
    parts = [found.parts.values, found.parts.trend, *found.parts.seasons, found.parts.rest]
    spans = np.array([np.ptp(p) for p in parts])
    strip = max(heights)
    np.testing.assert_allclose(np.array(heights)[:-1] / strip, (spans.min() / spans)[:-1], rtol=0.05)


def test_scale_bars_of_multiplied_parts_are_one_ratio() -> None:
    at = np.arange(96)
    grown = 100 * 1.01**at * (1 + 0.3 * np.sin(2 * np.pi * at / 12))
    noise = np.exp(np.random.default_rng(2).normal(0, 0.03, 96))
    days = [dt.date(2016 + i // 12, i % 12 + 1, 1) for i in range(96)]
    table = table_of(at=pl.Series(days), x=grown * noise)
    question = Decomposition(Measure("mean", "x"), "at", "month", "multiplied")
    parts = answer(question, Rows(table)).parts
    root = drawn(question, table)
    heights = np.array([float(b.get("height")) for b in of_class(root, "scale-bar")])
    shown = [parts.values, parts.trend, *parts.seasons, parts.rest]
    ratios = np.log([p.max() / p.min() for p in shown])
    np.testing.assert_allclose(heights / heights.max(), ratios.min() / ratios, rtol=0.02)
    (card,) = {b.get("data-card") for b in of_class(root, "scale-bar")}
    assert card == f"a factor of {np.exp(ratios.min()):.3g}, in every strip"
    assert "×1" in ET.tostring(root, encoding="unicode")


def test_a_row_for_each_weekday_has_its_line_and_mean_in_its_strip(table: Table) -> None:
    found = answer(Cycle(SUM, "at", shape="rows"), Rows(table))
    root = drawn(Cycle(SUM, "at", shape="rows"), table)
    strips = sorted(float(e.get("d").split()[-1]) for e in of_class(root, "grid"))
    lines = [e for e in root.iter("path") if (e.get("class") or "").strip() == "series"]
    means = of_class(root, "median")
    assert len(strips) == len(lines) == len(means) == 7
    step = strips[1] - strips[0]
    for one, bottom, line, mean in zip(found.rounds, strips, lines, means, strict=True):
        heights = [float(y) for y in re.findall(r"[ML]-?[\d.]+ (-?[\d.]+)", line.get("d"))]
        assert bottom - step <= min(heights) and max(heights) <= bottom + 0.1
        # the highest figure of a row is drawn highest, and the mean where its figures balance
        assert int(np.argmin(heights)) == int(np.nanargmax(one.values))
        assert float(mean.get("d").split()[-1]) == pytest.approx(np.mean(heights), abs=0.2)


def test_groups_ahead_are_named_light_their_rows_and_say_their_bands(table: Table) -> None:
    question = Forecast(SUM, "at", "month", split="line", horizon=4)
    found = answer(question, Rows(table))
    root = drawn(question, table)
    words = [e for e in root.iter("g") if (e.get("class") or "") == "legend-word"]
    assert len(words) == 4
    cards = [card for m in of_class(root, "mark") if f"80{THIN}%:" in (card := m.get("data-card", ""))]
    for one in found.groups:
        assert sum(card.startswith(one.label) and ", ahead: " in card for card in cards) == 1


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=20), st.booleans())
def test_an_upright_axis_holds_what_is_there_and_0_where_it_is_near(values: list[float], zero: bool) -> None:
    low, high = measured_ends(np.array(values), zero)
    assert low <= min(values) and max(values) <= high and low < high
    near = min(values) >= 0 and min(values) < 0.35 * max(values)
    if zero or near:
        assert low <= 0 <= high
    if near:
        assert low == 0


def test_names_of_changes_never_lie_on_each_other() -> None:
    rng = np.random.default_rng(6)
    days = [dt.date(2020 + i // 12, i % 12 + 1, 1) for i in range(96)]
    x = rng.normal(10, 0.3, 96) + np.select([np.arange(96) < 40, np.arange(96) < 64], [0, 9], 20)
    table = table_of(at=pl.Series(days), x=x)
    question = Decomposition(Measure("mean", "x"), "at", "month", "added")
    found = answer(question, Rows(table))
    assert sum(c.level for c in found.parts.changes) >= 2
    root = drawn(question, table)
    spans = []
    for name in of_class(root, "event-name"):
        at = float(re.search(r"translate\((-?[\d.]+)", name.get("transform"))[1])
        wide = width(name.text)
        spans.append((at - wide, at) if name.get("text-anchor") == "end" else (at, at + wide))
    assert spans and all(a[1] <= b[0] for a, b in itertools.pairwise(sorted(spans)))
    assert len(of_class(root, "change")) == min(3, sum(c.level for c in found.parts.changes))


@pytest.mark.parametrize("way", ["added", "multiplied"])
def test_lit_lines_stay_on_the_scale_they_are_drawn_on(table: Table, way: str) -> None:
    def heights(path: ET.Element) -> list[float]:
        return [float(y) for y in re.findall(r"[ML]-?[\d.]+ (-?[\d.]+)", path.get("d"))]

    # few lit rows: their sums lie far below those of all
    apart = answer(Decomposition(SUM, "at", "month", way=way), Rows(table, lit=OneOf("wet", ("yes",))))
    root = ET.fromstring(draw(apart, table, MAIN))
    (lit,) = of_class(root, "lit-line")
    feet = sorted(float(e.get("d").split()[-1]) for e in of_class(root, "grid"))
    values = next(e for e in root.iter("path") if (e.get("class") or "").startswith("series"))
    assert max(heights(lit)) <= feet[0] + 0.2 and max(heights(values)) <= feet[0] + 0.2
    # a few very high rows: their mean lies far above that of all in every panel
    high = Between("y", 58.0, None)
    panels = answer(OverTime(Measure("mean", "y"), "at", "month", "line", "panels"), Rows(table, lit=high))
    root = ET.fromstring(draw(panels, table, MAIN))
    grounds = [
        (float(g.get("y")), float(g.get("height"))) for g in root.iter("rect") if g.get("class") == "hit"
    ]
    lines = of_class(root, "lit-line")
    assert lines
    for line in lines:
        top, bottom = min(heights(line)), max(heights(line))
        assert any(y - 0.2 <= top and bottom <= y + tall + 0.2 for y, tall in grounds)


def test_steps_stand_for_their_whole_period_and_break_where_nothing_is_known() -> None:
    edges, values = np.array([0.0, 1, 2, 3, 4]), np.array([1.0, 3, np.nan, 2])
    x, y = Linear(0.0, 4.0, 0.0, 400.0), Linear(0.0, 4.0, 400.0, 0.0)
    assert steps(edges, values, x, y) == "M0.0 300.0H100.0V100.0H200.0M300.0 200.0H400.0"
    assert steps(edges, np.full(4, np.nan), x, y) == ""


def test_a_lit_line_ends_where_that_of_all_rows_does() -> None:
    days = [dt.date(2023, 1, 1) + dt.timedelta(n) for n in range(395)]
    begun = table_of(at=days * 2, x=[1.0] * 790, wet=[True] * 395 + [False] * 395)
    found = answer(OverTime(SUM, "at", "month"), Rows(begun, lit=OneOf("wet", ("yes",))))
    assert not found.whole[-1], "January lacks its last day"
    root = ET.fromstring(draw(found, begun, MAIN))

    def places(kind: str) -> list[str]:
        (path,) = (e for e in root.iter("path") if kind in (e.get("class") or "").split())
        return re.findall(r"[ML](-?[\d.]+) ", path.get("d"))

    assert places("lit-line") == places("series") and len(places("series")) == 12


def test_a_small_stair_names_the_part_that_moved_otherwise() -> None:
    rng = np.random.default_rng(4)
    n = 12_000
    days = [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in rng.integers(0, 60, n)]
    lines = rng.integers(0, 14, n)
    february = np.array([d.month == 2 for d in days])
    x = np.where(february & (lines == 9), 4.0, np.where(february, 2.0, 1.0)) * rng.gamma(3, 1, n)
    made = table_of(at=days, x=x, line=[f"line {k:02d}" for k in lines])
    months = (Between("at", f"2024-0{k}-01", f"2024-0{k + 1}-01") for k in (1, 2))
    found = answer(Changed(SUM, *months, by=("line",)), Rows(made))
    (odd,) = (s.label for s in found.segments if s.unexpected)
    for size in (BESIDE, MAIN):
        named = [e.text for e in of_class(ET.fromstring(draw(found, made, size)), "lane-label")]
        assert odd in named and len(named) >= 4
    assert len(named) > len(list(of_class(ET.fromstring(draw(found, made, BESIDE)), "lane-label")))
