"""A calculated column by example: from a few wanted results to the expression that gives them.

Candidates are small text expressions over one column: pieces between
separators, words, numbers, letters at either end, cases, numbers read from
text, parts of dates. Those that give every wanted result are ranked by how
many other rows they give a result for, and by how short they are.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from night_trail.core.errors import BadQuestion
from night_trail.core.recipe.sql import compile_sql, quoted
from night_trail.core.recipe.sql_words import BadExpression
from night_trail.core.table import Kind, Table, as_text

MOST_TRIED = 4_000
_SEPARATORS = [" ", ", ", ",", "; ", ";", ": ", ":", " - ", "-", "_", "/", "|", ".", "@", "(", ")", "#"]
_DATE_PARTS = ["YEAR", "QUARTER", "MONTH", "WEEK", "DAY", "ISODOW", "HOUR", "MINUTE"]


def by_example(table: Table, column: str, wanted: dict[int, str]) -> list[str]:  # noqa: C901  (one case a way of making)
    """Return SQL expressions that give the wanted results, the best first.

    Parameters
    ----------
    table, column
        Where the results come from.
    wanted
        The wanted result, as text, by row.

    Raises
    ------
    BadQuestion
        Where fewer than two results are wanted, or none of the candidates gives them.
    """
    wanted = {row: text.strip() for row, text in wanted.items() if text.strip()}
    if len(wanted) < 2:
        raise BadQuestion("Two wanted results are needed", column, "Type what two of the rows should give.")
    if any(not 0 <= row < table.height for row in wanted):
        raise BadQuestion("There is no such row", column, "Choose rows of the table.")
    found = table.column(column)
    cells = table.series(column)
    rows = list(wanted)
    given = as_text(cells.gather(rows)).to_list()
    if any(text is None for text in given):
        raise BadQuestion("A chosen row has no cell to start from", column, "Choose rows that have one.")
    name = quoted(column)
    seen: set[str] = set()
    fitting: list[tuple[int, int, str, int]] = []
    head = cells.head(500)
    present = int(head.is_not_null().sum())
    for tried, (cost, sql) in enumerate(_candidates(name, found.kind, given, list(wanted.values()))):
        if tried > MOST_TRIED:
            break
        if sql in seen:
            continue
        seen.add(sql)
        try:
            compiled = compile_sql(sql, table)
            results = compiled.over({column: cells.gather(rows)}, len(rows))
        except BadExpression:
            continue
        if all(map(_same, as_text(results).to_list(), wanted.values())):
            elsewhere = compiled.over({column: head}, len(head))
            uncovered = (present - int(elsewhere.is_not_null().sum())) / max(present, 1)
            fitting.append((round(10 * uncovered), cost, sql, hash(tuple(as_text(elsewhere)))))
    if not fitting:
        raise BadQuestion(
            "No expression was found that gives these results", column, "Check them, or write the expression."
        )
    # the least cost is what the fewest assumptions explain; another is of use where it gives other results
    best: dict[int, str] = {}
    for _, _, sql, gives in sorted(fitting):
        best.setdefault(gives, sql)
    return list(best.values())[:5]


def _same(got: str | None, wanted: str) -> bool:
    if got is None:
        return False
    if got == wanted:
        return True
    try:
        return float(got) == float(wanted.replace(",", ""))
    except ValueError:
        return False


def _candidates(name: str, kind: Kind, given: list[str], wanted: list[str]) -> Iterator[tuple[int, str]]:
    if kind.temporal:
        for i, part in enumerate(_DATE_PARTS):
            yield i, f"EXTRACT({part} FROM {name})"
        for i, unit in enumerate(("year", "month", "week", "day")):
            yield 10 + i, f"DATE_TRUNC('{unit}', {name})"
        return
    if kind.numeric:
        for digits in range(-3, 4):
            yield abs(digits), f"ROUND({name}, {digits})"
        yield 4, f"FLOOR({name})"
        name = f"CAST({name} AS TEXT)"
    numbers = all(re.fullmatch(r"[-+]?[\d,]*\.?\d+", text) for text in wanted)
    for cost, sql in _pieces(name, given, wanted):
        if numbers:
            yield (
                cost + 1,
                f"CAST(REPLACE({sql}, ',', '') AS DOUBLE)"
                if any("," in w for w in wanted)
                else f"CAST({sql} AS DOUBLE)",
            )
            yield cost + 3, sql
            continue
        for trimmed, inner in ((0, sql), (2, f"TRIM({sql})")):
            yield cost + trimmed, inner
            for case in ("UPPER", "LOWER", "INITCAP"):
                yield cost + trimmed + 2, f"{case}({inner})"


def _pieces(name: str, given: list[str], wanted: list[str]) -> Iterator[tuple[int, str]]:  # noqa: C901  (one case a piece)
    yield 0, name
    for at in range(1, 5):
        for separator in _SEPARATORS:
            if separator in given[0]:
                quoted_separator = separator.replace("'", "''")
                yield 2 + at, f"SPLIT_PART({name}, '{quoted_separator}', {at})"
                if at <= 2:
                    yield 4 + at, f"SPLIT_PART({name}, '{quoted_separator}', -{at})"
    for at in range(3):
        skip = r"(?:\D*\d[\d,.]*)" * at
        yield 5 + 2 * at, rf"REGEXP_EXTRACT({name}, '^{skip}\D*?([-+]?\d[\d,]*(?:\.\d+)?)', 1)"
    yield 6, rf"REGEXP_EXTRACT({name}, '([A-Za-z]+)', 1)"
    yield 7, rf"REGEXP_EXTRACT({name}, '([A-Za-z]+)\W*$', 1)"
    yield 6, rf"REGEXP_EXTRACT({name}, '(\d+)\D*$', 1)"
    yield 8, rf"REGEXP_EXTRACT({name}, '\(([^)]*)\)', 1)"
    yield 8, rf"REGEXP_EXTRACT({name}, '\[([^\]]*)\]', 1)"
    # two cuts, one within the other: the domain of an address, the street of a line
    for first in _SEPARATORS:
        if first in given[0]:
            for second in _SEPARATORS:
                if second != first and second in given[0]:
                    for a, b in ((1, 1), (2, 1), (-1, 1), (1, -1), (2, 2)):
                        one, two = first.replace("'", "''"), second.replace("'", "''")
                        yield (
                            9 + abs(a) + abs(b),
                            f"SPLIT_PART(SPLIT_PART({name}, '{one}', {a}), '{two}', {b})",
                        )
    # a result that is shorter may have lost a space at its end
    length = max(map(len, wanted))
    if length - min(map(len, wanted)) <= 1:
        yield 6, f"LEFT({name}, {length})"
        yield 6, f"RIGHT({name}, {length})"
        for start in range(2, 12):
            yield 7 + start, f"SUBSTRING({name}, {start}, {length})"
