"""Plain code for what comes of a model: parts of a series, what lies ahead, what drives a column.

The models themselves are the files of ``methods_along``, which go along.
"""

from __future__ import annotations

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.plain_code import PARTS, Untold, column, figure, grouped, on_axis, present, text
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.drivers.features import MOST_ROWS, OTHERS, Feature, Made
from night_trail.core.questions.forecast.answer import SURE_LEVEL, ForecastAnswer
from night_trail.core.questions.shared.kept_together import from_noon
from night_trail.core.recomputed_time import begun, stretch
from night_trail.core.stats.calendar import SEASONS, Calendar
from night_trail.core.stats.forecast import LEVELS
from night_trail.core.table import Column, Table


def _series(measure: Measure, time: Column, zone: str | None, calendar: Calendar, table: Table) -> list[str]:
    """Return the code that leaves the figure of each period of a calendar in ``series``."""
    needed, said = figure(measure, table)
    at = f"{begun(time.name, calendar.grain, zone, table)}.alias('from')"
    return [
        f"figures_of = rows{present([time.name, *needed])}.group_by({at}).agg({said}.alias('figure'))",
        "series = periods.join(figures_of, on='from', how='left').sort('from')",
        "values = series['figure'].cast(pl.Float64).to_numpy()",
    ]


def taken_apart(answer: DecompositionAnswer, table: Table) -> list[str]:
    """Return the code for trend, seasons and remainder of each period."""
    asked, parts = answer.question, answer.parts
    if parts is None:
        raise Untold("the series cannot be taken apart")
    end = answer.start + len(parts.values)
    calendar, seasons = answer.calendar, SEASONS[answer.calendar.grain]
    return [
        "from methods.decompose import take_apart",
        "",
        f"periods = {stretch(calendar, answer.start, end, answer.time.yearly)}",
        *_series(asked.measure, answer.time, asked.zone, calendar, table),
        f"parts = take_apart(values, {seasons!r}, {asked.way!r})",
        "found = series.select('from').with_columns(",
        "    pl.Series('value', parts.values),",
        "    pl.Series('trend', parts.trend),",
        "    *(pl.Series(f'season of {long}', s) for long, s in zip(parts.periods, parts.seasons)),",
        "    pl.Series('rest', parts.rest),",
        "    pl.Series('without season', parts.adjusted),",
        "    pl.Series('stands out', parts.spikes),",
        ")",
    ]


def ahead(answer: ForecastAnswer, table: Table) -> list[str]:
    """Return the code for a forecast with its bands, of all rows or of groups that agree with all."""
    asked, calendar, steps = answer.question, answer.calendar, answer.horizon
    if answer.forecast is None:
        raise Untold("there is no forecast")
    seasons = SEASONS[calendar.grain]
    past = stretch(calendar, answer.start, answer.end, answer.time.yearly)
    bands = [f"{level} % {end}" for level in LEVELS for end in ("from", "to")]
    lines = [
        "from methods.forecast import forecast",
        "",
        f"periods = {past}",
        f"ahead = {stretch(calendar, answer.end, calendar.n, answer.time.yearly)}",
        *_series(asked.measure, answer.time, asked.zone, calendar, table),
        *_known(answer),
        f"said = forecast(values, {steps}, {seasons!r}, known)",
    ]
    if asked.split is not None:
        return [*lines, *_of_groups(answer, table)]
    return [
        *lines,
        "bands = [ends[level] for level in range(len(said.low)) for ends in (said.low, said.high)]",
        f"found = ahead.with_columns(pl.Series('forecast', said.mean), "
        f"*(pl.Series(name, ends) for name, ends in zip({bands!r}, bands)))",
    ]


def _known(answer: ForecastAnswer) -> list[str]:
    """Return the code that says what is known of each period: how much of it are named days."""
    if answer.known is None:
        return ["known = None"]
    lines = ["# how much of each period, past and ahead, is what is known of it"]
    for name, told in (("past", answer.known.past), ("to_come", answer.known.ahead)):
        lines.append(f"{name} = np.zeros({told.shape!r})")
        for at in range(told.shape[1]):
            some = np.flatnonzero(told[:, at])
            lines.append(f"{name}[{some.tolist()!r}, {at}] = {told[some, at].tolist()!r}")
    return [*lines, "known = past, to_come"]


def _of_groups(answer: ForecastAnswer, table: Table) -> list[str]:
    asked, calendar, steps = answer.question, answer.calendar, answer.horizon
    needed, said = figure(asked.measure, table)
    at = f"{begun(asked.time, calendar.grain, asked.zone, table)}.alias('from')"
    seasons, level = SEASONS[calendar.grain], LEVELS.index(SURE_LEVEL)
    assert asked.split is not None  # noqa: S101  (asked of groups)
    return [
        f"groups = {[group.label for group in answer.grouping.groups]!r}",
        f"by_group = rows{present([asked.time, asked.split, *needed])}"
        f".group_by(({grouped(answer.grouping, table)}).alias('group'), {at})"
        f".agg({said}.cast(pl.Float64).alias('figure')).pivot('group', index='from', values='figure')",
        "pasts = periods.join(by_group, on='from', how='left').sort('from')",
        "# nothing in one group is 0; nothing in any is not known",
        "there = pl.any_horizontal(pl.col(groups).is_not_null())",
        "pasts = pasts.select(pl.when(there).then(pl.col(name).fill_null(0)).alias(name) for name in groups)",
        f"each = [forecast(pasts[name].to_numpy(), {steps}, {seasons!r}, known) for name in groups]",
        "# with too little to go by its usual level goes on, which agreeing with the others hardly moves",
        f"means = np.array([np.full({steps}, pasts[name].mean() or 0.0) if one is None else one.mean",
        "    for name, one in zip(groups, each)])",
        f"wide = np.array([np.full({steps}, 1e-6) if one is None else one.high[{level}] - one.low[{level}]",
        "    for one in each])",
        "# each is moved in proportion to the variance of its errors, so that they agree with that of all",
        f"half = said.high[{level}] - said.low[{level}]",
        "means += wide**2 / ((wide**2).sum(axis=0) + half**2) * (said.mean - means.sum(axis=0))",
        "found = pl.concat(",
        "    ahead.select(pl.lit(name).alias('group'), 'from', pl.Series('forecast', mean))",
        "    for name, mean in zip(['', *groups], [means.sum(axis=0), *means])",
        ")",
    ]


