"""What is said beside a series over time."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np

from night_trail.core.language.numbers import MINUS, counted, listed, number, percent
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.over_time.answer import OverTimeAnswer, Shift
from night_trail.core.questions.over_time.shown import largest_step, usual_change
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import figure_of, gap_of, set_zero
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.stats.calendar import Calendar, period_name, spans_in_words
from night_trail.core.table import Column, Floats, Table

FEW_PERIODS = 8
MOST_GAPS = 3


def said_of(answer: OverTimeAnswer) -> Callable[[float], str]:
    """Return how a figure of a picture over time is written; an index has no unit."""
    if answer.question.view == "index":
        return lambda at: number(at, 4)
    return figure_of(answer.measure, answer.column)


def gap_said(answer: OverTimeAnswer) -> Callable[[float], str]:
    """Return how a difference of two figures of a picture over time is written."""
    if answer.question.view == "index":
        return lambda at: number(at, 4)
    return gap_of(answer.measure, answer.column)


def signed(written: str, at: float) -> str:
    """Return a difference with its sign."""
    return written if at <= 0 or written.startswith(MINUS) else f"+{written}"


def over_time_words(answer: OverTimeAnswer, table: Table) -> Words:
    """Return the words of a measure over time."""
    line, calendar = answer.together, answer.calendar
    has = np.flatnonzero(~np.isnan(line.values) & answer.whole)
    if not len(has):
        return Words(spans("Nothing to show: no period is covered from end to end by rows with a value."))
    said = said_of(answer)
    facts = [
        Fact("first", answer.name(int(has[0])), float(line.values[has[0]]), said(float(line.values[has[0]])))
    ]
    facts.append(
        Fact(
            "last", answer.name(int(has[-1])), float(line.values[has[-1]]), said(float(line.values[has[-1]]))
        )
    )
    headline = _compared(answer, said) or _so_far(answer, said, has) or _main_change(answer, said, has)
    if answer.question.split:
        headline += _lines(answer, said)
    if answer.basis.lit is not None and line.lit is not None:
        headline += _lit(answer)
    facts += [
        Fact(
            f"period:{answer.name(int(i))}",
            answer.name(int(i)),
            float(line.values[i]),
            said(float(line.values[i])),
        )
        for i in has[-60:]
    ]
    facts += [Fact(f"level:{k}", level.kind, at, said(at)) for k, (level, at) in enumerate(answer.levels)]
    return Words(headline, tuple(facts), tuple(_cautions(answer, calendar, table, has)))


def _main_change(answer: OverTimeAnswer, said: Callable[[float], str], has: np.ndarray) -> tuple[Span, ...]:
    values = answer.together.values
    top, low = int(has[np.argmax(values[has])]), int(has[np.argmin(values[has])])
    first, last = int(has[0]), int(has[-1])
    gap = gap_said(answer)
    if values[top] == values[low]:
        return spans("It was {same} throughout.", same=said(float(values[top])))
    headline = spans(
        "It was highest {top} at {high} and lowest {low} at {least}.",
        top=Span(in_period(answer.calendar, top)),
        high=said(float(values[top])),
        low=Span(in_period(answer.calendar, low)),
        least=said(float(values[low])),
    )
    if first == last:
        return headline
    change = float(values[last] - values[first])
    verb = "rose" if change > 0 else "fell"
    headline += (
        spans(
            " From {first} to {last} it {verb} by {by}{share}",
            first=Span(answer.name(first)),
            last=Span(answer.name(last)),
            verb=Span(verb),
            by=gap(abs(change)),
            share=Span(relative(change, float(values[first]), answer.column, values)),
        )
        if change
        else spans(
            " From {first} to {last} it came back to where it was",
            first=Span(answer.name(first)),
            last=Span(answer.name(last)),
        )
    )
    # the largest step between neighbours, where it stands out from the usual one
    if (found := largest_step(values, has)) is not None:
        at, step, usual = found
        if usual > 0 and abs(step) > 3 * usual:
            headline += spans(
                "; the largest step was {by} {when}",
                by=signed(gap(step), step),
                when=Span(in_period(answer.calendar, at)),
            )
    return (*headline, Span("."))


def _so_far(answer: OverTimeAnswer, said: Callable[[float], str], has: np.ndarray) -> tuple[Span, ...]:
    """Say how far this year has come, against the year before at the same time; nothing of other views."""
    if answer.question.view != "to date" or not len(has):
        return ()
    values, gap, last = answer.together.values, gap_said(answer), int(has[-1])
    before = last - answer.calendar.back_a_year()
    headline = spans(
        "Up to {last} the year has {now}", last=Span(answer.name(last)), now=said(float(values[last]))
    )
    if before < 0 or math.isnan(values[before]) or not answer.whole[before]:
        return (*headline, Span("; the year before is not there at the same time."))
    change = float(values[last] - values[before])
    if not change:
        return (*headline, Span(", as the year before had at the same time."))
    return headline + spans(
        ", {by} {more} than the year before at the same time{share}.",
        by=gap(abs(change)),
        more=Span("more" if change > 0 else "less"),
        share=Span(relative(change, float(values[before]), answer.column, values)),
    )


def relative(change: float, base: float, column: Column | None, values: Floats) -> str:
    """Return a change relative to its base, in brackets; nothing where figures have no zero to begin at.

    So it is of degrees, and where any of ``values``, shape (periods,), lies below 0: profits and losses.
    """
    known = values[~np.isnan(values)]
    if base <= 0 or set_zero(column) or (len(known) and float(known.min()) < 0):
        return ""
    return f" ({signed(percent(change / base, 3), change)})"


def in_period(calendar: Calendar, i: int) -> str:
    """Return a period as a time something happened: ``in March 2024``, ``on 3 March 2024``."""
    return f"{'on' if calendar.grain in ('day', 'hour') else 'in'} {period_name(calendar, i)}"


AGAINST_WORDS = {"before": "the period before", "year": "a year earlier"}


def against_words(answer: OverTimeAnswer) -> str:
    """Return what a line is held against."""
    against = answer.question.against
    if against is None:
        return ""
    return AGAINST_WORDS.get(against.kind) or against.group or against.column or ""


def _begun(answer: OverTimeAnswer, at: int) -> str:
    text = in_period(answer.calendar, at)
    return text[0].upper() + text[1:]


def _compared(answer: OverTimeAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say how the last covered period stands against what it is held against, and what moved it."""
    line = answer.together
    if answer.question.against is None or line.base is None:
        return ()
    held = np.flatnonzero(~np.isnan(line.values) & ~np.isnan(line.base) & answer.whole)
    if not len(held):
        return spans("No period has one to be held against.")
    at = int(held[-1])
    change = float(line.values[at] - line.base[at])
    more, gap = {True: "more than", False: "less than"}[change > 0], gap_said(answer)
    headline = (
        spans(
            "{when} it was {now}, {by} {more} {base}{share}.",
            when=Span(_begun(answer, at)),
            now=said(float(line.values[at])),
            by=gap(abs(change)),
            more=Span(more),
            base=Span(against_words(answer)),
            share=Span(
                relative(change, float(line.base[at]), answer.column, np.append(line.base, line.values))
            ),
        )
        if change
        else spans(
            "{when} it was {now}, the same as {base}.",
            when=Span(_begun(answer, at)),
            now=said(float(line.values[at])),
            base=Span(against_words(answer)),
        )
    )
    above = int(np.count_nonzero(line.values[held] > line.base[held]))
    headline += spans(" It lay above in {above} of {of} periods.", above=f"{above:,}", of=f"{len(held):,}")
    parts = answer.contributions
    if parts and answer.compared == at:
        named = listed([f"{p.label} ({signed(gap(p.change), p.change)})" for p in parts])
        headline += spans(
            " By {column}, {named} moved otherwise than the rest.",
            column=Span(parts[0].column),
            named=Span(named),
        )
    return headline


