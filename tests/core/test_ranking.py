"""Rankings hold over all groups, drawn or not, and go by the measure that sorts."""

from __future__ import annotations

import re

import numpy as np
import pandas as pd
import pytest
from msgspec.structs import replace
from scipy import stats

from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import answer, sentence, words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats import groups as figures
from night_trail.core.table import Table
from night_trail.core.turns import Slot, turn
from night_trail.draw import MAIN, draw
from tests.core.tables import table_of


@pytest.fixture(scope="module")
def frame() -> pd.DataFrame:
    """600 moths, the common ones light, the rare ones heavy: rows and weight rank them the other way round."""
    rng = np.random.default_rng(5)
    n = np.maximum(1, (3_000 / (1 + np.arange(600)) ** 0.9).astype(int))
    moth = np.repeat([f"moth {i:03d}" for i in range(600)], n)
    weight = np.repeat(np.linspace(1, 900, 600), n) * rng.lognormal(0, 0.2, len(moth))
    night = pd.Timestamp("2024-01-01") + pd.to_timedelta(rng.integers(0, 731, len(moth)), "D")
    trap = rng.choice(["hill", "fen"], len(moth))
    return pd.DataFrame({"moth": moth, "weight": weight, "night": night, "trap": trap})


@pytest.fixture(scope="module")
def table(frame: pd.DataFrame) -> Table:
    return table_of(
        moth=frame.moth.tolist(),
        weight=frame.weight.to_numpy(),
        night=frame.night.tolist(),
        trap=frame.trap.tolist(),
    )


THEIRS = {
    "sum": lambda g: g.weight.sum(),
    "mean": lambda g: g.weight.mean(),
    "median": lambda g: g.weight.median(),
    "count": lambda g: g.weight.size(),
}


@pytest.mark.parametrize("aggregate", THEIRS)
@pytest.mark.parametrize("end", ["most", "least"])
def test_what_is_kept_and_what_is_said_go_by_the_measure(
    aggregate: str, end: str, frame: pd.DataFrame, table: Table
) -> None:
    column = None if aggregate == "count" else "weight"
    shape = "bars" if aggregate in ("sum", "count") else "dots"
    found = answer(Compare(Measure(aggregate, column), "moth", shape, keep=12, end=end), Rows(table))
    theirs = THEIRS[aggregate](frame.groupby("moth")).sort_values(kind="stable", ascending=end == "least")
    named = [g for g in found.groups if not g.others]
    assert len(named) == 12 and found.gathered.others == 588
    assert [g.value for g in named] == pytest.approx(theirs.head(12).tolist())
    said = plain(words_of(found, table).headline)
    assert f"{theirs.idxmax()}" in said and str(theirs.idxmin()) in said.replace(" and ", " ")
    assert "Of 600 groups" in said
    rows = int(frame.groupby("moth").size()[[g.label for g in named]].sum())
    assert found.gathered.n == len(frame) - rows
    assert (
        f"588 groups {'higher up' if end == 'least' else 'lower down'}, with {len(frame) - rows:,} rows"
        in " ".join(words_of(found, table).cautions)
    )


def test_both_ends_and_groups_of_few_rows(frame: pd.DataFrame, table: Table) -> None:
    question = Compare(Measure("mean", "weight"), "moth", keep=4, end="both", least=20)
    found = answer(question, Rows(table))
    theirs = frame.groupby("moth").weight.agg(["mean", "size"]).query("size >= 20")["mean"].sort_values()
    named = [g.label for g in found.groups if not g.others]
    assert named == [*theirs.index[-4:][::-1], *theirs.index[:4][::-1]]
    said = plain(words_of(found, table).headline)
    assert said.startswith(
        f"Of {len(theirs)} groups of at least 20 rows it is highest for {theirs.index[-1]}"
    )
    assert f"lowest for {theirs.index[0]}" in said
    few = int((frame.groupby("moth").size() < 20).sum())
    assert f"{few} of them have fewer than 20 rows" in " ".join(words_of(found, table).cautions)
    # the sentence says so, and is read back
    text = str(sentence(question, table))
    assert text.endswith("the largest and the smallest 4 kept, with at least 20 rows each?")
    assert read(text, table)[0] == question


def test_few_rows_lead_and_the_way_on_is_offered(table: Table) -> None:
    question = Compare(Measure("mean", "weight"), "moth")
    words = words_of(answer(question, Rows(table)), table)
    caution = next(c for c in words.cautions if "by chance" in c)
    assert "least" in caution.post and caution.way == "rank groups of at least 10 rows"
    after, _ = turn(Scene(question), Slot("least", "10"), table)
    assert after.main.least == 10


def test_ties_are_said() -> None:
    table = table_of(stop=[f"s{i}" for i in range(60)] * 2 + ["s7", "s9"])
    said = plain(words_of(answer(Compare(Measure("count"), "stop", "bars"), Rows(table)), table).headline)
    assert (
        said.startswith("Of 60 groups s7 and 1 other have the most: 3")
        and "and 57 others the least: 2" in said
    )


