"""Plain code for what runs through time: lines, what they are held against, and rounds."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.moments import GrainName, when
from night_trail.core.plain_code import (
    PARTS,
    Untold,
    by_groups,
    column,
    expression,
    figure,
    grouped,
    moment,
    present,
)
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.stats.calendar import Calendar
from night_trail.core.table import Kind, Table

EVERY = {"hour": "1h", "day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
FILLED = (*ADDS_UP, "distinct")
"""What is 0 for a group without rows in a period in which others have some."""


def clock(name: str, zone: str | None) -> str:
    """Return a column of time in code, on the clock of a zone where there is one."""
    if zone is None:
        return column(name)
    there = f"dt.replace_time_zone('UTC').dt.convert_time_zone({zone!r})"
    return f"{column(name)}.{there}.dt.replace_time_zone(None)"


def begun(name: str, grain: GrainName, zone: str | None, table: Table) -> str:
    """Return in code when the period begins that a row lies in."""
    if table.column(name).yearly:
        return f"{column(name)}.cast(pl.Int64)"
    if grain == "hour" and zone is not None:
        raise Untold("its hours follow the clock of a zone")
    ends = ".cast(pl.Datetime('us'))" if grain == "hour" else ".cast(pl.Date)"
    return f"{clock(name, zone)}.dt.truncate({EVERY[grain]!r}){ends}"


def stretch(calendar: Calendar, first: int, end: int, yearly: bool) -> str:
    """Return all periods of a stretch of a calendar in code, as a frame with the column ``from``."""
    if calendar.year_start != 1:
        raise Untold("its years begin in another month")
    low, high = (_start(calendar, at, yearly) for at in (first, end))
    if yearly:
        made = f"pl.int_range({low}, {high}, eager=True)"
    else:
        ranged = "datetime_range" if calendar.grain == "hour" else "date_range"
        made = f"pl.{ranged}({low}, {high}, {EVERY[calendar.grain]!r}, closed='left', eager=True)"
    return f"{made}.alias('from').to_frame()"


def _start(calendar: Calendar, at: int, yearly: bool) -> str:
    """Return in code when a period of a calendar begins, of years the year."""
    seconds = float(calendar.clock[at])
    if yearly:
        return str(when(seconds).year)
    return moment(seconds, Kind.DATETIME if calendar.grain == "hour" else Kind.DATE)


def over_time(answer: OverTimeAnswer, table: Table) -> list[str]:
    """Return the code for a measure in each period, of groups, and what it is held against."""
    asked, calendar = answer.question, answer.calendar
    time = table.column(asked.time)
    if asked.until is not None:
        return _under_way(answer, table)
    at = f"{begun(asked.time, calendar.grain, asked.zone, table)}.alias('from')"
    split = answer.grouping.column
    keys = [at] if split is None else [f"({grouped(answer.grouping, table)}).alias('group')", at]
    names = [asked.time] if split is None else [asked.time, split.name]
    if asked.view == "plain" and not asked.more and asked.against is None:
        if calendar.year_start != 1:
            raise Untold("its years begin in another month")
        needed, said = figure(asked.measure, table)
        order = ["from"] if split is None else ["from", "group"]
        figures = f"pl.len().alias('rows'), {said}.alias('figure')"
        return by_groups([*names, *needed], keys, figures, repr(order))
    lines = [f"periods = {stretch(calendar, 0, calendar.n, time.yearly)}"]
    if split is not None:
        lines.append(
            f"groups = rows{present([split.name])}.select(({grouped(answer.grouping, table)}).alias('group'))"
            ".unique()"
        )
        lines.append("periods = periods.join(groups, how='cross')")
    by = ["from"] if split is None else ["group", "from"]
    lines.append(f"found = periods.sort({by!r})")
    for number, measure in enumerate(asked.measures, 1):
        called = "figure" if number == 1 else f"figure {number}"
        lines += _joined(measure, called, "rows", number == 1, names, keys, by, table)
        lines += _viewed(answer, called, split is not None)
    if asked.against is not None:
        lines += _held_against(answer, names, keys, by, table)
    return lines


def _joined(
    measure: Measure,
    called: str,
    rows: str,
    counted: bool,
    names: Sequence[str],
    keys: Sequence[str],
    by: Sequence[str],
    table: Table,
) -> list[str]:
    """Return the code that adds a measure to the periods in ``found``."""
    needed, said = figure(measure, table)
    count = "pl.len().alias('rows'), " if counted else ""
    lines = [
        f"one = {rows}{present([*names, *needed])}.group_by({', '.join(keys)})"
        f".agg({count}{said}.alias({called!r}))",
        f"found = found.join(one, on={list(by)!r}, how='left').sort({list(by)!r})",
    ]
    if "group" in by and measure.aggregate in FILLED:
        filled = f"pl.col({called!r}).fill_null(0)"
        lines += [
            "# nothing in one group is 0; nothing in any is not known",
            f"there = pl.col({called!r}).is_not_null().any().over('from')",
            f"found = found.with_columns(pl.when(there).then({filled}).alias({called!r}))",
        ]
    return lines


def _viewed(answer: OverTimeAnswer, called: str, apart: bool) -> list[str]:
    """Return the code that makes of a figure what the question wants to see."""
    asked, grain = answer.question, answer.calendar.grain
    name, each = f"pl.col({called!r})", ["group"] if apart else []
    match asked.view:
        case "plain":
            return []
        case "running":
            made = f"{name}.cum_sum()"
        case "to date" if not answer.time.yearly:
            each = [*each, "year"]
            year = "dt.iso_year()" if grain == "week" else "dt.year()"
            made = f"{name}.cum_sum()"
            over = [f"pl.col('from').{year}" if one == "year" else repr(one) for one in each]
            return [f"found = found.with_columns({made}.over({', '.join(over)}).alias({called!r}))"]
        case "rolling":
            made = f"{name}.rolling_mean({asked.window})"
        case "index":
            first = _ends_of_whole(answer)[0]
            made = f"100 * {name} / {name}.filter((pl.col('from') >= {first}) & {name}.is_not_null()).first()"
        case "per day" if grain != "hour" and not answer.time.yearly:
            made = (
                f"{name} / (pl.col('from').dt.offset_by({EVERY[grain]!r}) - pl.col('from')).dt.total_days()"
            )
        case _:
            raise Untold("its periods are evened out by their days")
    over_groups = f".over({each[0]!r})" if each else ""
    return [f"found = found.with_columns(({made}){over_groups}.alias({called!r}))"]


def _ends_of_whole(answer: OverTimeAnswer) -> tuple[str, str]:
    """Return in code when the first whole period begins, and the last."""
    whole = answer.whole.nonzero()[0]
    if not len(whole) or len(whole) != whole[-1] - whole[0] + 1:
        raise Untold("some of its periods are not over")
    first, last = (_start(answer.calendar, int(at), answer.time.yearly) for at in (whole[0], whole[-1]))
    return first, last


def _held_against(
    answer: OverTimeAnswer, names: Sequence[str], keys: Sequence[str], by: Sequence[str], table: Table
) -> list[str]:
    asked, apart = answer.question, "group" in by
    against = asked.against
    if against is None:
        return []
    first, last = _ends_of_whole(answer)
    whole = f"pl.col('from').is_between({first}, {last})"
    if against.kind in ("before", "year"):
        if asked.events and against.kind == "year":
            raise Untold("moving feasts are held against each other")
        back = 1 if against.kind == "before" else answer.calendar.back_a_year()
        over = ".over('group')" if apart else ""
        lines = [
            f"whole = {whole}",
            "earlier = pl.when(whole).then('figure')",
            f"found = found.with_columns(earlier.shift({back}){over}.alias('held against'))",
        ]
    else:
        measure, rows = asked.measure, "rows"
        if against.kind == "column":
            measure = replace(measure, column=against.column)
        elif against.column is not None and against.group is not None:
            rows = f"rows.filter({expression(OneOf(against.column, (against.group,)), table)})"
        lines = [
            f"whole = {whole}",
            *_joined(measure, "held against", rows, False, names, keys, by, table),
            *_viewed(answer, "held against", apart),
        ]
    off = "pl.col('figure') - pl.col('held against')"
    if against.show == "relative":
        base = "pl.col('held against')"
        off = f"pl.when({base} != 0).then(({off}) / {base}.cast(pl.Float64).abs())"
    return [*lines, f"found = found.with_columns(pl.when(whole).then({off}).alias('difference'))"]


def _under_way(answer: OverTimeAnswer, table: Table) -> list[str]:
    asked = answer.question
    plain = asked.view == "plain" and asked.against is None
    if asked.split is not None or asked.zone is not None or asked.until is None or not plain:
        raise Untold("what is under way is held apart by group, by zone or against others")
    start, end = column(asked.time), column(asked.until)
    return [
        f"periods = {stretch(answer.calendar, 0, answer.calendar.n, False)}",
        f"some = rows{present([asked.time])}.filter(~({end} < {start}).fill_null(False))",
        "found = periods.with_columns(",
        "    pl.Series('figure', [",
        f"        some.filter(({start} < over) & ({end}.is_null() | ({end} > at) | ({start} >= at))).height",
        f"        for at, over in periods.select('from', over=pl.col('from').dt.offset_by("
        f"{EVERY[answer.calendar.grain]!r})).iter_rows()",
        "    ])",
        ")",
    ]


def cycle(answer: CycleAnswer, table: Table) -> list[str]:
    """Return the code for a measure at each place of a round, of groups, of years or of weekdays."""
    question = answer.question
    if question.year_start != 1:
        raise Untold("its years begin in another month")
    at = clock(question.time, question.zone)
    needed, said = figure(question.measure, table)
    split, names = answer.grouping.column, [question.time, *needed]
    group = None
    if question.by_weekday:
        group = f"{at}.dt.weekday()"
    elif question.years:
        group = f"{at}.dt.year()"
    elif split is not None:
        group, names = f"({grouped(answer.grouping, table)})", [*names, split.name]
    keys = [f"{at}.{PARTS[answer.part]}.alias('place')"]
    order = ["place"]
    if group is not None:
        keys, order = [f"{group}.alias('group')", *keys], [*order, "group"]
    return by_groups(names, keys, f"pl.len().alias('rows'), {said}.alias('figure')", repr(order))
