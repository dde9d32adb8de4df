"""Plain code for how columns are spread: bins, quartiles, how often values occur, and pairs of numbers."""

from __future__ import annotations

from night_trail.core.plain_code import Untold, by_groups, grouped, on_axis, present, text
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.table import Column, Table


def _at(figure: str, one: Column) -> str:
    """Return a figure of a column's axis in code as the column has it: of dates as a moment."""
    return f"pl.from_epoch(({figure} * 1e6).cast(pl.Int64), time_unit='us')" if one.kind.temporal else figure


def _quartiles(one: Column, names: tuple[str, str, str]) -> list[str]:
    axis = on_axis(one)
    figures = (
        f"{axis}.quantile(0.25, interpolation='linear')",
        f"{axis}.median()",
        f"{axis}.quantile(0.75, interpolation='linear')",
    )
    return [f"{_at(made, one)}.alias({name!r})" for made, name in zip(figures, names, strict=True)]


def spread(
    answer: HistogramAnswer | CurvesAnswer | StripAnswer | AnglesAnswer, lit: bool, table: Table
) -> list[str]:
    """Return the code for quartiles, mean and count, of each group where there are groups."""
    one = table.column(answer.question.column)
    figures = [
        *_quartiles(one, ("lower quartile", "middle", "upper quartile")),
        f"{_at(f'{on_axis(one)}.mean()', one)}.alias('average')",
        "pl.len().alias('count')",
        *(["lit.sum().alias('lit')"] if lit else []),
    ]
    lines = [f"values = rows{present([one.name])}", *_of_each(answer.grouping, figures, "values", table)]
    return lines + (_bins(answer, one, table) if isinstance(answer, HistogramAnswer) else [])


def _of_each(found: Grouping, figures: list[str], rows: str, table: Table) -> list[str]:
    """Return the code that leaves figures in ``found``: of all rows, or of each group."""
    said = [f"    {one}," for one in figures]
    if found.column is None:
        return [f"found = {rows}.select(", *said, ")"]
    key = f"({grouped(found, table)}).alias('group')"
    return [f"found = {rows}{present([found.column.name])}.group_by({key}).agg(", *said, ")"]


def _bins(answer: HistogramAnswer, one: Column, table: Table) -> list[str]:
    """Return the code that counts each bin, what lies beyond the first and the last beside them."""
    if answer.question.scale == "log":
        return []
    edges = [float(edge) for edge in answer.edges]
    names = ["bin"] if answer.grouping.column is None else ["group", "bin"]
    group = answer.grouping.column
    apart = "" if group is None else f", ({grouped(answer.grouping, table)}).alias('group')"
    kept = present([group.name]) if group is not None else ""
    return [
        "# bins hold their lower end, the last its upper end too; 0 and the highest lie beyond them",
        f"edges = {edges!r}",
        f"at = values{kept}.select({on_axis(one)}.alias('bin'){apart})",
        "place = at['bin'].to_numpy()",
        "bin = np.searchsorted(edges, place, side='right') - (place == edges[-1])",
        f"bins = at.with_columns(pl.Series('bin', bin)).group_by({names!r}).len().sort({names!r})",
        "print(bins)",
    ]


def boxes(answer: BoxesAnswer, table: Table) -> list[str]:
    """Return the code for the quartiles of each box."""
    one = table.column(answer.question.column)
    figures = [
        "pl.len().alias('count')",
        *_quartiles(one, ("q1", "median", "q3")),
        *(["lit.sum().alias('lit')"] if answer.basis.lit is not None else []),
    ]
    lines = _of_each(answer.grouping, figures, f"rows{present([one.name])}", table)
    return (
        lines if answer.grouping.column is None else [*lines, "found = found.sort('median', descending=True)"]
    )


def bars(answer: BarsAnswer, lit: bool, table: Table) -> list[str]:
    """Return the code for how often each value occurs."""
    counted = ", lit.sum().alias('lit')" if lit else ""
    key = f"({grouped(answer.grouping, table)}).alias('group')"
    return by_groups(
        [answer.question.column], [key], f"pl.len().alias('count'){counted}", "'count', descending=True"
    )


def related(answer: RelateAnswer, table: Table) -> list[str]:
    """Return the code for how two numbers move together, as they are."""
    asked = answer.question
    x, y = table.column(asked.against), table.column(asked.column)
    if asked.window or asked.scale != "plain":
        raise Untold("an axis is on a log scale, or zoomed")
    apart = [] if asked.panels is None else [asked.panels]
    key = "" if asked.panels is None else f", {text(asked.panels, table)}.alias('group')"
    figures = [
        "    pl.len().alias('rows'),",
        "    pl.corr('x', 'y').alias('correlation'),",
        "    pl.corr('x', 'y', method='spearman').alias('rank correlation'),",
        "    (pl.cov('x', 'y') / pl.col('x').var()).alias('slope'),",
    ]
    return [
        f"pairs = rows{present([x.name, y.name, *apart])}"
        f".select({on_axis(x)}.alias('x'), {on_axis(y)}.alias('y'){key})",
        "found = pairs.group_by('group').agg(" if apart else "found = pairs.select(",
        *figures,
        ")",
    ]
