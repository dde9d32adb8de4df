"""Plain code for units in a tree or on their way, for places, and for effects with others held fixed."""

from __future__ import annotations

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.plain_code import Untold, by_groups, column, expression, figure, present, text
from night_trail.core.questions.held.answer import MOST_ROWS, HeldAnswer
from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.stages.answer import StagesAnswer
from night_trail.core.table import Column, Table

ONE = "pl.lit(1)"


def _sums(measure: Measure, table: Table) -> tuple[list[str], str, str]:
    """Return the columns that must be there, what is summed, and what that is divided by."""
    name = measure.column
    match measure.aggregate:
        case "count":
            return [], "pl.len()", ONE
        case "share" if measure.where is not None:
            return [], f"{expression(measure.where, table)}.sum()", "pl.len()"
        case "ratio" if name is not None and measure.per is not None:
            return [name, measure.per], f"{column(name)}.sum()", f"{column(measure.per)}.sum()"
        case _ if name is None:
            raise Untold("the measure has no column")
    needed, _ = figure(measure, table)
    return needed, f"{column(name)}.sum()", ONE if measure.aggregate == "sum" else "pl.len()"


def belonging(answer: KinAnswer, table: Table) -> list[str]:
    """Return the code that adds what each unit has to all who stand above it."""
    asked = answer.question
    if answer.circle or answer.several:
        raise Untold("some units stand in a circle, or under several")
    needed, summed, below = _sums(asked.measure, table)
    by = "part" if below == ONE else "part / whole if whole else None"
    whole = f"{below}.first()" if below == ONE else below
    unit, above = text(asked.unit, table), text(asked.above, table)
    return [
        f"pairs = table.select({unit}.alias('unit'), {above}.alias('above')).drop_nulls().unique()",
        "above = {unit: other for unit, other in pairs.iter_rows() if unit != other}",
        "own = (",
        f"    rows{present([asked.unit, *needed])}",
        f"    .group_by({unit}.alias('unit'))",
        f"    .agg(pl.len().alias('rows'), {summed}.alias('part'), {whole}.alias('whole'))",
        ")",
        "alone = {unit: figures for unit, *figures in own.iter_rows()}",
        f"names = set(table.select({unit}.alias('unit'))['unit'].drop_nulls()) | set(above.values())",
        "with_below = {name: [0, 0, 0] for name in names}",
        "for unit, figures in alone.items():",
        "    at = unit",
        "    while at is not None:",
        "        with_below[at] = [a + b for a, b in zip(with_below[at], figures)]",
        "        at = above.get(at)",
        "found = pl.DataFrame(",
        "    [",
        "        {'unit': name, 'rows': n, 'alone': own_figure, 'with all below': figure}",
        "        for name in sorted(names)",
        "        for _, part, whole in [alone.get(name, [0, 0, 0])]",
        f"        for own_figure in [{by}]",
        "        for n, part, whole in [with_below[name]]",
        f"        for figure in [{by}]",
        "    ],",
        "    infer_schema_length=None,",
        ").sort('with all below', descending=True, nulls_last=True)",
    ]


