"""Plain code for what lies between groups: changes, flows, pairs of categories, correlations."""

from __future__ import annotations

from collections.abc import Sequence

from night_trail.core.plain_code import Untold, column, each_group, expression, figure, grouped, present, text
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.changed.segments import MOST_PARTS
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.table import Column, Table


def _named(names: Sequence[str], table: Table) -> str:
    """Return columns as texts, each under its own name."""
    return ", ".join(text(name, table) for name in names)


def _by_values(columns: list[Column]) -> None:
    if any(one.kind.measured for one in columns):
        raise Untold("its groups are bands")


def changed(answer: ChangedAnswer, table: Table) -> list[str]:
    """Return the code for the figure of each part on both sides, and their difference."""
    asked, parts = answer.question, [table.column(name) for name in answer.chosen]
    _by_values(parts)
    if not parts or any(one.distinct > MOST_PARTS for one in parts):
        raise Untold("it has no parts, or so many that most are gathered")
    needed, said = figure(asked.measure, table)
    nothing = ".fill_null(0)" if answer.adds_up else ""
    return [
        f"before = {expression(asked.before, table)}.fill_null(False)",
        f"after = {expression(asked.after, table)}.fill_null(False)",
        f"parts = [{_named(answer.chosen, table)}]",
        "sides = [",
        f"    rows.filter(one & ~other){present(needed)}.group_by(parts)",
        f"    .agg(pl.len().alias(f'rows {{name}}'), {said}.alias(name))",
        "    for name, one, other in (('before', before, after), ('after', after, before))",
        "]",
        f"found = sides[0].join(sides[1], on={list(answer.chosen)!r}, how='full', coalesce=True, "
        "nulls_equal=True)",
        "found = found.with_columns(pl.col('rows before', 'rows after').fill_null(0), "
        f"pl.col('before', 'after'){nothing})",
        "found = found.with_columns((pl.col('after') - pl.col('before')).alias('difference'))"
        ".sort(pl.col('difference').abs(), descending=True)",
    ]


def flowed(answer: FlowAnswer, table: Table) -> list[str]:
    """Return the code for what goes from each group to each of the next station, none gathered."""
    asked = answer.question
    needed, said = figure(asked.measure, table)
    gathered = any(group.others for station in answer.stations for group in station.grouping.groups)
    stations = ", ".join(
        f"({one.column.name!r}, {each_group(one.grouping, table)})" for one in answer.stations
    )
    return [
        *(["# small groups are gathered in the picture; here each stands by itself"] if gathered else []),
        f"stations = [{stations}]",
        "found = pl.concat(",
        "    [",
        f"        rows{present(needed)}",
        "        .group_by(one.alias('group'), other.alias('group there'))",
        f"        .agg(pl.len().alias('rows'), {said}.alias('figure'))",
        "        .select(pl.lit(here).alias('from'), 'group', pl.lit(there).alias('to'), "
        "'group there', 'rows', 'figure')",
        "        for (here, one), (there, other) in zip(stations, stations[1:])",
        "    ]",
        ").sort('rows', descending=True)",
    ]


def crossed(answer: CrosstabAnswer, table: Table) -> list[str]:
    """Return the code for the rows of each pair of values, and how many chance would give."""
    names = [answer.column.name, answer.against.name]
    keys = [
        f"({grouped(one, table)}).alias({name!r})"
        for one, name in zip((answer.rows, answer.columns), names, strict=True)
    ]
    return [
        "found = (",
        f"    rows{present(names)}",
        f"    .group_by({', '.join(keys)})",
        "    .agg(pl.len().alias('count'))",
        "    .with_columns(",
        f"        (pl.col('count').sum().over({column(names[0])}) * pl.col('count').sum()"
        f".over({column(names[1])}) / pl.col('count').sum()).alias('by chance')",
        "    )",
        "    .sort('count', descending=True)",
        ")",
    ]


def correlated(answer: CorrelationAnswer) -> list[str]:
    """Return the code for the correlation of each pair, over the rows that have both."""
    if any(one.kind.temporal for one in answer.columns):
        raise Untold("one of its columns is a time")
    method = "spearman" if answer.question.by == "rank" else "pearson"
    return [
        f"names = {[one.name for one in answer.columns]!r}",
        "pairs = [(a, b) for i, a in enumerate(names) for b in names[i + 1 :]]",
        "both = [rows.drop_nulls([a, b]) for a, b in pairs]",
        "found = pl.DataFrame(",
        "    {",
        "        'one': [a for a, _ in pairs],",
        "        'other': [b for _, b in pairs],",
        "        'correlation': [",
        f"            pl.DataFrame({{'a': some[a], 'b': some[b]}})"
        f".select(pl.corr('a', 'b', method={method!r})).item()",
        "            for some, (a, b) in zip(both, pairs)",
        "        ],",
        "        'rows': [len(some) for some in both],",
        "    }",
        ")",
    ]