def test_lines_rings_pairs_and_several_measures_keep_the_same(frame: pd.DataFrame, table: Table) -> None:
    heaviest = frame.groupby("moth").weight.sum().sort_values(ascending=False)
    weight = Measure("sum", "weight")
    ring = answer(Compare(weight, "moth", "ring"), Rows(table))
    assert {g.label for g in ring.groups if not g.others} == set(heaviest.index[:7])
    lines = answer(OverTime(weight, "night", split="moth", grain="quarter"), Rows(table))
    assert {one.label for one in lines.lines if not one.others} == set(heaviest.index[:39])
    last = frame[frame.night.dt.to_period("Q") == frame.night.dt.to_period("Q").max()]
    lead = last.groupby("moth").weight.sum().idxmax()
    assert f"{lead} is highest of all groups" in plain(words_of(lines, table).headline).replace(
        ", not drawn,", ""
    )
    cycle = answer(Cycle(weight, "night", "year", split="moth"), Rows(table))
    assert {one.label for one in cycle.rounds if not one.others} == set(heaviest.index[:14])
    both = answer(Compare(weight, "moth", "bars", also="trap"), Rows(table))
    assert {g.label for g in both.lanes if not g.others} == set(heaviest.index[:19])
    pairs = frame.groupby(["moth", "trap"]).weight.sum()
    high, low = both.extremes
    assert (high.first, high.second) == pairs.idxmax() and (low.first, low.second) == pairs.idxmin()
    two = answer(Compare(Measure("count"), "moth", "bars", more=(weight,), by=1), Rows(table))
    assert all({g.label for g in p.groups if not g.others} == set(heaviest.index[:24]) for p in two.parts)
    counts, sums = frame.groupby("moth").size(), frame.groupby("moth").weight.sum()
    assert two.agreement[0] == pytest.approx(counts.corr(sums, method="spearman"))


def test_against_a_plan_those_that_differ_most_are_kept() -> None:
    rng = np.random.default_rng(8)
    stop = [f"s{i:03d}" for i in range(150)]
    plan = rng.uniform(1_000, 2_000, 150)
    # the busiest keep to their plan, a few small ones do not
    actual = plan.copy()
    actual[[7, 90, 140]] += [-400.0, 300.0, -350.0]
    table = table_of(stop=stop, actual=actual, plan=plan)
    question = Compare(Measure("sum", "actual"), "stop", "bars", baseline=Baseline(column="plan"), keep=2)
    found = answer(question, Rows(table))
    assert {g.label for g in found.groups if not g.others} == {"s007", "s140"}
    said = plain(words_of(found, table).headline)
    assert "Furthest to either side lie s090 and s007" in said
    assert "the most different 2 kept" in str(sentence(question, table))


def test_the_gathered_never_dwarf_the_picture(table: Table) -> None:
    weight = Measure("sum", "weight")
    for question in (
        Compare(weight, "moth", "bars"),
        Compare(weight, "moth", "dots"),
        Compare(weight, "moth", "table"),
        Compare(weight, "moth", "bars", also="trap"),
        Compare(weight, "moth", "grid", also="trap"),
        Compare(Measure("count"), "moth", "bars", more=(weight,)),
        OverTime(weight, "night", split="moth", grain="month"),
        OverTime(weight, "night", split="moth", grain="month", shape="panels"),
    ):
        found = answer(question, Rows(table))
        svg = str(draw(found, table, MAIN, "t"))
        assert "NaN" not in svg
        for name, most in (("width", MAIN.width), ("x", MAIN.width)):
            at = [float(v) for v in re.findall(rf'<rect[^>]* {name}="([-\d.]+)"', svg)]
            assert all(-1 <= v <= most + 1 for v in at), question
    lines = answer(OverTime(weight, "night", split="moth", grain="month"), Rows(table))
    assert lines.undrawn is not None and "not drawn: together" in " ".join(words_of(lines, table).cautions)


def test_a_spread_says_among_which_groups_it_speaks(frame: pd.DataFrame) -> None:
    some = frame[frame.moth < "moth 150"]
    table = table_of(moth=some.moth.tolist(), weight=some.weight.to_numpy())
    for shape, kept in (("boxes", 19), ("histogram", 7), ("density", 7), ("strip", 19)):
        words = words_of(answer(Spread("weight", "moth", shape), Rows(table)), table)
        assert f"f the {kept} groups with the most rows, the middle" in plain(words.headline)
        assert f"{150 - kept} smaller groups" in " ".join(words.cautions)


NOISE = {
    "normal": lambda rng, n: rng.normal(size=n),
    "skewed": lambda rng, n: rng.lognormal(0, 1.3, n),
    "rare": lambda rng, n: (rng.random(n) < 0.05).astype(float),
}


