"""Where a series is going: candidates compared by what they would have said before, bands from errors."""

from __future__ import annotations

import math
import warnings
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from night_trail.core.stats.decompose import Parts, fitted, multiplies, seasons_of
from night_trail.core.table import Floats, Ints

LEAST = 10
"""Fewer values are not forecast."""

LONGEST = 1_100
"""How many of the latest values models are fitted to; older ones cost time and tell little."""

ORIGINS = 6
DRAWS, SEED = 4_000, 271_828
LEVELS = (50, 80, 95)
NAIVE = "repeating the last season"
NAIVE_PLAIN = "repeating the last value"
ALL = "all methods, weighted by their errors"
SHARPLY = 3
"""The power of a method's error that its weight falls with; found on series that are not reported."""


@dataclass(frozen=True)
class Candidate:
    """A method, and its mean absolute scaled error over the rolling origins (Hyndman & Koehler 2006)."""

    name: str
    mase: float


@dataclass(frozen=True)
class SeriesForecast:
    """The next values: ``low`` and ``high`` have a row for each of ``LEVELS``.

    ``paths`` are joint draws, so that sums over steps have intervals of their
    own. ``last`` is what would have been said at the last origin, which lies
    ``len(last)`` values before the end. ``better`` says whether repeating the
    last season was beaten, ``off`` is the mean absolute error at the last
    origin relative to the mean of the values.
    """

    mean: Floats
    low: Floats
    high: Floats
    paths: Floats
    candidates: tuple[Candidate, ...]
    naive: str
    naive_mase: float
    mase: float
    better: bool
    last: Floats
    off: float
    origins: int
    periods: tuple[int, ...]

    def total(self, first: int, end: int, level: int) -> tuple[float, float, float]:
        """Return the sum of steps and its interval, from the joint paths."""
        sums = self.paths[:, first:end].sum(axis=1)
        tail = (1 - level / 100) / 2
        low, high = np.quantile(sums, (tail, 1 - tail))
        return float(self.mean[first:end].sum()), float(low), float(high)


Method = Callable[[Floats, int], Floats]


def forecast(
    values: Floats, horizon: int, candidates: tuple[int, ...], known: tuple[Floats, Floats] | None = None
) -> SeriesForecast | None:
    """Return the next values of a series; None where there are too few to say anything.

    The candidates are seasonal naive, exponential smoothing of the form that
    AICc prefers, theta (Assimakopoulos & Nikolopoulos 2000), the parts of a
    decomposition carried on, and an autoregression. Each forecasts from up to
    six earlier origins; their mean is taken, weighted by the cubes of their
    errors there, on measured series better than the plain mean and than the one
    that was best before. The errors that this makes at each origin, with
    weights learned at the others, set the width of the bands.

    Parameters
    ----------
    values
        One dimension, NaN for gaps.
    horizon
        How many periods ahead.
    candidates
        How long the seasons of the calendar are.
    known
        What else is known of each period, past and future (rows: periods,
        columns: indicators); its effect is taken out first and added again.
    """
    has = ~np.isnan(values)
    if np.count_nonzero(has) < LEAST or float(np.ptp(values[has])) == 0:
        return None
    effect, then = np.zeros(horizon), np.zeros(len(values))
    if known is not None and known[0].shape[1]:
        then, effect = _effect(values, known, candidates)
        values = values - then
    values = values[-4 * LONGEST :]
    periods = seasons_of(values, candidates)
    parts = fitted(values, periods)
    filled = parts.values
    season = max((p for p in periods if 2 * p + 2 <= len(filled)), default=1)
    # on the log scale errors are shares, and bands cannot fall below 0
    logs = float(filled.min()) > 0 and (multiplies(values, parts) or _grows(filled))
    filled = filled[-max(LONGEST, 3 * season + 1) :]
    methods = _methods(filled, periods, logs)
    origins = _origins(len(filled), horizon, season)
    scale = _scale(filled, season)
    tried: dict[str, list[Floats]] = {name: [] for name in methods}
    truths = []
    for origin in origins:
        steps = min(horizon, len(filled) - origin)
        truths.append(filled[origin : origin + steps])
        for name, method in methods.items():
            tried[name].append(_safe(method, filled[:origin], steps, season))

    def error(found: list[Floats]) -> float:
        return float(np.mean([np.mean(np.abs(t - f)) for t, f in zip(truths, found, strict=True)])) / scale

    naive = NAIVE if season > 1 else NAIVE_PLAIN
    errors = {name: error(found) for name, found in tried.items()}
    together = _weighed_at_origins(truths, list(tried.values()))
    errors[ALL] = error(together)
    every = np.array([_safe(method, filled, horizon, season) for method in methods.values()])
    mean = _weights(np.array([errors[name] for name in methods])) @ every
    halves, tie = _widths(truths, together, horizon, logs)
    low, high = _bands(mean, halves, logs)
    floor = float(filled.min()) >= 0
    if floor:
        mean, low, high = (np.maximum(a, 0.0) for a in (mean, low, high))
    paths = _paths(mean, halves, tie, logs)
    paths = np.maximum(paths, 0.0) if floor else paths
    last = together[-1]
    # what was known then acted then
    then = then[len(then) - len(last) :]
    size = float(np.mean(np.abs(truths[-1] + then)))
    return SeriesForecast(
        mean=mean + effect,
        low=low + effect,
        high=high + effect,
        paths=paths + effect,
        candidates=tuple(sorted((Candidate(n, e) for n, e in errors.items()), key=lambda c: c.mase)),
        naive=naive,
        naive_mase=errors[naive],
        mase=errors[ALL],
        better=errors[ALL] < errors[naive],
        last=last + then,
        off=float(np.mean(np.abs(truths[-1] - last))) / size if size else math.nan,
        origins=len(origins),
        periods=periods,
    )


