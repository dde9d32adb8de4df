"""With others held fixed: models against certified and other libraries, planted confounding, noise."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import statsmodels.api as sm
from statsmodels.datasets import longley, spector
from statsmodels.stats.outliers_influence import variance_inflation_factor

from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.questions.held.answer import HeldAnswer, check, held
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.held.words import held_words
from night_trail.core.rows import Rows
from night_trail.core.stats.regression import inflation, least_squares, logistic, out_of_sample
from tests.core.tables import table_of


def asked(question: Held, **cells: Any) -> HeldAnswer:
    return held(question, Rows(table_of(**cells)))


def said(answer: HeldAnswer, **cells: Any) -> str:
    return plain(held_words(answer, table_of(**cells)).headline)


# published values of an ill-conditioned set (Longley 1967), as they are certified
LONGLEY = {
    "constant": (-3482258.63459582, 890420.383607373),
    "GNPDEFL": (15.0618722713733, 84.9149257747669),
    "GNP": (-0.0358191792925910, 0.0334910077722432),
    "UNEMP": (-2.02022980381683, 0.488399681651699),
    "ARMED": (-1.03322686717359, 0.214274163161675),
    "POP": (-0.0511041056535807, 0.226073200069370),
    "YEAR": (1829.15146461355, 455.478499142212),
}


def test_a_certified_ill_conditioned_set_keeps_eleven_digits() -> None:
    data = longley.load_pandas()
    x = np.column_stack([np.ones(16), data.exog.to_numpy()])
    model = least_squares(x, data.endog.to_numpy())
    assert model is not None
    coefficients, errors = zip(*LONGLEY.values(), strict=True)
    assert model.coefficients == pytest.approx(coefficients, rel=1e-10)
    assert model.errors == pytest.approx(errors, rel=1e-10)
    assert model.residual == pytest.approx(304.854073561965, rel=1e-11)
    assert model.explained == pytest.approx(0.995479004577296, rel=1e-12)
    # powers of one column, far from each other in size: every coefficient is 1
    powers = np.column_stack([np.arange(21.0) ** k for k in range(6)])
    exact = least_squares(powers, powers.sum(axis=1))
    assert exact is not None and exact.coefficients == pytest.approx(np.ones(6), abs=1e-8)


def test_errors_that_hold_for_uneven_rows_and_for_sets_are_those_of_another_library() -> None:
    rng = np.random.default_rng(1)
    x = np.column_stack([np.ones(300), rng.normal(size=(300, 3))])
    y = x @ [1, 2, 0, -1] + rng.normal(size=300) * (1 + x[:, 1] ** 2)
    sets = rng.integers(0, 40, 300)
    cases: list[tuple[dict[str, Any], dict[str, Any]]] = [
        ({}, {}), ({"robust": True}, {"cov_type": "HC3"}),
        ({"sets": sets}, {"cov_type": "cluster", "cov_kwds": {"groups": sets}}),
    ]  # fmt: skip
    for ours, theirs in cases:
        model, other = least_squares(x, y, **ours), sm.OLS(y, x).fit(**theirs)
        assert model is not None
        assert model.coefficients == pytest.approx(other.params)
        assert model.errors == pytest.approx(other.bse)
    assert inflation(x[:, 1:]) == pytest.approx([variance_inflation_factor(x, i) for i in (1, 2, 3)])


def test_a_logistic_model_and_its_average_effects_are_those_of_another_library() -> None:
    data = spector.load_pandas()
    x, y = np.column_stack([np.ones(32), data.exog.to_numpy()]), data.endog.to_numpy()
    model, other = logistic(x, y), sm.Logit(y, x).fit(disp=0)
    assert model is not None and model.converged
    assert model.coefficients == pytest.approx(other.params, rel=1e-8)
    assert model.errors == pytest.approx(other.bse, rel=1e-6)
    assert model.explained == pytest.approx(other.prsquared)
    margins = other.get_margeff()
    step = 1e-4
    for j in (1, 2, 3):
        ends = [x + side * step * (np.arange(4) == j) for side in (-1, 1)]
        sums, errors = model.averages(ends, np.array([[-1.0, 1.0]]))
        assert sums[0] / (2 * step) == pytest.approx(margins.margeff[j - 1], rel=1e-5)
        assert errors[0] / (2 * step) == pytest.approx(margins.margeff_se[j - 1], rel=1e-4)
    apart = logistic(np.column_stack([np.ones(40), np.arange(40.0)]), (np.arange(40) > 19).astype(float))
    assert apart is not None and not apart.converged


def test_a_column_that_says_nothing_new_is_left_out_and_no_row_over_is_no_model() -> None:
    rng = np.random.default_rng(2)
    a = rng.normal(size=50)
    x = np.column_stack([np.ones(50), a, 2 * a + 3, rng.normal(size=50)])
    model = least_squares(x, x @ [1, 2, 0, 3])
    assert model is not None and model.kept.tolist() == [0, 1, 3]
    assert least_squares(np.ones((1, 1)), np.ones(1)) is None
    assert out_of_sample(x[:, :2], rng.normal(size=50), np.arange(50) % 5, False) < 0.1


def confounded(seed: int, n: int = 1_500) -> dict[str, Any]:
    """Heat goes with riders only since both go with the month; for one depot it counts."""
    rng = np.random.default_rng(seed)
    depot = rng.choice(["Northgate", "Tallow", "Gannet"], n, p=[0.5, 0.3, 0.2])
    month = rng.normal(size=n)
    heat = month + rng.normal(0, 0.6, n)
    riders = 50 + 6 * month - 2 * heat + 4 * (depot == "Tallow") + rng.normal(0, 4, n)
    return {"riders": riders, "heat": heat, "month": month, "depot": depot.tolist(), "x": rng.normal(size=n)}


def test_a_slope_that_turns_and_what_turns_it() -> None:
    for seed in range(5):
        cells = confounded(seed)
        answer = asked(Held("riders", "heat"), **cells)
        assert set(answer.fixed) == {"month", "depot"}
        first = answer.shown[0]
        assert first.plain > 0 and first.held == pytest.approx(-2, abs=0.6)
        assert abs(first.held + 2) < 1.6 * first.held_half
        assert answer.changer is not None and answer.changer.name == "month"
        words = said(answer, **cells)
        assert "it turns round" in words and "and turns it round" in words


def test_plain_effects_are_the_means_and_held_ones_those_of_a_model_by_hand() -> None:
    cells = confounded(7)
    answer = asked(Held("riders", "depot", fixed=("month", "heat")), **cells)
    y, depot = cells["riders"], np.array(cells["depot"])
    for one in answer.shown:
        assert one.plain == pytest.approx(y[depot == one.label].mean() - y.mean())
    dummies = np.column_stack([depot == "Tallow", depot == "Gannet"]).astype(float)
    x = np.column_stack([np.ones(len(y)), dummies, cells["month"], cells["heat"]])
    other = sm.OLS(y, x).fit(cov_type="HC3")
    shares = np.array([(depot == name).mean() for name in ("Tallow", "Gannet")])
    expected = {"Northgate": 0.0, "Tallow": other.params[1], "Gannet": other.params[2]}
    base = float(shares @ other.params[1:3])
    assert {s.label: s.held for s in answer.shown} == pytest.approx(
        {k: v - base for k, v in expected.items()}
    )
    assert answer.explained == pytest.approx(other.rsquared)


def test_of_noise_an_effect_held_fixed_is_claimed_as_often_as_chance_has_it() -> None:
    claimed = 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        cells = {f"x{i}": rng.gamma(1, 1, 300) for i in range(5)} | {
            "y": rng.gamma(1, 2, 300), "c": rng.choice(["a", "b", "c", "d"], 300).tolist(),
        }  # fmt: skip
        answer = asked(Held("y", "x0" if seed % 2 else "c"), **cells)
        claimed += answer.chance < 0.05
        assert answer.unseen < 0.1
    assert claimed <= 8


def test_an_effect_that_holds_one_that_bends_and_one_that_differs() -> None:
    rng = np.random.default_rng(9)
    n = 1_200
    x, z = rng.normal(5, 1, n), rng.choice(["old", "new"], n)
    y = np.where(z == "old", 3 * x, 0.5 * x) + rng.normal(0, 1, n)
    cells = {"y": y, "x": x, "z": z.tolist()}
    by_kind = {s.label: s.held for s in asked(Held("y", "x", product="z"), **cells).shown}
    assert by_kind["z old"] == pytest.approx(3, abs=0.15) and by_kind["z new"] == pytest.approx(0.5, abs=0.15)
    bent = {"y": (x - 5) ** 2 + rng.normal(0, 0.3, n), "x": x}
    straight, curved = (asked(Held("y", "x", fixed=(), power=p), **bent) for p in (1, 2))  # type: ignore[arg-type]
    assert straight.explained < 0.1 and curved.explained > 0.9 and curved.chance < 1e-6
    kept = {"y": 2 * x + rng.normal(0, 1, n), "x": x, "w": rng.normal(size=n)}
    assert "it holds" in said(asked(Held("y", "x", fixed=("w",)), **kept), **kept)


def test_yes_and_no_are_told_in_percentage_points() -> None:
    rng = np.random.default_rng(10)
    wet, far = rng.random(3_000) < 0.4, rng.normal(size=3_000)
    late = rng.random(3_000) < np.where(wet, 0.5, 0.2)
    cells = {"late": late, "wet": wet, "far": far}
    answer = asked(Held("late", "wet", fixed=("far",)), **cells)
    held_ = {s.label: s.held for s in answer.shown}
    assert answer.logistic and held_["yes"] - held_["no"] == pytest.approx(0.3, abs=0.05)
    assert "percentage points" in said(answer, **cells)


def test_a_column_that_copies_the_target_is_not_held_fixed_unasked() -> None:
    cells = confounded(3)
    cells["riders_again"] = cells["riders"] * 2
    answer = asked(Held("riders", "heat"), **cells)
    assert "riders_again" not in answer.fixed and answer.apart[0].name == "riders_again"
    fixed = asked(Held("riders", "heat", fixed=("riders_again",)), **cells)
    assert fixed.explained == pytest.approx(1)


@pytest.mark.parametrize("n", [0, 1, 11])
def test_of_few_rows_there_is_no_model_and_it_is_said(n: int) -> None:
    rng = np.random.default_rng(n)
    cells = {"y": rng.normal(size=n), "x": rng.normal(size=n)}
    table = table_of(**cells)
    if n < 2:
        with pytest.raises(BadQuestion):
            check(Held("y", "x"), table)
    answer = held(Held("y", "x"), Rows(table))
    assert not answer.fitted and "too few" in plain(held_words(answer, table).headline)


def test_what_no_model_can_have_is_refused() -> None:
    cells = confounded(1, 100)
    cells["name"] = [f"row {i}" for i in range(100)]
    table = table_of(**cells)
    for bad in (Held("depot", "heat"), Held("riders", "riders"), Held("riders", "heat", product="riders")):
        with pytest.raises(BadQuestion):
            check(bad, table)
    with pytest.raises(BadQuestion, match="held fixed against itself"):
        check(Held("riders", "heat", fixed=("riders",)), table)
    with pytest.raises(BadQuestion, match="of a number"):
        check(Held("riders", "depot", product="x"), table)
