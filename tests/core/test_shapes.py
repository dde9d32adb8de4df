"""Spreads in further shapes: densities, running shares, strips, letter values, log scales, other angles."""

from __future__ import annotations

import math

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from scipy.signal import find_peaks
from sklearn.datasets import load_diabetes
from statsmodels.distributions.empirical_distribution import ECDF

from night_trail.core.conditions import Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.question import decode, to_json
from night_trail.core.questions.registry import answer, check, figures_of, sentence, words_of
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.questions.spread.strip import MOST_POINTS, StripAnswer
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats.density import bandwidth, density
from night_trail.core.stats.quantiles import letter_values
from night_trail.core.stats.shape import peaks
from night_trail.core.table import Table
from tests.core.tables import table_of

FURTHER = ("density", "running", "strip", "letters")


@pytest.fixture(scope="module")
def table() -> Table:
    rng = np.random.default_rng(14)
    n = 4_000
    depot = rng.choice(["Gannet", "Northgate", "Tallow"], n)
    late = np.round(rng.gamma(2, 2, n) + 2.0 * (depot == "Tallow"), 1)
    return table_of(
        late=pl.Series(np.where(rng.random(n) < 0.05, np.nan, late)).fill_nan(None),
        depot=depot.tolist(),
        wet=(rng.random(n) < 0.3).tolist(),
    )


def asked(question: Spread, table: Table, lit: object = None, *only: object) -> object:
    return answer(question, Rows(table, only, lit))


# ---- density ----


@pytest.mark.parametrize("n", [200, 2_000, 50_000])
def test_the_bandwidth_of_normal_values_is_near_the_best_one(n: int) -> None:
    values = np.sort(np.random.default_rng(n).normal(0, 1, n))
    counts, edges = np.histogram(values, 4_096, (-6, 6))
    best = (4 / 3 / n) ** 0.2  # for a normal distribution (Silverman 1986)
    assert bandwidth(counts.astype(float), n, edges[-1] - edges[0]) == pytest.approx(best, rel=0.25)


def test_two_far_humps_get_a_narrow_bandwidth_where_a_rule_of_thumb_would_blur_them() -> None:
    rng = np.random.default_rng(1)
    values = np.sort(np.concatenate([rng.normal(0, 1, 2_000), rng.normal(40, 1, 2_000)]))
    x, y, h = density(values, -10.0, 50.0)
    thumb = (
        0.9 * min(values.std(), np.subtract(*np.percentile(values, [75, 25])) / 1.34) * len(values) ** -0.2
    )
    assert h < thumb / 8
    truth = (stats.norm.pdf(x, 0, 1) + stats.norm.pdf(x, 40, 1)) / 2
    assert np.abs(y - truth).max() < 0.02


@given(st.lists(st.floats(-1e3, 1e3), min_size=2, max_size=60))
def test_a_density_has_area_one_and_is_nowhere_negative(values: list[float]) -> None:
    ascending = np.sort(np.array(values))
    low, high = ascending[0] - 1, ascending[-1] + 1
    x, y, h = density(ascending, float(low), float(high))
    assert (y >= 0).all() and h > 0
    assert y.sum() * (x[1] - x[0]) == pytest.approx(1.0, rel=0.2)


def test_no_mass_lies_below_a_natural_bound(table: Table) -> None:
    found = asked(Spread("late", shape="density"), table)
    assert isinstance(found, CurvesAnswer)
    assert found.curves[0].x.min() >= 0
    area = found.curves[0].y.sum() * np.diff(found.curves[0].x)[0]
    assert area == pytest.approx(1.0, abs=0.02)


def test_values_recorded_in_steps_make_no_spikes(table: Table) -> None:
    found = asked(Spread("late", "depot", "density"), table)
    for curve in found.curves:
        assert len(find_peaks(curve.y, prominence=0.15 * curve.y.max())[0]) <= 2
        assert curve.y.max() < 0.3


def test_the_lit_part_of_a_density_lies_inside_with_its_share_as_area(table: Table) -> None:
    found = asked(Spread("late", shape="density"), table, OneOf("wet", ("yes",)))
    curve = found.curves[0]
    step = np.diff(curve.x)[0]
    assert curve.lit_y.sum() * step == pytest.approx(curve.lit_n / curve.n, abs=0.02)
    assert found.basis.lit == curve.lit_n