def _weights(errors: Floats) -> Floats:
    """Return the weights of methods by their errors; they add up to 1."""
    # where several made no error at all, they share everything
    weights = np.maximum(errors, 1e-9 * (float(errors.max()) or 1.0)) ** -SHARPLY
    return np.asarray(weights / weights.sum())


def _weighed_at_origins(truths: list[Floats], tried: list[list[Floats]]) -> list[Floats]:
    """Return what all methods together would have said at each origin, weighted by the other origins."""
    errors = np.array(
        [[np.mean(np.abs(t - f)) for t, f in zip(truths, found, strict=True)] for found in tried]
    )
    if len(truths) == 1:
        return [np.mean([found[0] for found in tried], axis=0)]
    return [
        _weights(np.delete(errors, i, axis=1).mean(axis=1)) @ np.array([found[i] for found in tried])
        for i in range(len(truths))
    ]


def _grows(values: Floats) -> bool:
    """Whether values span more than a factor of three, as what grows by shares does."""
    n = len(values) // 4
    return n > 2 and float(values[-n:].mean()) > 3 * float(values[:n].mean())


def _scale(values: Floats, season: int) -> float:
    """Return the mean error of repeating the season within the series; 1 where that makes none."""
    steps = np.abs(values[season:] - values[:-season])
    return float(steps.mean()) or 1.0


