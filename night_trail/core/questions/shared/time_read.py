"""Questions about time, read from typed words: full sentences and short forms."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS, GrainName
from night_trail.core.question import Time
from night_trail.core.questions.cycle import answer as cycle_answer
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.cycle.sentence import CYCLE_SHAPES, PART_WORDS
from night_trail.core.questions.decomposition import answer as apart_answer
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.decomposition.sentence import APART_SHOW, WAY_WORDS
from night_trail.core.questions.forecast import answer as ahead_answer
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time import answer as over_answer
from night_trail.core.questions.over_time.answer import fitted
from night_trail.core.questions.over_time.question import Against, Level, OverTime
from night_trail.core.questions.over_time.sentence import SHAPE_WORDS, SHOW_WORDS, VIEW_WORDS
from night_trail.core.questions.shared.measure_slots import leading_measure
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS, MONTH_NAMES
from night_trail.core.table import Column, Table

_GRAINS = {
    **{word: grain for grain, word in GRAIN_WORDS.items()},
    **{f"by {grain}": grain for grain in GRAINS},
    "hourly": "hour", "daily": "day", "weekly": "week", "monthly": "month", "quarterly": "quarter",
    "yearly": "year", "over time": None,
}  # fmt: skip


_FOR_EACH = r"(?:a line )?(?:for each|by|across) "
_ROUNDS = {
    r"by (?:the )?(?:weekday|day of the week)": "week",
    r"by (?:the )?hour of (?:the )?day": "day",
    r"by (?:the )?month of (?:the )?year": "year",
}
"""Words for a cycle that begin like those for groups."""

_AHEAD = r"(?:going )?ahead|forecast(?!\w)"
_THROUGH = r"(?:run )?through (the day|the week|the year|the quarters)"
_BEGINS = "|".join((_AHEAD, _THROUGH, *_ROUNDS))


def read(body: str, table: Table) -> Time | None:  # noqa: C901  (one case a way of asking)
    """Return the question about time that words without their filter ask for; None where they ask for none.

    ``boardings by month as columns``, ``average late_min by week for each depot
    against the year before``, ``boardings through the week``, ``boardings taken
    apart``, ``boardings ahead``, and all full sentences.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as such a question.
    """
    if found := re.match(r"what are the trend and seasons of ", body, re.IGNORECASE):
        measure, rest = _measured(body[found.end() :], table)
        return _apart(measure, rest, table)
    if found := re.match(r"where is ", body, re.IGNORECASE):
        measure, rest = _measured(body[found.end() :], table, quiet=True)
        return _ahead(measure, re.sub(r"^going ", "", rest.strip()), table) if measure else None
    plain = re.sub(r"^how (?:did|does|do) ", "", body, flags=re.IGNORECASE)
    measure, rest = _measured(plain, table, quiet=True)
    if measure is None:
        return None
    rest = rest.strip(" ,")
    by = re.match(r"by ", rest, re.IGNORECASE)
    grouped, behind_it = take_column(rest[by.end() :], table) if by else (None, "")
    if grouped is not None:
        # groups first, then time: boardings by line over time; a column may be called like a step of time
        behind_it = behind_it.strip(" ,")
        if not re.match(_BEGINS, behind_it, re.IGNORECASE) and _grain(behind_it)[1] is None:
            return None
        rest = f"{behind_it}, for each {grouped.name}"
    if found := re.match(r"(?:taken apart|apart)", rest, re.IGNORECASE):
        return _apart(measure, rest[found.end() :], table)
    if found := re.match(_AHEAD, rest, re.IGNORECASE):
        return _ahead(measure, rest[found.end() :], table)
    if found := re.match(_THROUGH, rest, re.IGNORECASE):
        part = next(p for p, words in PART_WORDS.items() if words == found[1].lower())
        return _cycle(measure, part, rest[found.end() :], table)
    for words, part in _ROUNDS.items():
        if found := re.match(rf"{words}(?!\w)", rest, re.IGNORECASE):
            return _cycle(measure, part, rest[found.end() :], table)
    more: list[Measure] = []
    while another := re.match(r"(?:,|and)\s+", rest, re.IGNORECASE):
        next_one, behind = _measured(rest[another.end() :], table, quiet=True)
        if next_one is None:
            break
        more.append(next_one)
        rest = behind.strip()
    rest = re.sub(r"^change ", "", rest, flags=re.IGNORECASE)
    grain, behind = _grain(rest)
    if behind is None:
        return None
    question = OverTime(measure, _time(table).name, grain, more=tuple(more[:4]))
    return _finished(question, behind, table)


def _measured(text: str, table: Table, quiet: bool = False) -> Any:
    """Return the measure a text begins with, the plainest where only a column is named, and the rest."""
    found = leading_measure(text, table)
    if found is not None:
        return found
    column, rest = take_column(text, table)
    if column is not None and not column.kind.temporal:
        return first_measure(column), rest
    if quiet:
        return None, text
    raise BadQuestion(f"“{text}” does not begin with a measure", "", "Write it like: sum of boardings.")


def _grain(rest: str) -> tuple[GrainName | None, str | None]:
    for words in sorted(_GRAINS, key=len, reverse=True):
        if re.match(rf"{words}(?!\w)", rest, re.IGNORECASE):
            return cast(Any, _GRAINS[words]), rest[len(words) :]
    return None, None


def _time(table: Table) -> Column:
    found = time_column(table)
    if found is None:
        raise BadQuestion("The table has no column of dates", table.name, "Read one as dates first.")
    return found


def _cycle(measure: Measure, part: str, rest: str, table: Table) -> Cycle:
    question = Cycle(measure, _time(table).name, cast(Any, part))
    while rest := rest.strip(" ,"):
        if found := re.match(r"in each year", rest, re.IGNORECASE):
            question, rest = replace(question, years=True), rest[found.end() :]
        elif found := re.match(r"by the clock of (\S+?)(?=,|$| )", rest, re.IGNORECASE):
            question, rest = replace(question, zone=found[1]), rest[found.end() :]
        elif found := re.match(_FOR_EACH, rest, re.IGNORECASE):
            column, rest = _column(rest[found.end() :], table)
            question = replace(question, split=column)
        else:
            shape, rest = _shape(rest, CYCLE_SHAPES)
            question = replace(question, shape=cast(Any, shape))
    cycle_answer.check(question, table)
    return question


def _column(text: str, table: Table) -> tuple[str, str]:
    column, rest = take_column(text, table)
    if column is None:
        raise BadQuestion(f"“{text}” is not a column", table.name, "Name a column of the table.")
    return column.name, rest


def _shape(rest: str, words: dict[str, str]) -> tuple[str, str]:
    for shape, said in sorted(words.items(), key=lambda s: -len(s[1])):
        bare = re.sub(r"^(?:an?) ", "", said)
        if found := re.match(rf"(?:drawn |shown )?as (?:an? )?{re.escape(bare)}(?!\w)", rest, re.IGNORECASE):
            return shape, rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", f"Try: as {next(iter(words.values()))}.")


def _apart(measure: Measure, rest: str, table: Table) -> Decomposition:
    question = Decomposition(measure, _time(table).name)
    while rest := rest.strip(" ,"):
        grain, behind = _grain(rest)
        if behind is not None:
            question, rest = replace(question, grain=grain), behind
            continue
        for way, words in WAY_WORDS.items():
            if rest.lower().startswith(words):
                question, rest = replace(question, way=cast(Any, way)), rest[len(words) :]
                break
        else:
            if rest.lower().startswith("as fits"):
                rest = rest[len("as fits") :]
                continue
            show, rest = _shape(rest, {k: w.removeprefix("the ") for k, w in APART_SHOW.items()} | APART_SHOW)
            question = replace(question, show=cast(Any, show))
    apart_answer.check(question, table)
    return question


def _ahead(measure: Measure, rest: str, table: Table) -> Forecast:
    question = Forecast(measure, _time(table).name)
    units = "|".join(GRAINS)
    while rest := rest.strip(" ,"):
        grain, behind = _grain(rest)
        if behind is not None:
            question, rest = replace(question, grain=grain), behind
        elif found := re.match(rf"(?:over )?(?:the )?next (\d{{1,3}}) ({units})s?", rest, re.IGNORECASE):
            question = replace(
                question, horizon=int(found[1]), grain=question.grain or cast(Any, found[2].lower())
            )
            rest = rest[found.end() :]
        elif found := re.match(r"(?:over )?(?:the )?next (?:periods|(\d{1,3}))", rest, re.IGNORECASE):
            question = replace(question, horizon=int(found[1]) if found[1] else None)
            rest = rest[found.end() :]
        elif found := re.match(r"with ([\d %,and]+?) bands?", rest, re.IGNORECASE):
            bands = tuple(sorted({int(b) for b in re.findall(r"\d+", found[1])} & {50, 80, 95}))
            question, rest = replace(question, bands=cast(Any, bands or (80, 95))), rest[found.end() :]
        elif found := re.match(_FOR_EACH, rest, re.IGNORECASE):
            column, rest = _column(rest[found.end() :], table)
            question = replace(question, split=column)
        elif found := re.match(r"against ", rest, re.IGNORECASE):
            column, rest = _column(rest[found.end() :], table)
            question = replace(question, plan=column)
        elif found := re.match(r"knowing ", rest, re.IGNORECASE):
            column, rest = _column(rest[found.end() :], table)
            question = replace(question, known=column)
        else:
            raise BadQuestion(f"“{rest}” was not understood", "", "Try: over the next 12 months.")
    ahead_answer.check(question, table)
    return question


def _finished(question: OverTime, rest: str, table: Table) -> OverTime:
    """Read the clauses behind the grain."""
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    question = fitted(question)
    over_answer.check(question, table)
    return question


def _clause(question: OverTime, rest: str, table: Table) -> tuple[OverTime, str]:  # noqa: C901  (one case a clause, in the order they are tried)
    if found := re.match(r"by the clock of (\S+?)(?=,|$| )", rest, re.IGNORECASE):
        return replace(question, zone=found[1]), rest[found.end() :]
    if found := re.match(_FOR_EACH, rest, re.IGNORECASE):
        grain, behind = _grain(rest) if question.grain is None else (None, None)
        if behind is not None and take_column(rest[found.end() :], table)[0] is None:
            return replace(question, grain=grain), behind  # over time, by month
        column, behind = _column(rest[found.end() :], table)
        return replace(question, split=column), behind
    if found := re.match(r"against (?:the )?(period|year) (?:before|earlier)", rest, re.IGNORECASE):
        kind = "before" if found[1].lower() == "period" else "year"
        return replace(question, against=Against(cast(Any, kind))), rest[found.end() :]
    if found := re.match(r"against ", rest, re.IGNORECASE):
        column, behind = _column(rest[found.end() :], table)
        return replace(question, against=Against("column", column)), behind
    if found := re.match(r"the difference (as it is|relative to it)", rest, re.IGNORECASE):
        show = {w: k for k, w in SHOW_WORDS.items()}[found[1].lower()]
        if question.against is None:
            raise BadQuestion("There is no difference to show", "against", "Hold it against the year before.")
        against = replace(question.against, show=cast(Any, show))
        return replace(question, against=against), rest[found.end() :]
    if found := re.match(r"as a rolling mean(?: of (\d{1,3}) \w+)?", rest, re.IGNORECASE):
        window = int(found[1] or 3)
        return replace(question, view="rolling", window=window), rest[found.end() :]
    for view, words in VIEW_WORDS.items():
        if view != "plain" and rest.lower().startswith(words):
            return replace(question, view=cast(Any, view)), rest[len(words) :]
    if found := re.match(r"(?:with|and|,) ?(?:the )?(mean|median)(?!\w)", rest, re.IGNORECASE):
        levels = (*question.levels, Level(cast(Any, found[1].lower())))
        return replace(question, levels=levels), rest[found.end() :]
    if found := re.match(r"(?:with|and|,) ?the ([\d.]+)(?:th|st|nd|rd) percentile", rest, re.IGNORECASE):
        return replace(
            question, levels=(*question.levels, Level("percentile", real(found[1], "levels")))
        ), rest[found.end() :]
    if found := re.match(r"(?:with|and|,) ?a target of ([-−\d.,]+)", rest, re.IGNORECASE):
        at = real(found[1].rstrip(".,"), "levels")
        return replace(question, levels=(*question.levels, Level("target", at))), rest[found.end() :]
    if found := re.match(r"under way until ", rest, re.IGNORECASE):
        column, behind = _column(rest[found.end() :], table)
        return replace(question, until=column), behind
    if found := re.match(rf"with years from ({'|'.join(MONTH_NAMES)})", rest, re.IGNORECASE):
        start = MONTH_NAMES.index(found[1].capitalize()) + 1
        return replace(question, year_start=start), rest[found.end() :]
    if found := re.match(r"the largest (\d{1,2}) kept", rest, re.IGNORECASE):
        return replace(question, keep=int(found[1])), rest[found.end() :]
    if found := re.match(r"with ", rest, re.IGNORECASE):
        marked, behind = take_column(rest[found.end() :], table)
        if marked is not None and (end := re.match(r"marked", behind, re.IGNORECASE)):
            return replace(question, bands=marked.name), behind[end.end() :]
    shape, behind = _shape(rest, SHAPE_WORDS)
    points = re.match(r" with points", behind)
    behind = behind[points.end() :] if points else behind
    return replace(question, shape=cast(Any, shape), points=points is not None), behind
