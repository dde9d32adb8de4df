"""What a survey says of a table as a whole, on tables where the truth is known."""

from __future__ import annotations

import datetime as dt
from typing import Any

import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pytest

from night_trail.core.findings import Finding
from night_trail.core.recipe import apply
from night_trail.core.recipe.offers import column_offers
from night_trail.core.recipe.steps import LeaveRepeats
from night_trail.core.stats.relation import correlations
from night_trail.core.survey import survey
from night_trail.core.table import Kind, Table
from tests.core.tables import table_of

TODAY = dt.date(2024, 6, 1)


def findings(table: Table) -> list[Finding]:
    return list(survey(table, TODAY).findings)


def said(table: Table) -> list[str]:
    return [f.text for f in findings(table)]


def typed(table: Table, **kinds: Kind) -> Table:
    columns = [msgspec.structs.replace(c, kind=kinds.get(c.name, c.kind)) for c in table.columns]
    return Table(key=table.key, name="t", columns=columns, height=table.height, source=table._source)


def test_what_names_a_row() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i // 4) for i in range(40)]
    trap, lamp = [f"T{i % 2}" for i in range(40)], [f"L{i // 2 % 2}" for i in range(40)]
    n = [float(i % 7) for i in range(40)]
    assert said(table_of(day=days, trap=trap, lamp=lamp, n=n))[0] == (
        "No column names the rows, but day, trap and lamp together do."
    )
    assert said(table_of(day=days[::4], n=n[:10]))[0] == "day names every row once."
    assert said(table_of(day=days, trap=trap, n=[0.5] * 40))[0].endswith(
        "repeat an earlier one in every column."
    )
    assert said(
        table_of(trap=trap, n=[float(i // 4) for i in range(40)], m=[0.5 * (i % 4) for i in range(40)])
    )[0].startswith("No column names the rows, nor")


def test_repeated_rows_are_counted_shown_and_can_be_left_out() -> None:
    table = table_of(a=[1, 2, 1, 1, 3], b=["x", "y", "x", "x", "x"])
    found = findings(table)[0]
    assert found.text == "2 rows repeat an earlier one in every column." and found.rows == (0, 2, 3)
    assert found.offer is not None and isinstance(found.offer.step, LeaveRepeats)
    after = apply([found.offer.step], table).table()
    assert after.height == 3 and not any("repeat" in text for text in said(after))


def test_cells_missing_together_are_named_and_counted_like_pandas() -> None:
    rng = np.random.default_rng(2)
    gone = rng.random(300) < 0.2
    alone = rng.random(300) < 0.1
    table = table_of(
        lux=pl.Series(np.where(gone, np.nan, 1.5)).fill_nan(None),
        temp=pl.Series(np.where(gone, np.nan, 2.5)).fill_nan(None),
        wind=pl.Series(np.where(alone, np.nan, 3.5)).fill_nan(None),
        n=list(range(300)),
    )
    found = survey(table, TODAY)
    line = next(f for f in found.findings if "missing together" in f.text)
    assert line.text == f"lux and temp are missing together in {gone.sum()} rows."
    assert line.rows == tuple(np.flatnonzero(gone)[:200])
    patterns = dict(found.together.patterns)
    frame = pd.DataFrame({"lux": gone, "temp": gone, "wind": alone})
    for pattern, count in frame.value_counts().items():
        order = [found.together.columns.index(c) for c in ("lux", "temp", "wind")]
        key = tuple(bool(p) for _, p in sorted(zip(order, pattern, strict=True)))
        assert (found.together.complete if not any(key) else patterns[key]) == count
    assert not any("wind" in f.text and "missing together" in f.text for f in found.findings)


def test_copies_relations_and_levels() -> None:
    rng = np.random.default_rng(5)
    x = rng.normal(0, 1, 400)
    stop = [f"S{i % 20}" for i in range(400)]
    table = table_of(
        x=x,
        copy=x,
        twice=2 * x + 1,
        near=-x + rng.normal(0, 0.1, 400),
        other=rng.normal(0, 1, 400),
        stop=stop,
        valley=["up" if int(s[1:]) % 2 else "low" for s in stop],
    )
    found = survey(table, TODAY)
    assert msgspec.json.decode(msgspec.json.encode(found), type=type(found)) == found
    text = " ".join(f.text for f in found.findings)
    assert "x and copy hold the same cells." in text and "is all but a copy of" in text
    r = float(np.corrcoef(x, table.series("near").to_numpy())[0, 1])
    assert "near moves against" in text or "x moves against near" in text
    assert f"(correlation −{abs(r):.3g})" in text
    assert "Each stop belongs to one valley." in text and "other" not in text.replace("another", "")


def test_many_columns_that_move_together_are_one_line() -> None:
    rng = np.random.default_rng(6)
    season = rng.normal(0, 1, 200)
    table = table_of(
        **{f"trap {i}": season + rng.normal(0, 0.1, 200) for i in range(9)}, other=rng.normal(0, 1, 200)
    )
    lines = [text for text in said(table) if "correlation" in text]
    assert len(lines) == 1 and lines[0].startswith("9 columns move together: trap ") and "5 more" in lines[0]


def test_correlations_with_gaps_are_those_of_pandas() -> None:
    rng = np.random.default_rng(7)
    values = rng.normal(1e6, 1, (80, 5)).cumsum(axis=0)
    values[rng.random((80, 5)) < 0.3] = np.nan
    values[:, 4] = 3.0
    theirs = pd.DataFrame(values).corr(min_periods=4).to_numpy()
    assert np.allclose(correlations(values)[0], theirs, atol=1e-9, equal_nan=True)


@pytest.mark.parametrize(
    ("kind", "cells", "says", "rows"),
    [
        (
            Kind.DATE,
            [dt.date(2024, 1, i % 28 + 1) for i in range(58)] + [dt.date(2031, 1, 1)] * 2,
            "2 of x lie in the future",
            2,
        ),
        (
            Kind.DATE,
            [dt.date(2023, 1, i % 28 + 1) for i in range(57)] + [dt.date(1900, 1, 1)] * 3,
            "3 cells of x are 1 January 1900",
            3,
        ),
        (Kind.SHARE, [0.5] * 59 + [1.7], "outside 0 to 1", 1),
        (Kind.LATITUDE, [47.5 + i / 100 for i in range(59)] + [470.0], "outside −90 to 90", 1),
        (Kind.LONGITUDE, [9.5 + i / 100 for i in range(59)] + [0.0], "exactly 0", 1),
        (Kind.DURATION, [5.0 + i for i in range(59)] + [-3.0], "below 0", 1),
        (Kind.IDENTIFIER, [f"T{i}" for i in range(198)] + ["T5", "T6"], "different in 99", 4),
    ],
)
def test_values_that_can_hardly_be_right(kind: Kind, cells: list[Any], says: str, rows: int) -> None:
    series = pl.Series(cells)
    table = typed(table_of(n=np.arange(len(cells)) * 1.5, x=series), x=kind)
    found = [f for f in findings(table) if f.columns == ("x",) and f.rows]
    assert len(found) == 1 and len(found[0].rows) == rows, said(table)
    assert says.replace("2 of x", "2 cells of x") in found[0].text, found[0].text


def test_what_is_right_is_not_suspected() -> None:
    rng = np.random.default_rng(8)
    days = [TODAY - dt.timedelta(days=int(d)) for d in rng.integers(0, 300, 200)]
    table = table_of(day=days, change=rng.integers(-9, 9, 200), late=rng.normal(3, 2, 200))
    assert [f.text for f in findings(table) if f.rows] == []


@pytest.mark.parametrize(
    "table",
    [
        table_of(x=pl.Series([], dtype=pl.Float64)),
        table_of(x=[1.0]),
        table_of(x=[None, None], y=[None, None]),
        table_of(x=[3, 3, 3]),
        table_of(**{"{x} <b>": [1.0, -2.0] * 30, "{": [f"T{i}" for i in range(60)]}),
    ],
)
def test_tables_with_little_or_odd_to_say(table: Table) -> None:
    found = survey(table, TODAY)
    assert len(found.profiles) == len(table.columns)
    assert msgspec.json.decode(msgspec.json.encode(found), type=type(found)) == found


def test_columns_that_only_correspond_do_not_hold_the_same_cells() -> None:
    table = table_of(
        stop=["Hill", "Quay", "Mill"] * 20, sign=["H", "Q", "M"] * 20, again=["Hill", "Quay", "Mill"] * 20
    )
    text = " ".join(said(table))
    assert (
        "stop and again hold the same cells" in text
        and "sign" not in text.partition("hold the same cells")[0]
    )


def test_row_numbers_codes_and_years_do_not_go_along() -> None:
    rng = np.random.default_rng(1)
    n = 300
    trend = np.arange(n) * 2.0 + rng.normal(0, 5, n)
    table = table_of(
        number=np.arange(1, n + 1),
        year=1900 + np.arange(n) // 3,
        trend=trend,
        twin=trend + rng.normal(0, 5, n),
    )
    columns = [msgspec.structs.replace(c, unit="year") if c.name == "year" else c for c in table.columns]
    table = Table(key="k", name="t", columns=columns, height=n, source=table._source)
    text = " ".join(said(table))
    assert "twin" in text and "number moves" not in text and "year" not in text
    from night_trail.core.questions.correlation.answer import columns_for
    from night_trail.core.questions.correlation.question import Correlations

    assert [c.name for c in columns_for(Correlations(), table)] == ["trend", "twin"]
    assert [c.name for c in columns_for(Correlations(("year", "trend")), table)] == ["year", "trend"]


def test_74_quarters_are_no_days() -> None:
    quarters = [dt.date(1990 + i // 4, 1 + 3 * (i % 4), 1) for i in range(74)]
    found = survey(table_of(quarter=quarters, x=[float(i) for i in range(74)]), dt.date(2024, 1, 1))
    assert (found.days, found.step) == (74, "quarter")
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i * i) for i in range(20)]
    assert survey(table_of(day=days, x=[1.0] * 20), dt.date(2026, 1, 1)).step == "day"


def test_a_short_text_may_name_the_rows_and_measures_never_do() -> None:
    rng = np.random.default_rng(5)
    lands = table_of(
        land=[f"Land {i}" for i in range(60)], a=rng.integers(1, 900, 60), b=rng.integers(1, 900, 60)
    )
    said = [f.text for f in survey(lands, dt.date(2026, 1, 1)).findings]
    assert "land names every row once." in said
    measures = table_of(a=rng.integers(1, 900, 60), b=rng.integers(1, 900, 60), c=rng.integers(1, 900, 60))
    said = [f.text for f in survey(measures, dt.date(2026, 1, 1)).findings]
    assert "No column names the rows, nor do two or three together." in said
    codes = table_of(postcode=["01020", "01030", "00140"] * 20)
    assert column_offers(codes.column("postcode"), codes.series("postcode")) == ()