def _origins(n: int, horizon: int, season: int) -> Ints:
    """Return where the rolling origins lie, the last so that the whole horizon is known behind it."""
    least = max(2 * season + 2, LEAST) if season > 1 else max(LEAST, n // 3)
    last = n - min(horizon, max(1, n - least))
    first = max(least, n - min(horizon, n // 3) - max(2 * season, horizon, n // 4))
    if first >= last:
        return np.array([last])
    return np.unique(np.linspace(first, last, ORIGINS).round().astype(np.int64))


def _safe(method: Method, values: Floats, steps: int, season: int) -> Floats:
    """Return what a method says; what it cannot say, the seasonal naive one says."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            found = np.asarray(method(values, steps), dtype=np.float64)
    except (ValueError, FloatingPointError, np.linalg.LinAlgError, IndexError, ZeroDivisionError):
        return _naive(values, steps, season)
    if len(found) != steps or not np.isfinite(found).all():
        return _naive(values, steps, season)
    # nothing runs away further than the series ever went
    reach = 3 * float(np.ptp(values))
    return np.clip(found, float(values.min()) - reach, float(values.max()) + reach)


def _naive(values: Floats, steps: int, season: int) -> Floats:
    season = season if season <= len(values) else 1
    return np.asarray(values[len(values) - season + np.arange(steps) % season])


def _methods(values: Floats, periods: tuple[int, ...], logs: bool) -> dict[str, Method]:
    season = max((p for p in periods if 2 * p + 2 <= len(values)), default=1)
    short = max((p for p in periods if p <= 24 and 2 * p + 2 <= len(values)), default=1)
    if season > 1:
        found: dict[str, Method] = {NAIVE: lambda y, h: _naive(y, h, season)}
    else:
        found = {NAIVE_PLAIN: lambda y, h: _naive(y, h, 1)}
    if season == short:
        form = _form(values[: max(len(values) * 3 // 4, 2 * short + 2)], short)
        found["exponential smoothing"] = lambda y, h: _smoothing(y, h, short, form)
        found["theta"] = lambda y, h: _theta(y, h, short)

    def on(y: Floats, h: int, inner: Method) -> Floats:
        return np.exp(inner(np.log(y), h)) if logs else inner(y, h)

    if periods:
        # both carry on the same parts, which are fitted once for each origin
        known: dict[int, Parts] = {}

        def carried(y: Floats, h: int, inner: Method) -> Floats:
            if len(y) not in known:
                known[len(y)] = fitted(y, tuple(p for p in periods if 2 * p + 2 <= len(y)))
            return _carried(known[len(y)], h, inner)

        found["the parts carried on"] = lambda y, h: on(y, h, lambda a, b: carried(a, b, _damped))
        found["autoregression"] = lambda y, h: on(y, h, lambda a, b: carried(a, b, _autoregression))
    else:
        found["a damped trend"] = lambda y, h: on(y, h, _damped)
        found["autoregression"] = lambda y, h: on(y, h, _autoregression)
    return found


Form = tuple[str, str | None, bool, str | None]


def _forms(values: Floats, season: int) -> list[Form]:
    """Return the forms of exponential smoothing tried: (error, trend, damped, season)."""
    found: list[Form] = [("add", None, False, None), ("add", "add", True, None), ("add", "add", False, None)]
    if season > 1 and len(values) >= 2 * season + 2:
        found = [("add", None, False, "add"), ("add", "add", True, "add"), found[1]]
        if float(values.min()) > 0:
            found.append(("mul", "add", True, "mul"))
    return found


def _form(values: Floats, season: int) -> Form:
    """Return the form of least AICc."""
    best: tuple[float, Form] = (math.inf, ("add", None, False, None))
    for form in _forms(values, season):
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                fitted = _fit(values, season, form)
        except (ValueError, np.linalg.LinAlgError, ZeroDivisionError):
            continue
        if math.isfinite(fitted.aicc) and fitted.aicc < best[0]:
            best = (float(fitted.aicc), form)
    return best[1]


def _fit(values: Floats, season: int, form: Form):  # type: ignore[no-untyped-def]
    import pandas as pd  # noqa: PLC0415  (slow import)
    from statsmodels.tsa.exponential_smoothing.ets import ETSModel  # noqa: PLC0415  (slow import)

    error, trend, damped, seasonal = form
    model = ETSModel(
        pd.Series(values),
        error=error,
        trend=trend,
        damped_trend=damped,
        seasonal=seasonal,
        seasonal_periods=season if seasonal else None,
        initialization_method="heuristic" if len(values) >= 10 + 2 * (season // 2) else "estimated",
    )
    return model.fit(disp=False, maxiter=60)


def _smoothing(values: Floats, steps: int, season: int, form: Form) -> Floats:
    return np.asarray(_fit(values, season, form).forecast(steps))


def _damped(values: Floats, steps: int) -> Floats:
    return _smoothing(values, steps, 1, ("add", "add", True, None))


def _theta(values: Floats, steps: int, season: int) -> Floats:
    import pandas as pd  # noqa: PLC0415  (slow import)
    from statsmodels.tsa.forecasting.theta import ThetaModel  # noqa: PLC0415  (slow import)

    way = "multiplicative" if float(values.min()) > 0 else "additive"
    index = pd.RangeIndex(len(values))
    model = ThetaModel(
        pd.Series(values, index=index),
        period=max(season, 2),
        deseasonalize=season > 1,
        use_test=False,
        method=way,
    )
    return np.asarray(model.fit(disp=False).forecast(steps))


def _carried(parts: Parts, steps: int, inner: Method) -> Floats:
    """Return the adjusted series carried on by a method, each season by its last round."""
    n = len(parts.values)
    ahead = np.zeros(steps)
    for period, season in zip(parts.periods, parts.seasons, strict=True):
        ahead += season[n - period + np.arange(steps) % period]
    return inner(parts.trend + parts.rest, steps) + ahead


def _autoregression(values: Floats, steps: int) -> Floats:
    """Return an autoregression's forecast, of the values or of their steps, the order by AICc.

    Least squares; differences are taken where the values wander: where their
    lag-1 autocorrelation is over 0.9.
    """
    centred = values - values.mean()
    whole = float(centred @ centred)
    wanders = whole > 0 and float(centred[:-1] @ centred[1:]) / whole > 0.9
    series = np.diff(values) if wanders else values
    n = len(series)
    best: tuple[float, Floats] = (math.inf, np.array([float(series.mean())]))
    most = min(6, (n - 4) // 4)
    for order in range(most + 1):
        y = series[most:]
        x = np.column_stack([np.ones(n - most), *(series[most - k : n - k] for k in range(1, order + 1))])
        weights, *_ = np.linalg.lstsq(x, y, rcond=None)
        rest = y - x @ weights
        m, k = len(y), order + 2
        if m - k - 1 <= 0:
            break
        aicc = m * math.log(max(float(rest @ rest) / m, 1e-300)) + 2 * k + 2 * k * (k + 1) / (m - k - 1)
        if aicc < best[0]:
            best = (aicc, np.asarray(weights, dtype=np.float64))
    weights = best[1]
    order = len(weights) - 1
    past = list(series[n - order :]) if order else []
    ahead = []
    for _ in range(steps):
        at = float(weights[0] + sum(w * past[-i] for i, w in enumerate(weights[1:], 1)))
        ahead.append(at)
        past.append(at)
    found = np.asarray(ahead)
    return values[-1] + np.cumsum(found) if wanders else found


def _effect(
    values: Floats, known: tuple[Floats, Floats], candidates: tuple[int, ...]
) -> tuple[Floats, Floats]:
    """Return the effect of what is known on the values, and ahead.

    The effect is fitted to the remainder of a decomposition by least squares.
    """
    past, ahead = known
    found = fitted(values, seasons_of(values, candidates))
    centre = past.mean(axis=0)
    weights, *_ = np.linalg.lstsq(past - centre, found.rest, rcond=None)
    return (past - centre) @ weights, (ahead - centre) @ weights


def _errors(truth: Floats, said: Floats, logs: bool) -> Floats:
    if not logs:
        return truth - said
    return np.asarray(np.log(np.maximum(truth, 1e-300)) - np.log(np.maximum(said, 1e-300)))


def _widths(truths: list[Floats], said: list[Floats], horizon: int, logs: bool) -> tuple[Floats, float]:
    """Return half the width of each band at each step, and how much errors of neighbouring steps agree.

    The errors of all origins and steps are brought to the size of the first
    step by a power of the step fitted to them, and pooled; bands are their
    quantiles by Student's t with two degrees of freedom fewer than there are
    origins, so that few of them make wide bands.
    """
    from scipy import stats  # noqa: PLC0415  (slow import)

    rows = [_errors(t, s, logs) for t, s in zip(truths, said, strict=True)]
    longest = max(len(r) for r in rows)
    steps = np.arange(1, longest + 1)
    sizes = np.array([np.sqrt(np.mean([r[i] ** 2 for r in rows if len(r) > i])) for i in range(longest)])
    power = 0.3
    if longest > 3 and (sizes > 0).all():
        power = float(np.clip(np.polyfit(np.log(steps), np.log(sizes), 1)[0], 0.25, 0.9))
    scaled = np.concatenate([r / steps[: len(r)] ** power for r in rows])
    spread = float(np.sqrt(np.mean(scaled**2)))
    ties = [float(r[:-1] @ r[1:]) / float(r @ r) for r in rows if len(r) > 2 and float(r @ r) > 0]
    tie = float(np.clip(np.mean(ties), 0.0, 0.95)) if ties else 0.0
    free = max(2.0, len(rows) - 2.0)
    factors = [float(stats.t.ppf(0.5 + level / 200, free)) for level in LEVELS]
    growth = np.arange(1, horizon + 1) ** power
    return np.asarray(np.outer(factors, growth) * spread), tie


def _bands(mean: Floats, halves: Floats, logs: bool) -> tuple[Floats, Floats]:
    if logs:
        return mean * np.exp(-halves), mean * np.exp(halves)
    return mean - halves, mean + halves


def _paths(mean: Floats, halves: Floats, tie: float, logs: bool) -> Floats:
    """Return joint draws whose steps spread as the 80 % band says and agree with their neighbours."""
    rng = np.random.default_rng(SEED)
    noise = rng.standard_normal((DRAWS, len(mean)))
    for i in range(1, len(mean)):
        noise[:, i] = tie * noise[:, i - 1] + math.sqrt(1 - tie**2) * noise[:, i]
    moved = noise * (halves[LEVELS.index(80)] / 1.2815515655446004)
    return np.asarray(mean * np.exp(moved) if logs else mean + moved)