def gone_through(answer: StagesAnswer, table: Table) -> list[str]:
    """Return the code for how many units reach each stage, and how long the middle one of them took."""
    asked = answer.question
    timed = asked.time is not None
    needed = [asked.unit, asked.stage, *([asked.time] if asked.time is not None else [])]
    first = f"{column(asked.time)}.min()" if asked.time is not None else "pl.len()"
    long = (
        [
            "both = first.join(first, on='unit').filter(pl.col('place') + 1 == pl.col('place_right'))",
            "both = both.with_columns((pl.col('first_right') - pl.col('first')).alias('long'))",
            "took = both.filter(pl.col('long') >= pl.duration()).group_by(place='place_right').agg(",
            "    pl.len().alias('timed'), pl.col('long').dt.total_seconds(fractional=True).median() / 86_400",
            ")",
        ]
        if timed
        else []
    )
    joined = ".join(took, on='place', how='left').sort('place')" if timed else ""
    return [
        f"stages = {[one.label for one in answer.stages]!r}",
        "first = (",
        f"    rows{present(needed)}",
        f"    .group_by({text(asked.unit, table)}.alias('unit'), {text(asked.stage, table)}.alias('stage'))",
        f"    .agg({first}.alias('first'))",
        "    .with_columns(pl.col('stage').replace_strict("
        "{name: at for at, name in enumerate(stages)}, return_dtype=pl.Int64).alias('place'))",
        ")",
        "furthest = first.group_by('unit').agg(pl.col('place').max())['place']",
        *long,
        "found = pl.DataFrame(",
        "    {",
        "        'place': range(len(stages)),",
        "        'stage': stages,",
        "        'reached': [(furthest >= at).sum() for at in range(len(stages))],",
        "    }",
        f"){joined}",
    ]


def lying(answer: PlaceAnswer, table: Table) -> list[str]:
    """Return the code for the figure of each name, or of each pair of coordinates."""
    asked, spots = answer.question, answer.spots
    needed, said = figure(asked.measure, table)
    several = any(isinstance(one, OneOf) and len(one.values) > 1 for one in spots.conditions)
    if (
        spots.wide
        or several
        or asked.window is not None
        or asked.country is not None
        or asked.onward is not None
    ):
        raise Untold("its rows are gathered by where they lie")
    if len(asked.at) == 2 and (asked.areas is not None or asked.shape == "areas"):
        raise Untold("its rows are gathered by where they lie")
    measured = len(asked.at) == 2
    names = [column(name) if measured else f"{text(name, table)}.alias({name!r})" for name in asked.at]
    figures = f"pl.len().alias('rows'), {said}.alias('figure')"
    return by_groups([*asked.at, *needed], names, figures, "'figure', descending=True")


def fixed(answer: HeldAnswer, table: Table) -> list[str]:
    """Return the code for the coefficients of the least-squares line through all its columns."""
    asked = answer.question
    columns = [table.column(name) for name in (asked.by, *answer.fixed)]
    if answer.logistic or asked.power > 1 or asked.product is not None:
        raise Untold("its model is of a yes/no, bends, or differs by another column")
    if not answer.fitted or answer.basis.used >= MOST_ROWS:
        raise Untold("its model was made of a part of the rows")
    named = [term.name for term in answer.terms]
    terms = ["pl.lit(1.0).alias('constant')"]
    for one in columns:
        if one.kind.temporal:
            raise Untold("one of its columns is a time")
        if one.kind.measured and not one.code:
            terms.append(
                f"({column(one.name)} - {column(one.name)}.mean()).cast(pl.Float64).alias({one.name!r})"
            )
        else:
            terms += _values(one, named, table)
    return [
        f"data = rows.drop_nulls({[asked.of, *(one.name for one in columns)]!r})",
        "terms = data.select(",
        *(f"    {term}," for term in terms),
        ")",
        f"target = data[{asked.of!r}].to_numpy()",
        "coefficients = np.linalg.lstsq(terms.to_numpy(), target, rcond=None)[0]",
        "found = pl.DataFrame({'column': terms.columns, 'coefficient': coefficients})",
    ]


def _values(one: Column, named: list[str], table: Table) -> list[str]:
    """Return a category's terms: one for each value but that with the most rows."""
    labels = table.coded(one.name).labels
    here = [f"{one.name} {label}" for label in labels if f"{one.name} {label}" in named]
    if len(here) < len(labels) - 1:
        raise Untold("values of a column are gathered")
    # the one that has no term of its own is what the others are held against
    own = text(one.name, table)
    return [f"({own} == {name[len(one.name) + 1 :]!r}).cast(pl.Float64).alias({name!r})" for name in here]