# ---- running share ----


def test_the_running_share_is_the_empirical_distribution() -> None:
    bmi = load_diabetes(as_frame=True, scaled=False).frame["bmi"].to_numpy()
    found = asked(Spread("bmi", shape="running", ends="open"), table_of(bmi=bmi))
    curve = found.curves[0]
    assert curve.y == pytest.approx(ECDF(bmi)(curve.x))
    assert curve.y[-1] == 1.0 and (np.diff(curve.y) >= 0).all()
    said = plain(words_of(found, table_of(bmi=bmi)).headline)
    assert "a quarter lie at or below 23.2" in said


@pytest.mark.parametrize("shape", ["density", "running"])
def test_each_curve_names_its_rows(shape: str, table: Table) -> None:
    found = asked(Spread("late", "depot", shape), table, Between("late", 5.0, None))
    assert sum(c.n for c in found.curves) == found.basis.used
    depots = np.array(table.series("depot").to_list())
    for curve in found.curves:
        assert (mask(found.condition(curve), table) == (depots == curve.label)).all()
    assert len(set(found.hues)) == 3


# ---- strip ----


def test_a_strip_draws_a_fixed_part_and_every_point_is_a_row(table: Table) -> None:
    lit = Between("late", 5.0, None)
    found = asked(Spread("late", "depot", "strip"), table, lit)
    assert isinstance(found, StripAnswer) and len(found.values) == MOST_POINTS
    again = asked(Spread("late", "depot", "strip"), table, lit)
    assert (found.row == again.row).all()
    cells, lit_rows = table.series("late"), mask(lit, table)
    for i in range(0, MOST_POINTS, 50):
        row = int(found.row[i])
        assert cells[row] == found.values[i] and lit_rows[row] == found.lit[i]
        assert mask(found.condition(i), table)[row]
    assert any("a fixed random part" in c for c in words_of(found, table).cautions)


# ---- letter values ----


def test_letter_values_are_medians_of_halves_of_halves() -> None:
    values = np.sort(np.random.default_rng(3).normal(0, 1, 10_001))
    found = letter_values(values)
    assert len(found) > 6
    for i, (low, high) in enumerate(found[:5], 2):
        assert low == pytest.approx(stats.norm.ppf(0.5**i), abs=0.12)
        assert high == pytest.approx(-stats.norm.ppf(0.5**i), abs=0.12)
    lows, highs = zip(*found, strict=True)
    assert list(lows) == sorted(lows, reverse=True) and list(highs) == sorted(highs)
    assert letter_values(np.array([1.0, 2.0])) == ()


def test_what_lies_beyond_the_letters_is_drawn_point_by_point(table: Table) -> None:
    found = asked(Spread("late", "depot", "letters"), table)
    assert isinstance(found, BoxesAnswer)
    for box in found.boxes:
        outside = sum(p.count for p in box.outlying)
        assert outside == box.figures.below + box.figures.above
        assert outside <= 24


# ---- log scale ----


@pytest.mark.parametrize("shape", ["histogram", "boxes", "running", "strip", "letters"])
def test_a_log_scale_leaves_out_what_is_not_above_zero_and_says_so(shape: str) -> None:
    values = [0.0, -3.0, *(10.0 ** np.linspace(0, 4, 300))]
    made = table_of(x=values, g=["a", "b"] * 151)
    found = asked(Spread("x", shape=shape, scale="log"), made)
    assert found.not_positive == 2 and found.basis.used == 300 and found.basis.groupless == 0
    caution = next(c for c in words_of(found, made).cautions if "log scale" in c)
    assert caution.startswith("2 rows have no value above 0") and caution.way == "a plain scale"
    grouped = asked(Spread("x", "g", shape, scale="log"), made)
    assert grouped.basis.used == 300


