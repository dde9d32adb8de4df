"""Claims: what is true holds, what is false or chance does not, and each can be said and read back."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import polars as pl
import pytest
from msgspec.structs import replace
from scipy import stats

from night_trail.core.claims.again import again
from night_trail.core.claims.check import check
from night_trail.core.claims.claim import (
    Ahead,
    Claim,
    Differs,
    Drives,
    Leads,
    Level,
    Moves,
    Repeats,
    StandsOut,
)
from night_trail.core.claims.propose import claims_of
from night_trail.core.claims.verdict import Verdict
from night_trail.core.claims.words import claim_from, in_sentence, instead, verdict_words
from night_trail.core.conditions import AllOf, Between, Condition, Not, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.registry import answer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stands.question import Stands
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import turned_by
from night_trail.core.table import Table
from night_trail.core.turns import Say, turn
from tests.core.tables import table_of

C = OneOf("g", ("c",))


def made(seed: int, effect: float, n: int = 400) -> Table:
    rng = np.random.default_rng(seed)
    g = rng.integers(0, 5, n)
    y = rng.normal(size=n) + effect * (g == 2)
    return table_of(y=y, x=rng.normal(size=n), w=effect * y + rng.normal(size=n), g=["abcde"[i] for i in g])


def those(seeds: range, effect: float) -> dict[str, list[str]]:
    claims: dict[str, Claim] = {
        "mean": Differs(Measure("mean", "y"), C),
        "median": Differs(Measure("median", "y"), C),
        "share": Differs(Measure("share", where=Between("y", 0.5, None)), C),
        "leads": Leads(Measure("mean", "y"), "g", "c"),
        "moves": Moves("y", "w"),
    }
    found: dict[str, list[str]] = {name: [] for name in claims}
    for seed in seeds:
        rows = Rows(made(seed, effect))
        for name, claim in claims.items():
            found[name].append(check(claim, rows).state)
    return found


def test_what_is_true_holds_and_noise_does_not() -> None:
    for name, states in those(range(20), 1.0).items():
        assert states.count("holds") == 20, name
    for name, states in those(range(20), 0.0).items():
        assert states.count("holds") <= 2, name


def test_a_claim_of_rows_that_share_their_day_is_drawn_by_days() -> None:
    """Sixty days of ten rows each, half of them in a group: as rows they look apart, as days they do not."""
    wrongly = 0
    for seed in range(30):
        rng = np.random.default_rng(seed)
        day = np.repeat(np.arange(60), 10)
        y = np.repeat(rng.normal(size=60), 10) + 0.3 * rng.normal(size=600)
        side = np.where(np.repeat(rng.integers(0, 2, 60), 10) > 0, "c", "a")
        table = table_of(y=y, g=list(side), on=[dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day])
        verdict = check(Differs(Measure("mean", "y"), C), Rows(table))
        assert verdict.drawn == "on"
        wrongly += verdict.state == "holds"
    assert wrongly <= 3


def test_the_interval_of_a_difference_of_means_is_that_of_welch() -> None:
    table = made(3, 0.5, 2_000)
    verdict = check(Differs(Measure("mean", "y"), C), Rows(table))
    y, g = table.axis("y").values, np.array(table.series("g").to_list())
    theirs = stats.ttest_ind(y[g == "c"], y[g != "c"], equal_var=False)
    low, high = theirs.confidence_interval()
    assert verdict.figure == pytest.approx(y[g == "c"].mean() - y[g != "c"].mean())
    assert (verdict.low, verdict.high) == pytest.approx((low, high), abs=0.25 * (high - low) / 2)


def test_a_correlation_is_that_of_scipy_and_its_interval_near_fishers() -> None:
    table = made(5, 0.7, 2_000)
    verdict = check(Moves("y", "w"), Rows(table))
    theirs = stats.pearsonr(table.axis("y").values, table.axis("w").values)
    low, high = theirs.confidence_interval()
    assert verdict.figure == pytest.approx(theirs.statistic)
    assert (verdict.low, verdict.high) == pytest.approx((low, high), abs=0.015)


def test_how_few_rows_it_rests_on_is_counted() -> None:
    rows = Rows(table_of(y=[*[0.0] * 50, *[0.0] * 48, 30.0, 40.0], g=["a"] * 50 + ["c"] * 50))
    verdict = check(Differs(Measure("mean", "y"), C), rows)
    assert verdict.turns == 2
    assert "2 rows of 100 it would not hold" not in verdict_words(
        Differs(Measure("mean", "y"), C), verdict, rows.table
    )
    many = Rows(table_of(y=[*[0.0] * 500, *[0.0] * 499, 30.0], g=["a"] * 500 + ["c"] * 500))
    few = check(Differs(Measure("mean", "y"), C), many)
    assert few.turns == 1
    assert "without 1 row of 1,000" in verdict_words(Differs(Measure("mean", "y"), C), few, many.table)


def test_halving_finds_the_number_that_counting_finds() -> None:
    rng = np.random.default_rng(0)
    influence = rng.exponential(size=40)

    def margin(out: Any) -> float:
        return float(influence.sum() * 0.4 - influence[out].sum())

    order = np.argsort(-influence)
    counted = next(k for k in range(1, 21) if margin(order[:k]) <= 0)
    assert turned_by(influence, margin) == counted
    assert turned_by(influence, lambda out: 1.0) is None


def test_drives_holds_for_what_drives_and_for_no_noise_beside_it() -> None:
    for seed in range(3):
        rng = np.random.default_rng(seed)
        n = 800
        x = rng.normal(size=n)
        table = table_of(
            y=2 * np.abs(x) + rng.normal(size=n), x=x, **{f"noise{i}": rng.normal(size=n) for i in range(6)}
        )
        assert check(Drives("y", "x", 1), Rows(table)).state == "holds"
        assert all(check(Drives("y", f"noise{i}", 3), Rows(table)).state != "holds" for i in range(6))


def series(years: int, season: float, seed: int) -> Table:
    rng = np.random.default_rng(seed)
    months = [dt.date(2015 + i // 12, i % 12 + 1, 1) for i in range(12 * years)]
    y = 100 + season * np.sin(np.arange(12 * years) * np.pi / 6) + rng.normal(size=12 * years) * 5
    return table_of(on=months, y=y)


def test_repeats_holds_with_a_season_and_not_without() -> None:
    claim = Repeats(Measure("sum", "y"), "on")
    assert all(check(claim, Rows(series(6, 15, seed))).state == "holds" for seed in range(4))
    assert sum(check(claim, Rows(series(6, 0, seed))).state == "holds" for seed in range(8)) == 0


def test_what_has_not_come_is_open_then_held_against_its_ends() -> None:
    table = series(6, 15, 1)
    claim = Ahead(Measure("sum", "y"), Between("on", "2021-01-01", "2022-01-01"), 1_150, 1_250)
    assert check(claim, Rows(table)).state == "open"
    later = series(7, 15, 1)
    found = check(claim, Rows(later))
    values = later.axis("y").values[-12:].sum()
    assert found.figure == pytest.approx(values)
    assert found.state == ("holds" if 1_150 <= values <= 1_250 else "fails")
    # the year has begun and is not over
    assert (
        check(claim, Rows(table_of(on=later.series("on")[:-3], y=later.axis("y").values[:-3]))).state
        == "open"
    )


def test_an_only_group_and_an_empty_side_do_not_hold() -> None:
    rows = Rows(table_of(y=[1.0, 2.0, 3.0], g=["c", "c", "c"]))
    assert check(Differs(Measure("mean", "y"), C), rows).state == "fails"
    assert check(Leads(Measure("mean", "y"), "g", "c"), rows).state == "fails"
    none = Rows(made(1, 1.0), (OneOf("g", ("a",)),))
    said = verdict_words(
        Differs(Measure("mean", "y"), C), check(Differs(Measure("mean", "y"), C), none), none.table
    )
    assert said == "It does not hold: there are no rows to hold against each other."


CLAIMS: list[Claim] = [
    Differs(Measure("mean", "y"), C),
    Differs(
        Measure("median", "y"),
        AllOf((C, Between("x", 0.0, None, low_open=True))),
        Not(C),
        lower=True,
        least=0.25,
    ),
    Differs(Measure("share", where=Between("y", 0.5, None, low_open=True)), C, OneOf("g", ("a", "b"))),
    Differs(Measure("share", where=Between("y", 0.5, None, low_open=True)), C, least=0.125),
    Level(Measure("mean", "y"), -0.5),
    Level(Measure("share", where=C), 0.15, below=True),
    Level(Measure("count"), 50.0, C),
    Leads(Measure("sum", "y"), "g", "b", lowest=True),
    Moves("x", "y", down=True, least=0.3),
    Drives("y", "x", 2),
    StandsOut("far", ("y",), least=1_200),
    StandsOut("odd", ("g", "x"), of="y", within="g"),
    StandsOut("block"),
    Ahead(Measure("count"), Between("x", 0.0, None, low_open=True), 10.0, 400.0),
]


@pytest.mark.parametrize("claim", CLAIMS, ids=lambda c: type(c).__name__)
def test_a_claim_is_read_back_as_it_is_said(claim: Claim) -> None:
    table = made(1, 1.0)
    assert claim_from(in_sentence(claim, table), table) == claim


@pytest.mark.parametrize(
    "typed", ["", "y", "y is high", "the average of z is higher where g is c than elsewhere", "y rises with y",
              "the average of y is at least many", "the sum of y is highest for q of all g", "<script>"],
)  # fmt: skip
def test_what_is_no_claim_is_refused_with_an_example_or_the_reason(typed: str) -> None:
    with pytest.raises(BadQuestion) as refused:
        claim_from(typed, made(1, 1.0))
    assert str(refused.value)


def test_one_that_does_not_hold_offers_one_that_does() -> None:
    rows = Rows(made(2, 1.0))
    for claim in (
        Differs(Measure("mean", "y"), C, lower=True),
        Differs(Measure("mean", "y"), C, least=50.0),
        Leads(Measure("mean", "y"), "g", "a"),
        Moves("y", "w", down=True),
        Level(Measure("mean", "y"), 99.0),
    ):
        verdict = check(claim, rows)
        assert verdict.state == "fails"
        offered = instead(claim, verdict)
        assert offered is not None
        assert check(offered, rows).state in ("holds", "weak"), claim


def test_a_picture_of_noise_proposes_nothing_as_sure() -> None:
    sure = 0
    for seed in range(20):
        rows = Rows(made(seed, 0.0))
        for question in (Compare(Measure("mean", "y"), "g"), Relate("y", "x")):
            sure += sum(verdict.state == "holds" for _, verdict in claims_of(question, rows))
    assert sure <= 3


def test_every_kind_of_picture_proposes_what_it_shows(buses: Table) -> None:
    def proposed(words: str, lit: Condition | None = None) -> list[Claim]:
        scene, _ = turn(Scene(), Say(words, ""), buses)
        assert scene.main is not None
        rows = Rows(buses, scene.only, lit)
        return [claim for claim, _ in claims_of(scene.main, rows, answer(scene.main, rows))]

    wet = Between("rain_mm", 2.0, None, low_open=True)
    lane = OneOf("depot", ("Tallow Lane",))
    assert Leads(Measure("mean", "late_min"), "depot", "Tallow Lane") in proposed(
        "average late_min across depot"
    )
    assert Moves("rain_mm", "late_min") in proposed("late_min against rain_mm")
    assert Differs(Measure("median", "late_min"), wet) in proposed("late_min across depot as box plots", wet)
    wet_lane = Differs(Measure("median", "late_min"), AllOf((wet, lane)), AllOf((wet, Not(lane))))
    assert wet_lane in proposed("late_min across depot as box plots", wet)
    assert Repeats(Measure("sum", "boardings"), "departed_at") in proposed("boardings by month")
    ahead = [c for c in proposed("forecast boardings by month") if isinstance(c, Ahead)]
    assert ahead and ahead[0].when == Between("departed_at", "2025-01-01", "2026-01-01")
    assert all(isinstance(c, Level) for c in proposed("late_min"))


def with_slips(seed: int, slips: int) -> Table:
    rng = np.random.default_rng(seed)
    fare = np.round(rng.normal(30, 3, 600), 1)
    fare[:slips] *= 100
    return table_of(fare=fare, line=rng.choice(["N1", "N2", "N3"], 600).tolist())


def test_what_stands_out_is_claimed_and_gone_where_it_was_put_right() -> None:
    slipped, noise = Rows(with_slips(1, 4)), Rows(with_slips(2, 0))
    claimed = claims_of(Stands(), slipped, answer(Stands(), slipped))
    assert claimed
    claim, verdict = claimed[0]
    assert isinstance(claim, StandsOut) and claim.columns == ("fare",)
    assert (verdict.state, verdict.figure) == ("holds", 4.0)
    assert "4 rows of 600" in verdict_words(claim, verdict, slipped.table)
    now = check(claim, noise)
    assert now.state == "fails" and again({"state": "holds", "figure": 4.0}, now) == "gone"
    assert "nothing of this kind" in verdict_words(claim, now, noise.table)
    more = replace(claim, least=5)
    assert check(more, slipped).state == "fails"
    assert instead(more, check(more, slipped)) == claim
    # of many that were slips few are left
    assert again({"state": "holds", "figure": 40.0}, check(claim, slipped)) == "weaker"


def test_noise_stands_out_in_no_claim() -> None:
    found = [
        claim
        for seed in range(20)
        for rows in [Rows(with_slips(seed, 0))]
        for claim, _ in claims_of(Stands(), rows, answer(Stands(), rows))
    ]
    assert len(found) <= 1


def test_pairs_that_go_together_are_claimed_and_none_of_noise() -> None:
    rng = np.random.default_rng(5)
    line, depot = rng.integers(0, 4, 800), rng.integers(0, 3, 800)
    question = Crosstab("depot", "line")

    def claimed(of: Any) -> list[tuple[Claim, Verdict]]:
        rows = Rows(table_of(line=[f"N{k}" for k in line], depot=[f"D{k}" for k in of]))
        return claims_of(question, rows, answer(question, rows))

    tied = claimed(np.where(rng.random(800) < 0.5, line % 3, depot))
    assert [verdict.state for _, verdict in tied][:1] == ["holds"] and isinstance(tied[0][0], Differs)
    assert sum(len(claimed(rng.integers(0, 3, 800))) for _ in range(40)) <= 2


def test_figures_that_cannot_be_taken_are_refused() -> None:
    table = made(1, 1.0)
    for claim in (
        Moves("g", "y"),
        Drives("g", "y"),
        Repeats(Measure("sum", "y"), "x"),
        StandsOut("far", ("z",)),
        StandsOut("far", ("y",), within="y"),
        Ahead(Measure("count"), C, 5, 1),
    ):
        with pytest.raises(BadQuestion):
            check(claim, Rows(table))


def test_one_row_and_no_row_say_so_without_failing() -> None:
    for table in (
        table_of(y=[1.0], x=[2.0], g=["c"]),
        table_of(y=pl.Series([None], dtype=pl.Float64), x=[1.0], g=["c"]),
    ):
        for claim in (*CLAIMS[:2], Moves("x", "y"), Level(Measure("mean", "x"), 0.0)):
            verdict = check(claim, Rows(table))
            assert verdict_words(claim, verdict, table)
    assert claims_of(Spread("y"), Rows(table_of(y=[1.0], g=["c"]))) is not None
