"""A change, read from typed words."""

from __future__ import annotations

import re

from night_trail.core.conditions import Between, Condition, Not, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, parts_from_words
from night_trail.core.questions.changed.answer import check
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.shared.left_out import read_left_out
from night_trail.core.questions.shared.time_read import measured, time_of
from night_trail.core.table import Table

_BEGINS = re.compile(r"why (?:did|does|do|has|have|is) ", re.IGNORECASE)
_TIMED = re.compile(
    r"(?:rise|fall|drop|grow|change|rose|fell|changed|go up|go down|increase|decrease) "
    r"from (?P<before>.+?) to (?P<after>.+?)"
    r"(?:,? by (?P<by>.+))?$",
    re.IGNORECASE,
)
_ROWS = re.compile(
    r"differ between .{1,60}? where (?P<after>.+?) and (?:the rest|those where (?P<before>.+?))"
    r"(?:, by (?P<by>.+))?$",
    re.IGNORECASE,
)


def read(body: str, table: Table) -> Changed | None:
    """Return the change words ask for: ``why did boardings fall from February 2023 to March 2023``."""
    begins = _BEGINS.match(body)
    if begins is None:
        return None
    measure, rest = measured(body[begins.end() :], table, quiet=True)
    if measure is None:
        return None
    rest = rest.strip(" ,")
    if found := _ROWS.match(rest):
        after = joined_all(*parts_from_words(found["after"], table))
        rest = found["before"] is None
        sides = [Not(after) if rest else joined_all(*parts_from_words(found["before"], table)), after]
    elif found := _TIMED.match(rest):
        sides = [_period(found[s], table) for s in ("before", "after")]
    else:
        return None
    by = read_left_out(found["by"], table) if found["by"] else ()
    if len(by) > 2:
        raise BadQuestion(f"A change is cut by one column or two, not {len(by)}", "by", "Name two of them.")
    question = Changed(measure, sides[0], sides[1], by)
    check(question, table)
    return question


def _period(text: str, table: Table) -> Condition:
    """Return a period by its name, or a condition in words."""
    when = time_of(table)
    if when.yearly and re.fullmatch(r"\d{4}", text.strip()):
        return Between(when.name, float(text), float(text) + 1)
    try:
        return from_words(f"{when.name} in {text}", table)
    except BadQuestion:
        return from_words(text, table)
