"""What is said beside what stands out."""

from __future__ import annotations

import re
from collections.abc import Sequence

from night_trail.core.language.numbers import counted, listed
from night_trail.core.language.spans import Caution, Fact, Span, Words, shortened, spans
from night_trail.core.questions.stands.answer import LEAST_ROWS, StandsAnswer
from night_trail.core.questions.stands.found import Finding, Sort
from night_trail.core.table import Table

SPOKEN = 3

_TITLES: dict[Sort, str] = {
    "slip": "{0}: a slip by ten",
    "typed": "{0}: typed for want of a value",
    "rule": "{0}: breaks a rule",
    "block": "a block that stands twice",
    "again": "rows that stand twice",
    "peak": "{0}: a period off its course",
    "shift": "{0}: a new level",
    "gap": "{0}: a gap",
    "stuck": "{0}: stays the same",
    "odd": "{0}: odd beside {1}",
    "far": "{0}: far from all others",
    "rare": "{0}: hardly ever",
}

_LOOKED_FOR = (
    "values far from all others, slips by ten, stand-ins such as 999, odd pairs, broken rules, rows that "
    "stand twice, rare values, gaps, periods off their course"
)


def title(finding: Finding) -> str:
    """Return a finding's name beside its lane."""
    return titled(finding.sort, finding.columns)


def titled(sort: Sort, columns: Sequence[str]) -> str:
    """Return the name of a sort of finding in columns.

    >>> titled("odd", ["depot", "line"])
    'depot: odd beside line'
    """
    return _TITLES[sort].format(*columns, "", "")


def spoken_of(finding: Finding) -> tuple[str, ...]:
    """Return the columns that a finding's name tells of."""
    return finding.columns[: sum(f"{{{k}}}" in _TITLES[finding.sort] for k in range(2))]


def sort_from(said: str) -> tuple[Sort, tuple[str, ...]] | None:
    """Return the sort and the columns that a name tells of; None where it is none.

    >>> sort_from("depot: odd beside line")
    ('odd', ('depot', 'line'))
    """
    for sort, name in _TITLES.items():
        pattern = re.escape(name).replace(r"\{0\}", "(.+)").replace(r"\{1\}", "(.+)")
        if found := re.fullmatch(pattern, said):
            return sort, found.groups()
    return None


def stands_words(answer: StandsAnswer, table: Table) -> Words:
    """Return the words of what stands out."""
    where = answer.question.of or "the whole table"
    cautions = _cautions(answer, table)
    if answer.basis.used < LEAST_ROWS:
        text = "Among {n} nothing can be said to stand out: {k} are needed."
        few = table.rows_in_words(answer.basis.used)
        return Words(spans(text, n=few, k=f"{LEAST_ROWS}"), (), cautions)
    facts = tuple(
        Fact(f"stands:{f.key}", f"{table.row_noun[1]} where {title(f)}", float(f.n), f"{f.n:,}")
        for f in answer.findings
    )
    if not answer.findings:
        text = "Nothing {else_}stands out in {where}. Looked for: {what}."
        else_ = "else " if answer.aside else ""
        return Words(spans(text, else_=Span(else_), where=where, what=Span(_LOOKED_FOR)), facts, cautions)
    k = len(answer.findings) + answer.more
    verb = "stands" if k == 1 else "stand"
    head = spans(f"{{k}} {verb} out in {{where}}.", k=counted(k, "thing"), where=where)
    for i, finding in enumerate(answer.findings[:SPOKEN]):
        first = "It is" if k == 1 else "First" if i == 0 else "Then"
        head += spans(
            f" {first} {{title}} ({{n}}): {{here}}; {{usual}}.",
            title=Span(shortened(title(finding))),
            n=table.rows_in_words(finding.n),
            here=Span(shortened(finding.here)),
            usual=Span(shortened(finding.usual)),
        )
    return Words(head, facts, cautions)


def _cautions(answer: StandsAnswer, table: Table) -> tuple[str, ...]:
    made: list[str] = []
    if answer.findings:
        made.append(
            f"What stands out need not be wrong: look at its {table.row_noun[1]} before it is repaired."
        )
    if answer.more:
        are = "is" if answer.more == 1 else "are"
        made.append(f"{counted(answer.more, 'more thing')} of less weight {are} not shown.")
    if answer.aside:
        names = listed([shortened(title(f)) for f in answer.aside[:SPOKEN]])
        rest = len(answer.aside) - SPOKEN
        more = f" and {rest} more" if rest > 0 else ""
        first = answer.aside[0]
        made.append(
            Caution(
                f"Put aside on this trail: {names}{more}.",
                "take the first back" if len(answer.aside) > 1 else "take it back",
                turn="slot",
                slot="aside",
                value=first.key,
            )
        )
    return tuple(made)