@pytest.mark.parametrize("kind", NOISE)
@pytest.mark.parametrize(("k", "low", "high"), [(5, 40, 80), (40, 5, 15), (400, 1, 30)])
def test_noise_has_no_groups_that_differ(kind: str, k: int, low: int, high: int) -> None:
    rng = np.random.default_rng(k)
    claims = 0
    for _ in range(60):
        n = rng.integers(low, high + 1, k)
        codes = np.repeat(np.arange(k), n)
        values = NOISE[kind](rng, len(codes))
        if kind == "rare":
            found = figures.moments_of_shares(values, codes, k)
            p = figures.chi_square_of_shares(found.sums.astype(int), found.n)
        else:
            found = figures.moments(values, codes, k)
            _, p = figures.alike(found)
        claims += p is not None and p < 0.05 and any(figures.apart(found))
    assert claims <= 5  # 5 % of 60, and two for chance


def test_a_group_that_differs_is_found_among_hundreds() -> None:
    rng = np.random.default_rng(3)
    stop = np.repeat([f"s{i:03d}" for i in range(300)], 12)
    late = rng.normal(5, 2, len(stop))
    late[stop == "s123"] += 5
    table = table_of(stop=stop.tolist(), late=late)
    found = answer(Compare(Measure("mean", "late"), "stop"), Rows(table))
    assert [g.label for g in found.groups if g.apart] == ["s123"] and found.n_apart == 1
    assert "s123 stands apart from the rest" in plain(words_of(found, table).headline)
    # in noise the leading groups lead by chance, and nothing more is said of them
    noise = table_of(stop=stop.tolist(), late=rng.normal(5, 2, len(stop)))
    found = answer(Compare(Measure("mean", "late"), "stop"), Rows(noise))
    assert "The groups differ" not in plain(words_of(found, noise).headline)


@pytest.mark.parametrize("offset", [0.0, 1e8, 1e10, 1e12])
def test_tests_hold_far_from_zero(offset: float) -> None:
    rng = np.random.default_rng(1)
    codes = np.repeat(np.arange(4), 80)
    values = np.round(rng.normal(0, 50, 320) + 40 * (codes == 2)) / 64  # exact at every offset
    near, far = (figures.moments(v, codes, 4) for v in (values, values + offset))
    assert figures.welch(far) == pytest.approx(figures.welch(near), rel=1e-6)
    assert figures.eta_squared(far) == pytest.approx(figures.eta_squared(near), rel=1e-6)
    assert figures.apart(far) == figures.apart(near) and figures.apart(near)[2]
    assert far.variances == pytest.approx(near.variances, rel=1e-9)


def test_brown_and_forsythe_by_hand() -> None:
    # three groups of 4: means 2, 4, 9; variances 2/3, 8/3, 6
    values = np.array([1, 2, 2, 3, 2, 4, 4, 6, 6, 9, 9, 12], dtype=float)
    found = figures.moments(values, np.repeat(np.arange(3), 4), 3)
    within = (2 / 3) * (2 / 3 + 8 / 3 + 6)
    statistic = 4 * (3**2 + 1**2 + 4**2) / within
    parts = np.array([2 / 3, 8 / 3, 6]) * (2 / 3) / within
    freedom = 1 / (parts**2 / 3).sum()

    assert figures.brown_forsythe(found) == pytest.approx(stats.f.sf(statistic, 2, freedom))


def test_no_group_of_so_many_rows_is_said_with_the_way_back(table: Table) -> None:
    question = Compare(Measure("mean", "weight"), "moth", least=1_000_000)
    words = words_of(answer(question, Rows(table)), table)
    assert plain(words.headline) == "Nothing to compare: no group has at least 1,000,000 rows."
    back, _ = turn(Scene(question), Slot("least", None), table)
    assert back.main.least == 1 and "least" in words.cautions[0].post
    for shape in ("bars", "table", "dots"):
        assert "NaN" not in str(draw(answer(replace(question, shape=shape), Rows(table)), table, MAIN, "t"))


@pytest.mark.parametrize("least", ["0", "5000000000", "00000000000199999999", "٣", "many"])
def test_a_number_of_rows_that_cannot_be_is_refused_typed_or_chosen(least: str, table: Table) -> None:
    question = Compare(Measure("mean", "weight"), "moth")
    with pytest.raises(BadQuestion):
        turn(Scene(question), Slot("least", least), table)
    with pytest.raises(BadQuestion):
        read(f"average of weight by moth, with at least {least} rows each", table)


@pytest.mark.parametrize("keep", ["0", "999"])
def test_more_groups_than_can_be_kept_are_refused_typed_or_chosen(keep: str, table: Table) -> None:
    with pytest.raises(BadQuestion, match="can be kept"):
        read(f"average of weight by moth, the largest {keep} kept", table)
    with pytest.raises(BadQuestion, match="can be kept"):
        turn(Scene(Compare(Measure("mean", "weight"), "moth")), Slot("keep", f"both:{keep}"), table)