def _lines(answer: OverTimeAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say which line stands highest at the end, and which changed most."""
    ends: list[tuple[Line, float, float]] = []
    gap = gap_said(answer)
    for line in answer.lines:
        has = np.flatnonzero(~np.isnan(line.values) & answer.whole)
        if len(has) > 1 and not line.others:
            ends.append((line, float(line.values[has[0]]), float(line.values[has[-1]])))
    if len(ends) < 2:
        return ()
    if (over_all := answer.ends) is not None:
        drawn = {one.label for one, _, _ in ends}
        found = spans(
            " At the end {top}{undrawn} is highest of all groups at {high}",
            top=over_all.top,
            undrawn=Span("" if over_all.top in drawn else ", not drawn,"),
            high=said(over_all.high),
        )
        if over_all.change:
            found += spans(
                "; {moved}{undrawn} changed most, by {by}",
                moved=over_all.moved,
                undrawn=Span("" if over_all.moved in drawn else ", not drawn,"),
                by=signed(gap(over_all.change), over_all.change),
            )
        return (*found, Span("."))
    top = max(ends, key=lambda e: e[2])
    moved = max(ends, key=lambda e: abs(e[2] - e[1]))
    change = moved[2] - moved[1]
    found = spans(" At the end {top} is highest at {high}", top=top[0].label, high=said(top[2]))
    if change:
        found += spans(
            "; {moved} changed most, by {by}", moved=moved[0].label, by=signed(gap(change), change)
        )
    return (*found, Span("."))


def _lit(answer: OverTimeAnswer) -> tuple[Span, ...]:
    """Say of which group the lit rows are where they are of one, else in which period they lie."""
    lit = answer.basis.lit or 0
    groups = [(one.label, int(np.sum(one.lit_n))) for one in answer.lines if one.lit_n is not None]
    if answer.question.split and [n for _, n in groups if n] == [lit]:
        return where_lit(lit, groups, "groups")
    n = np.asarray(answer.together.lit_n)
    periods = [(answer.name(int(i)), int(n[i])) for i in np.flatnonzero(n)]
    return where_lit(lit, periods, f"{answer.calendar.grain}s")


def _cautions(answer: OverTimeAnswer, calendar: Calendar, table: Table, has: np.ndarray) -> list[str]:  # noqa: C901  (one case a caution, in the order they are said)
    question, measure, column = answer.question, answer.measure, answer.column
    found: list[str] = unfinished_words(calendar, answer.whole)
    if question.window_at is not None:
        text = "The words speak of the whole time, also outside the part zoomed into."
        found.append(Caution(text, "zoom out", turn="zoom"))
    if answer.gaps:
        count = sum(b - a for a, b in answer.gaps)
        named = spans_in_words(calendar, answer.gaps[:MOST_GAPS])
        rest = len(answer.gaps) - len(named)
        shown = listed([*named, f"{counted(rest, 'more stretch', 'more stretches')}"] if rest else named)
        found.append(f"{counted(count, calendar.grain)} {'has' if count == 1 else 'have'} no row: {shown}.")
    if measure.aggregate == "sum" and column is not None and column.unsummable:
        found.append(
            Caution(
                f"The sum of {column.name} over a {calendar.grain} says little: {column.summing}.",
                "take the average",
                turn="slot",
                slot="aggregate",
                value="mean",
            )
        )
    if column is not None and answer.snapshots > 1:
        text = (
            f"{column.name} is a stock, taken up to {answer.snapshots:,} times in a {calendar.grain}: "
            "the sum counts it each time."
        )
        found.append(Caution(text, "take its average", turn="slot", slot="aggregate", value="mean"))
    if (
        measure.aggregate in ADDS_UP
        and calendar.grain in ("month", "quarter")
        and question.view == "plain"
        and len(has) > 2
    ):
        days = calendar.days()[has]
        share = (float(days.max()) - float(days.min())) / float(days.mean())
        usual = usual_change(answer.together.values[has])
        # named only where the lengths are of the size of what moves
        if usual is not None and share > 0.5 * usual:
            text = (
                f"{calendar.grain.capitalize()}s have {days.min():g} to {days.max():g} days, "
                f"with more or fewer weekends: up to {percent(share)} of a step is only that."
            )
            # what lasts has no days of its own to even out
            view, way = ("per day", "per day") if question.until else ("evened", "with days evened out")
            found.append(Caution(text, way, turn="slot", slot="view", value=view))
    found += gathered_line([*answer.lines, answer.undrawn], answer.undrawn is not None, table)
    if answer.shifted is not None:
        found.append(_shift_words(answer, answer.shifted))
    if len(has) < FEW_PERIODS:
        found.append(
            f"Only {counted(len(has), 'whole ' + calendar.grain)}: too few to see a season or a trend."
        )
    if answer.basis.missing:
        rows = table.rows_in_words(answer.basis.missing)
        what = column.name if column is not None else question.split or "value"
        found.append(f"{rows} {_have_no(answer.basis.missing, what)} left out.")
    if answer.ungrouped:
        rows = table.rows_in_words(answer.ungrouped)
        found.append(f"{rows} {'has' if answer.ungrouped == 1 else 'have'} no {question.split}, and no line.")
    if answer.basis.groupless:
        rows = table.rows_in_words(answer.basis.groupless)
        found.append(f"{rows} {_have_no(answer.basis.groupless, question.time)} left out.")
    return found


def _have_no(count: int, what: str) -> str:
    return f"has no {what} and is" if count == 1 else f"have no {what} and are"


def gathered_line(lines: Iterable[Line | None], left_out: bool, table: Table) -> list[str]:
    """Say how many groups of how many rows are gathered in one line, and whether it is drawn."""
    rest = next((one for one in lines if one is not None and one.others), None)
    if rest is None:
        return []
    rows = table.rows_in_words(int(rest.n.sum()))
    text = f"{counted(rest.others, 'group')} lower down, with {rows}, {'is' if rest.others == 1 else 'are'} "
    far = "not drawn: together they would squeeze the lines that are" if left_out else "gathered in one line"
    return [f"{text}{far}."]


def _shift_words(answer: OverTimeAnswer, shift: Shift) -> str:
    what = "measures" if shift.column is None else "lines"
    if shift.column is not None and answer.question.split is None:
        what = f"groups of {shift.column}"
    text = f"All {shift.count} {what} change level in {answer.name(shift.at)}: was something defined anew?"
    if what in ("measures", "lines"):
        return text
    return Caution(text, f"for each {shift.column}", turn="slot", slot="split", value=shift.column)


def unfinished_words(calendar: Calendar, whole: np.ndarray) -> list[str]:
    """Return a caution for periods that the data do not cover from end to end.

    ``whole`` has shape (periods,).
    """
    cut = [i for i in range(calendar.n) if not whole[i]]
    if not cut:
        return []
    names = listed(spans_in_words(calendar, [(i, i + 1) for i in cut]))
    text = f"{names[0].upper()}{names[1:]} {'is' if len(cut) == 1 else 'are'} not covered from end to end"
    return [f"{text}: drawn apart, left out of comparisons."]
