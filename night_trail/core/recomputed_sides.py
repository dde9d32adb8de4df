"""Plain code for rows held against others: in which columns they differ, and what stands out among them."""

from __future__ import annotations

from night_trail.core.plain_code import Untold, column, expression
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.words import title
from night_trail.core.table import Table

MOST = 200
"""So many values of columns are written out."""


def differing(answer: DifferAnswer, table: Table) -> list[str]:
    """Return the code for the share of each value on either side, in the columns that differ."""
    asked = answer.question
    if answer.looked != answer.n:
        raise Untold("of so many rows a part was looked at")
    if not answer.found:
        raise Untold("in no column do they differ beyond chance")
    ones = f"{expression(asked.ones, table)}.fill_null(False)"
    others = (
        "~ones" if asked.others is None else f"{expression(asked.others, table)}.fill_null(False) & ~ones"
    )
    first = "ones" if asked.others is None else f"ones & ~{expression(asked.others, table)}.fill_null(False)"
    shares = [
        f"    ({one.name!r}, {share.label!r}, {expression(share.condition, table)}, "
        f"{'pl.lit(True)' if one.of_missing else column(one.column.name) + '.is_not_null()'}),"
        for one in answer.found
        for share in one.shares
        if share.condition is not None
    ]
    return [
        f"ones = {ones}",
        f"sides = {{'share of these': rows.filter({first}), 'share of the others': rows.filter({others})}}",
        *(["# the columns that differ most"] if len(shares) > MOST else []),
        "values = [",
        *shares[:MOST],
        "]",
        "found = pl.DataFrame(",
        "    [",
        "        {'column': name, 'value': value}",
        "        | {side: some.filter(there).select(has.mean()).item() for side, some in sides.items()}",
        "        for name, value, has, there in values",
        "    ]",
        ")",
    ]


def standing_out(answer: StandsAnswer, table: Table) -> list[str]:
    """Return the code that counts the rows of each finding by what names them."""
    named, apart = [], 0
    for one in answer.findings:
        try:
            said = expression(one.condition, table)
        except Untold:
            apart += 1
            continue
        named.append(f"    ({title(one)!r}, {list(one.columns)!r}, {said}),")
    if not named:
        raise Untold("nothing that a condition names stands out")
    return [
        *([f"# {apart} more are named by what other rows hold, and not by a condition"] if apart else []),
        "findings = [",
        *named,
        "]",
        "found = pl.DataFrame(",
        "    [",
        "        {'what': what, 'columns': ', '.join(names), 'rows': rows.filter(which).height}",
        "        for what, names, which in findings",
        "    ]",
        ")",
    ]