def driven(answer: DriversAnswer, table: Table) -> list[str]:
    """Return the code for how much worse unseen rows are predicted without each column."""
    made = answer.made
    if answer.question.shape == "rules":
        raise Untold("its rules were grown on one half of the rows and confirmed on the other")
    if made is None or not answer.drivers:
        raise Untold("there were too few rows")
    target, matrix = made.target, made.matrix
    of = column(target.column.name)
    if target.value is not None:
        of = f"({text(target.column.name, table)} == {target.value!r}).cast(pl.Float64)"
    elif target.far:
        of = f"{of}.cast(pl.Float64).clip({target.ends[0]!r}, {target.ends[1]!r})"
    gathered = [j for family in matrix.families for j in family.columns if np.isnan(matrix.x[:, j]).all()]
    names = [", ".join(family) for family in made.families]
    families = ", ".join(f"Family({family.columns!r}, {family.shown})" for family in matrix.families)
    squares = target.is_share
    lines = [
        "from methods.drivers import FOLDS, SHUFFLES, Family, Matrix, fold",
        "",
        f"some = rows{present([target.column.name])}",
    ]
    if made.rows > MOST_ROWS:
        lines += [
            f"part = np.random.default_rng(len(some)).choice(len(some), {MOST_ROWS}, replace=False)",
            "some = some[np.sort(part)]",
        ]
    lines += [
        "cells = some.select(",
        *(f"    {_cell(one, table)}.cast(pl.Float64).alias('{at}')," for at, one in enumerate(made.features)),
        ")",
        "x = cells.to_numpy().copy()",
        *(
            [
                "# what another column says more finely is not shown to the model",
                f"x[:, {gathered!r}] = np.nan",
            ]
            if gathered
            else []
        ),
        f"y = some.select({of}.cast(pl.Float64)).to_series().to_numpy()",
        *_sets(made),
        f"matrix = Matrix(x, y, sets, {matrix.levels!r}, ({families},))",
        "folds = [fold(matrix, k) for k in range(FOLDS + SHUFFLES)]",
        "real, chance = folds[:FOLDS], folds[FOLDS:]",
        "def worse_of(one):",
        "    return np.array(one.worse_squares) / one.plain_squares"
        if squares
        else "    return np.array(one.worse)",
        "",
        "worse = np.array([worse_of(one) for one in real])",
        "left = sum(one.squares * one.n for one in real) / sum(one.plain_squares * one.n for one in real)",
        "by_chance = max(worse_of(one).max() for one in chance)",
        "print(f'{1 - left:.1%} of the differences explained; shuffled targets reach {by_chance:.4g}')",
        "found = pl.DataFrame(",
        "    {",
        f"        'column': {names!r},",
        "        'worse without it': worse.mean(axis=0),",
        "        'give or take': 2 * worse.std(axis=0, ddof=1) / np.sqrt(FOLDS),",
        "        'of shuffled targets': [by_chance] * worse.shape[1],",
        "    }",
        ").sort('worse without it', descending=True)",
    ]
    return lines


def _cell(one: Feature, table: Table) -> str:
    """Return what the model sees of a column, in code: a number, or the place among its values."""
    name = one.column.name
    if one.part is not None:
        # hours are counted from 0, months and weekdays from 1
        return f"({column(name)}.{PARTS[one.part]}{'' if one.part == 'day' else ' - 1'})"
    if not one.labels:
        return on_axis(one.column)
    rest = one.labels[-1] == OTHERS and len(table.coded(name).labels) > len(one.labels)
    codes = {label: at for at, label in enumerate(one.labels[:-1] if rest else one.labels)}
    default = str(len(one.labels) - 1) if rest else "None"
    own = text(name, table)
    found = f"{own}.replace_strict({codes!r}, default={default}, return_dtype=pl.Int64)"
    return f"pl.when({column(name)}.is_not_null()).then({found})"


def _sets(made: Made) -> list[str]:
    """Return the code that says which rows stay in one fold."""
    if made.stretches is not None:
        name = made.stretches.name
        return [
            "# what is next to a row in time tells it: stretches of time are kept together",
            f"order = np.argsort(some[{name!r}].to_numpy(), kind='stable')",
            "sets = np.empty(len(some), dtype=np.int64)",
            f"sets[order] = np.arange(len(some)) * {int(made.matrix.sets.max()) + 1} // len(some)",
        ]
    if made.together is None:
        return ["sets = np.arange(len(some))"]
    one = made.together
    if one.kind.temporal:
        name = column(one.name)
        kept = (
            f"({name}.dt.offset_by('-{from_noon(one) // 3600:.0f}h').dt.date())" if from_noon(one) else name
        )
    else:
        kept = column(one.name)
    return [
        f"# rows of one {one.name!r} are kept together",
        f"sets = some.select({kept}.rank('dense').cast(pl.Float64)).to_series().to_numpy().copy()",
        "sets[np.isnan(sets)] = len(sets) + 1 + np.arange(np.isnan(sets).sum())",
        "sets = np.unique(sets, return_inverse=True)[1]",
    ]