def test_log_bins_are_even_in_logarithms_and_hold_every_row_once() -> None:
    rng = np.random.default_rng(9)
    values = 10 ** rng.uniform(-2, 3, 2_000)
    made = table_of(x=values)
    found = asked(Spread("x", bins=Bins(count=25), scale="log"), made)
    assert isinstance(found, HistogramAnswer)
    assert found.groups[0].counts.sum() == 2_000 and found.below == found.above == 0
    steps = np.diff(np.log10(found.edges))
    assert len(steps) == 25 and steps == pytest.approx(np.full(25, steps.mean()), rel=1e-6)
    for place in (1, 12, 25):
        assert mask(found.condition(0, place), made).sum() == found.groups[0].counts[place]


def test_dates_and_densities_have_no_log_scale(table: Table) -> None:
    with pytest.raises(BadQuestion, match="no log scale"):
        check(Spread("late", shape="density", scale="log"), table)
    turned, _ = changed(Spread("late", scale="log"), "shape", "density", table)
    assert turned.scale == "plain"


# ---- how groups stand, another angle ----


@pytest.mark.parametrize("side", ["panels", "own", "overlaid", "mirrored"])
def test_groups_stand_in_four_ways_and_say_what_to_mind(side: str, table: Table) -> None:
    question, label = changed(Spread("late", "depot"), "side", side, table)
    found = asked(question, table)
    cautions = " ".join(words_of(found, table).cautions)
    assert ("own scale" in cautions) == (side == "own")
    assert ("by count" in cautions) == (side in ("overlaid", "mirrored"))
    assert found.groups[0].used + found.groups[1].used + found.groups[2].used == found.basis.used
    assert label in str(sentence(question, table)) or side == "panels"


def test_peaks_are_counted_but_not_steps_within_chance() -> None:
    assert peaks(np.array([0, 10, 200, 900, 200, 10, 0])) == 1
    assert peaks(np.array([0, 900, 100, 0, 100, 900, 0])) == 2
    noisy = 1_000 + np.random.default_rng(2).poisson(1_000, 40) - 1_000
    assert peaks(noisy) <= 2


def test_a_shape_that_depends_on_the_width_is_cautioned_and_seen_at_three_widths() -> None:
    rng = np.random.default_rng(5)
    values = np.concatenate([rng.normal(0, 1, 3_000), rng.normal(4.4, 1, 3_000)])
    made = table_of(x=values)
    wide = asked(Spread("x", bins=Bins(width=5.0)), made)
    narrow = asked(Spread("x", bins=Bins(width=0.5)), made)
    assert set(narrow.peaks) == {2}
    assert not any("depends on the width" in c for c in words_of(narrow, made).cautions)
    assert any(
        "Only" in c and "bins that fit" in getattr(c, "way", "") for c in words_of(wide, made).cautions
    )
    middling = asked(Spread("x", bins=Bins(width=1.25, start=0.35)), made)
    if len(set(middling.peaks)) > 1:
        assert any("depends on the width" in c for c in words_of(middling, made).cautions)
    angles = asked(Spread("x", bins=Bins(width=0.5), angles=True), made)
    assert isinstance(angles, AnglesAnswer) and len(angles.parts) == 3
    widths = [part.width for part in angles.parts]
    assert widths == sorted(widths) and 0.5 in widths
    assert all(part.groups[0].counts.sum() == 6_000 for part in angles.parts)
    assert "three widths" in plain(words_of(angles, made).headline)
    assert len(figures_of(angles).rows) == sum(
        int((p.groups[0].counts[1:-1] >= 0).sum()) + int(p.below > 0) + int(p.above > 0) for p in angles.parts
    )


def test_too_many_bins_are_cautioned() -> None:
    made = table_of(x=np.random.default_rng(1).normal(0, 1, 200))
    found = asked(Spread("x", bins=Bins(count=150)), made)
    caution = next(c for c in words_of(found, made).cautions if "chance" in c)
    assert caution.way == "bins that fit"
    assert (
        changed(found.question, "bins", decode(caution.post, dict, "turn")["value"] or None, made)[0].bins
        == Bins()
    )


def test_bins_are_multiples_of_the_step_values_are_recorded_in() -> None:
    rng = np.random.default_rng(4)
    values = np.round(rng.gamma(2, 1.4, 30_000), 1)
    found = asked(Spread("x"), table_of(x=values))
    assert found.width / 0.1 == pytest.approx(round(found.width / 0.1))
    assert peaks(found.groups[0].counts[1:-1]) == 1


# ---- sentences, states ----

TYPED = {
    "late as a density curve": Spread("late", shape="density"),
    "late by depot as a running share": Spread("late", "depot", "running"),
    "late by depot as a strip of points": Spread("late", "depot", "strip"),
    "late by depot as letter values": Spread("late", "depot", "letters"),
    "late on a log scale": Spread("late", scale="log"),
    "late by depot over each other": Spread("late", "depot", side="overlaid"),
    "late by wet back to back by share": Spread("late", "wet", height="share", side="mirrored"),
    "late by depot in panels, each on its own scale": Spread("late", "depot", side="own"),
    "late at three bin widths": Spread("late", angles=True),
}


@pytest.mark.parametrize("text", list(TYPED))
def test_typed_words_ask_for_it_and_its_sentence_reads_back(text: str, table: Table) -> None:
    question, _ = read(text, table)
    assert question == TYPED[text]
    assert read(str(sentence(question, table)), table)[0] == question
    assert decode(to_json(question), Spread, "question") == question


@pytest.mark.parametrize("shape", FURTHER)
@pytest.mark.parametrize(
    "values", [[], [2.0], [3.0] * 9, [None, None], [1e300, -1e300, 0.0], [0.0, 0.0, 1e-9]]
)
def test_small_and_odd_columns_stay_whole(shape: str, values: list[float | None]) -> None:
    made = table_of(x=pl.Series(values, dtype=pl.Float64))
    for lit in (None, Between("x", 0.5, None)):
        found = asked(Spread("x", shape=shape), made, lit)
        assert found.basis.used == sum(v is not None for v in values)
        assert plain(words_of(found, made).headline)
        assert all(
            isinstance(f, str | int | None) or math.isfinite(f) for row in figures_of(found).rows for f in row
        )


@pytest.mark.parametrize("shape", FURTHER)
def test_the_order_of_rows_changes_no_curve(shape: str, table: Table) -> None:
    order = np.random.default_rng(1).permutation(table.height)
    mixed = table_of(
        late=table.series("late").gather(order), depot=table.series("depot").gather(order).cast(pl.String)
    )
    here, there = (asked(Spread("late", "depot", shape), t) for t in (table, mixed))
    if isinstance(here, CurvesAnswer):
        for a, b in zip(here.curves, there.curves, strict=True):
            assert a.n == b.n and a.middle == b.middle and a.y == pytest.approx(b.y)
    elif isinstance(here, StripAnswer):
        assert here.middles == there.middles
    else:
        assert [b.letters for b in here.boxes] == [b.letters for b in there.boxes]


@pytest.mark.parametrize("make", ["normal", "uniform", "exponential"])
def test_plain_noise_has_one_shape_at_every_width(make: str) -> None:
    rng = np.random.default_rng(17)
    said = 0
    for n in (300, 1_000, 5_000):
        for _ in range(12):
            table = table_of(x=getattr(rng, make)(size=n))
            words = words_of(answer(Spread("x"), Rows(table)), table)
            said += any("depends on the width" in c for c in words.cautions)
    assert said <= 1


def test_equal_peaks_beside_a_shallow_valley_are_one() -> None:
    assert peaks(np.array([103, 98, 99, 106, 108, 94, 97, 79, 108, 108])) == 1
    assert peaks(np.array([10, 90, 400, 90, 10, 80, 380, 95, 9])) == 2


def test_a_far_tail_is_gathered_though_more_than_a_hundredth_lies_in_it() -> None:
    rng = np.random.default_rng(1)
    x = np.concatenate([rng.normal(10, 1, 950), rng.uniform(5_000, 90_000, 50)])
    found = answer(Spread("x"), Rows(table_of(x=x)))
    assert found.edges[-1] < 100 and int(found.groups[0].counts[-1]) == 50
    # a tail that squeezes nothing stays
    near = answer(
        Spread("x"), Rows(table_of(x=np.concatenate([rng.normal(10, 1, 950), rng.normal(18, 1, 50)])))
    )
    assert near.edges[-1] >= 18
