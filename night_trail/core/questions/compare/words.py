"""What is said beside a comparison."""

from __future__ import annotations

import math
from collections.abc import Callable

from night_trail.core.conditions import AllOf, Between
from night_trail.core.language.numbers import MINUS, counted, listed, number, percent
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.compare.answer import FEW_ROWS, CompareAnswer, by_difference
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.shared.chance_words import may_be_chance, test_said
from night_trail.core.questions.shared.group_figures import Carried, GroupFigure
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import beside_all, decimals_of, evened, figure_of, gap_of
from night_trail.core.questions.shared.measures import ADDS_UP, SURE, Tested
from night_trail.core.questions.shared.ranking import Extreme
from night_trail.core.table import YEAR, Column, Kind, Table

MANY_GROUPS = 20
Measured = CompareAnswer | CrossAnswer
"""Answers about one measure."""


def difference_words(answer: CompareAnswer) -> Callable[[GroupFigure | None], str]:
    """Return how a group's difference from its baseline is written, signed; that of all for None."""
    said = gap_of(answer.question.measure, answer.column)
    show = answer.question.baseline.show if answer.question.baseline else "absolute"

    def written(one: GroupFigure | None) -> str:
        value, base = (answer.overall, answer.overall_base) if one is None else (one.value, one.base)
        at = None if base is None else answer.difference_of(value, base)
        if at is None or not math.isfinite(at):
            return "—"
        text = said(abs(at)) if show == "absolute" else percent(abs(at), 3)
        return f"{'+' if at > 0 else MINUS if at < 0 else ''}{text}"

    return written


def figure_words(answer: Measured) -> Callable[[float], str]:
    """Return how a figure of this comparison is written: with its unit, as a share, as a count."""
    if isinstance(answer, CompareAnswer):
        measure = answer.question.measure
        halves = [(g.high - g.low) / 2 for g in answer.groups if g.low is not None and g.high is not None]
        decimals = decimals_of(beside_all(measure, [g.value for g in answer.groups], answer.overall), halves)
        return evened(measure, answer.column, decimals)
    return figure_of(answer.question.measure, answer.column)


def compare_words(answer: CompareAnswer, table: Table, of: str = "") -> Words:
    """Return the words of a comparison; ``of`` names its measure where it is one of several."""
    said = figure_words(answer)
    named = [g for g in answer.groups if not g.others]
    if not named and answer.question.least > 1 and answer.gathered is not None:
        rows = table.rows_in_words(answer.question.least)
        text = Caution(
            f"No group has {rows}.", "rank groups of any size", turn="slot", slot="least", value=None
        )
        return Words(spans("Nothing to compare: no group has at least {rows}.", rows=rows), (), (text,))
    if not named:
        return Words(spans("Nothing to compare: no row has both a group and a value."))
    facts = [Fact("overall", "all together", answer.overall, said(answer.overall))]
    facts += [Fact(f"group:{g.label}", g.label, g.value, said(g.value)) for g in named]
    if answer.effect is not None:
        facts.append(Fact("eta", "η²", answer.effect, number(answer.effect, 2)))
    if answer.question.baseline is not None:
        headline = _against(answer, named, said)
        facts += _baseline_facts(answer, named)
    else:
        headline = _headline(answer, named, said, table, of)
    headline += _difference(answer)
    if (at := answer.gap_after()) is not None:
        above, below = answer.groups[at], answer.groups[at + 1]
        headline += spans(
            " A wide gap lies between {above} and {below}.", above=above.label, below=below.label
        )
    if answer.basis.lit is not None:
        headline += _lit(answer, said)
    return Words(headline, tuple(facts), tuple(_cautions(answer, table, of)))


def _extremes(answer: CompareAnswer, named: list[GroupFigure]) -> tuple[Extreme, Extreme]:
    """Return the groups that lead and trail over all, drawn or not."""
    if answer.ranking is not None and (answer.gathered is not None or answer.n_groups > len(named)):
        top, bottom = answer.ranking.extreme(True), answer.ranking.extreme(False)
        if top is not None and bottom is not None:
            return top, bottom

    def of(found: GroupFigure) -> Extreme:
        shared = sum(g.value == found.value for g in named) - 1
        return Extreme(found.label, found.value, found.n, shared)

    return of(max(named, key=lambda g: g.value)), of(min(named, key=lambda g: g.value))


def _shared(one: Extreme) -> str:
    """Say how many others have the same figure, right behind a group's name."""
    return f" and {counted(one.shared, 'other')}" if one.shared else ""


def _headline(
    answer: CompareAnswer, named: list[GroupFigure], said: Callable[[float], str], table: Table, of: str
) -> tuple[Span, ...]:
    top, bottom = _extremes(answer, named)
    count = max(answer.n_groups, len(named))
    if count == 1:
        return spans("There is one group, {only}: {value}.", only=top.label, value=said(top.value))
    if top.value == bottom.value:
        return spans("All {n} groups are alike: {value}.", n=f"{count:,}", value=said(top.value))
    aggregate = answer.question.measure.aggregate
    among = f"Of {count:,} groups " if answer.gathered is not None else ""
    if answer.question.least > 1:
        rows = table.rows_in_words(answer.question.least)
        among = f"Of {counted(count, 'group')} of at least {rows} "
    if aggregate in ("sum", "count") and bottom.value >= 0 and all(g.value >= 0 for g in answer.groups):
        text = "{among}{top}{shared} {has} the most: {value}, {share} of all {overall}"
        share = percent(top.value / answer.overall) if answer.overall else "—"
        headline = spans(
            text,
            among=Span(among),
            top=top.label,
            shared=Span(_shared(top)),
            has=Span("have" if top.shared else "has"),
            value=said(top.value),
            share=f"{share} each" if top.shared else share,
            overall=Span(said(answer.overall)),
        )
        headline += spans(
            "; {bottom}{shared} the least: {least}.",
            bottom=bottom.label,
            shared=Span(_shared(bottom)),
            least=said(bottom.value),
        )
        if aggregate == "sum" and not top.shared:
            headline += _why_it_leads(answer, top, count, table)
        return headline
    it = of[:1].upper() + of[1:] if of else "It"
    return spans(
        "{it} is highest for {top}{as_top} at {high} and lowest for {bottom}{as_bottom} at {low}; "
        "all together {overall}.",
        it=Span(f"{among}{it[:1].lower()}{it[1:]}" if among else it),
        top=top.label,
        as_top=Span(_shared(top)),
        high=said(top.value),
        bottom=bottom.label,
        as_bottom=Span(_shared(bottom)),
        low=said(bottom.value),
        overall=said(answer.overall),
    )


def _baseline_facts(answer: CompareAnswer, named: list[GroupFigure]) -> list[Fact]:
    written = difference_words(answer)
    found = [
        ("difference", "difference of all", None),
        *((f"difference:{g.label}", g.label, g) for g in named),
    ]
    return [
        Fact(key, label, float(answer.difference_of(one.value, one.base) or 0.0), written(one))
        if one is not None and one.base is not None
        else Fact(key, label, answer.overall - (answer.overall_base or 0.0), written(one))
        for key, label, one in found
        if one is None or one.base is not None
    ]


def _against(
    answer: CompareAnswer, named: list[GroupFigure], said: Callable[[float], str]
) -> tuple[Span, ...]:
    """Say how all together changed, and which groups moved it most."""
    baseline, written = answer.question.baseline, difference_words(answer)
    held = [g for g in named if g.base is not None]
    if baseline is not None and baseline.target is not None and answer.overall_base is not None:
        return spans(
            "All together {now} against {target}: {change}.",
            now=said(answer.overall),
            target=Span(f"a target of {said(answer.overall_base)}"),
            change=written(None),
        )
    if baseline is None or answer.overall_base is None or not held:
        return spans("There is nothing to hold the groups against: no row of the baseline is there.")
    name = baseline.column or baseline.called or baseline.group or "other rows"
    headline = spans(
        "All together {now} against {base} of {name}: {change}.",
        now=said(answer.overall),
        base=said(answer.overall_base),
        name=Span(name),
        change=written(None),
    )
    up = max(held, key=lambda g: g.value - (g.base or 0.0))
    down = min(held, key=lambda g: g.value - (g.base or 0.0))
    # those kept lead by their figure or by their difference to either side: one side may be behind
    if answer.gathered is not None and (left_out := _moved_undrawn(answer, up, down)):
        return (*headline, *left_out)
    moved = [g for g in (up, down) if g.base is not None and g.value != g.base]
    # against a plan or another group nothing has moved
    went_up, went_down = (
        ("rose most", "fell most")
        if baseline.where is not None
        else ("lies most above it", "lies most below it")
    )
    rises = up.base is not None and up.value > up.base
    if rises:
        headline += spans(f" {{up}} {went_up}, by {{by}}", up=up.label, by=written(up))
    if down.base is not None and down.value < down.base:
        text = f"{';' if rises else ''} {{down}} {went_down}, by {{by}}"
        headline += spans(text, down=down.label, by=written(down))
    return (*headline, Span(".")) if moved else headline


def _moved_undrawn(answer: CompareAnswer, up: GroupFigure, down: GroupFigure) -> tuple[Span, ...]:
    """Say which groups differ most where these are not drawn; nothing where they are."""
    ranked = answer.ranking
    if ranked is None or not by_difference(answer.question):
        return spans(" Not all groups are drawn, so which differs most is not said.")
    high, low = ranked.extreme(True, by_key=True), ranked.extreme(False, by_key=True)
    if high is None or low is None or {high.label, low.label} <= {up.label, down.label}:
        return ()
    return spans(" Furthest to either side lie {up} and {down}.", up=Span(high.label), down=Span(low.label))


def cross_words(answer: CrossAnswer, table: Table) -> Words:
    """Return the words of a comparison across two categories."""
    said = figure_words(answer)
    cells = [
        (lane, series, cell)
        for lane, row in zip(answer.lanes, answer.cells, strict=True)
        for series, cell in zip(answer.series, row, strict=True)
        if cell is not None and not lane.others and not series.others
    ]
    if not cells:
        return Words(spans("Nothing to compare: no row has both groups and a value."))
    facts = [Fact("overall", "all together", answer.overall, said(answer.overall))]
    facts += [
        Fact(f"{a.label}:{b.label}", f"{a.label}, {b.label}", c.value, said(c.value)) for a, b, c in cells
    ]
    top, bottom = max(cells, key=lambda c: c[2].value), min(cells, key=lambda c: c[2].value)
    ends = (
        (top[0].label, top[1].label, top[2].value),
        (bottom[0].label, bottom[1].label, bottom[2].value),
    )
    if answer.extremes is not None:
        high, low = answer.extremes
        ends = (high.first, high.second, high.value), (low.first, low.second, low.value)
    headline = spans(
        "{it} is highest for {a} with {b} at {high} and lowest for {c} with {d} at {low}; "
        "all together {all}.",
        it=Span("Of all pairs, drawn or not, it" if answer.extremes is not None else "It"),
        a=ends[0][0],
        b=ends[0][1],
        high=said(ends[0][2]),
        c=ends[1][0],
        d=ends[1][1],
        low=said(ends[1][2]),
        all=said(answer.overall),
    ) + may_be_chance(answer.tested)
    # what is gathered could lead somewhere
    if len(answer.series) > 1 and answer.extremes is None:
        leads = [max((c for c in row if c), key=lambda c: c.value).label for row in answer.cells if any(row)]
        first = max(set(leads), key=leads.count)
        if leads.count(first) == len(leads) > 1:
            headline += spans(" {first} is highest everywhere.", first=first)
    if answer.basis.lit is not None:
        pairs = [
            (f"{lane.label} with {series.label}", cell.lit_n or 0)
            for lane, row in zip(answer.lanes, answer.cells, strict=True)
            for series, cell in zip(answer.series, row, strict=True)
            if cell is not None
        ]
        headline += where_lit(answer.basis.lit, pairs, "pairs")
    found = _left_out(answer, table)
    few = [f"{a.label} with {b.label}" for a, b, c in cells if c.n < FEW_ROWS]
    if few:
        names = listed(few[:2]) if len(few) <= 2 else f"{len(few)} pairs"
        found.insert(
            0, f"{names} {'has' if len(few) == 1 else 'have'} fewer than {FEW_ROWS} {table.row_noun[1]}."
        )
    empty = sum(c is None for row in answer.cells for c in row)
    if answer.nested:
        found.append(f"Each {answer.question.across} drawn goes with one {answer.question.also} only.")
    elif empty:
        found.append(f"{counted(empty, 'pair')} {'has' if empty == 1 else 'have'} no row at all.")
    return Words(headline, tuple(facts), tuple(found))


def several_words(answer: SeveralAnswer, table: Table) -> Words:
    """Return the words of several measures: whether sorting by one orders the others."""
    names = [_measure_name(part, table) for part in answer.parts]
    parts = [compare_words(part, table, name) for part, name in zip(answer.parts, names, strict=True)]
    first = parts[answer.question.by]
    headline = first.headline
    for name, agreement in zip(names, answer.agreement, strict=True):
        if agreement is None:
            continue
        how = (
            "orders the groups nearly the same way"
            if agreement > 0.7
            else "orders them the other way round"
            if agreement < -0.7
            else "orders them quite differently"
        )
        headline += spans(
            " {name} " + how + " (ρ {rho}).", name=Span(name.capitalize()), rho=number(agreement, 2)
        )
    facts = list(first.facts)
    for part, name in zip(answer.parts, names, strict=True):
        if part is not answer.sorting:
            said = figure_words(part)
            facts += [
                Fact(f"{name}:{g.label}", f"{name}, {g.label}", g.value, said(g.value)) for g in part.groups
            ]
    cautions: dict[str, str] = {}
    for i, words in enumerate(parts):
        for caution in words.cautions:
            # the aggregate that a turn changes is that of the first measure
            turns_first = '"slot":"aggregate"' in getattr(caution, "post", "")
            cautions.setdefault(str(caution), Caution(caution) if i and turns_first else caution)
    return Words(headline, tuple(facts), tuple(cautions.values()))


def _measure_name(part: CompareAnswer, table: Table) -> str:
    measure = part.question.measure
    what = {
        "mean": "the average",
        "quantile": "a quantile",
        "count": f"the number of {table.row_noun[1]}",
    }.get(measure.aggregate, f"the {measure.aggregate}")
    return what if measure.column is None else f"{what} of {measure.column}"


def _why_it_leads(answer: CompareAnswer, top: Extreme, count: int, table: Table) -> tuple[Span, ...]:
    """Say whether a sum leads by its rows or by each of them: sum = count × mean."""
    if not answer.basis.used:
        return ()
    usual_n = answer.basis.used / count
    usual_mean = answer.overall / answer.basis.used
    if top.value <= 0 or usual_mean <= 0:
        return ()
    rows, each = top.n / usual_n, top.value / top.n / usual_mean
    total = math.log(rows * each)
    if total <= 0.02:
        return ()
    by_rows = math.log(rows) / total
    noun = table.row_noun
    # “1 times the usual” would say that it is not
    more, larger = (number(round(times, 2), 3 if 0.8 < times < 1.2 else 2) for times in (rows, each))
    if by_rows > 0.7:
        return spans(
            " It leads by its number of {noun}, {more} times the usual; each is {larger} times.",
            noun=Span(noun[1]),
            more=more,
            larger=larger,
        )
    if by_rows < 0.3:
        return spans(
            " It leads by what each {noun} brings, {larger} times the usual, not by their number.",
            noun=Span(noun[0]),
            larger=larger,
        )
    return spans(
        " It leads by both: {more} times the usual number of {noun}, each {larger} times the usual.",
        noun=Span(noun[1]),
        more=more,
        larger=larger,
    )


def _difference(answer: CompareAnswer) -> tuple[Span, ...]:
    """Say whether the groups differ: where a test of all and tests of each both hold."""
    if answer.p is None:
        return ()
    outcome = Tested(answer.test, answer.p, answer.effect)
    if answer.p >= SURE:
        return may_be_chance(outcome)
    said = test_said(outcome)
    apart = [g.label for g in answer.groups if g.apart and not g.others]
    count = answer.n_apart
    if not count:
        return spans(
            f" Whether the groups differ is not sure: together they seem to ({said}), "
            "but none stands apart from the rest."
        )
    found = spans(f" The groups differ ({said})")
    if count < answer.n_groups:
        few = listed(apart) if len(apart) == count <= 4 else f"{count:,} of {answer.n_groups:,}"
        verb = "stands" if count == 1 else "stand"
        return (*found, Span(f"; {few} {verb} apart from the rest."))
    return (*found, Span("."))


def _lit(answer: CompareAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    with_lit = [g for g in answer.groups if g.lit_value is not None and not g.others]
    if not with_lit:
        return (Span(" None of the lit rows is among them."),)
    lit = Span(f"{answer.basis.lit or 0:,}", "lit")
    high = max(g.lit_value or 0.0 for g in with_lit)
    value = Span(said(high), "lit")
    top = [g.label for g in with_lit if g.lit_value == high]
    if [g.label for g in answer.groups if g.lit_n] == top[:1]:
        return spans(" All {lit} lit are in {top}: {value}.", lit=lit, top=top[0], value=value)
    return spans(
        " Of the {lit} lit, it is highest for {top}{drawn}: {value}.",
        lit=lit,
        drawn=Span(" among the groups drawn" if answer.gathered is not None else ""),
        top=listed(top[:3]) if len(top) <= 3 else f"{len(top)} groups alike",
        value=value,
    )


def _cautions(answer: CompareAnswer, table: Table, of: str) -> list[str]:  # noqa: C901  (one case a caution, in the order they are said)
    question, column = answer.question, answer.column
    measure = question.measure
    found: list[str] = []
    if question.axis == "cut":
        text = "The bars do not begin at 0: their lengths do not compare, only where they end."
        found.append(Caution(text, "from 0", turn="slot", slot="axis", value="zero"))
    if measure.aggregate == "sum" and column is not None and column.unsummable:
        text = f"The sum of {column.name} means little: {column.summing}."
        found.append(Caution(text, "take its average", turn="slot", slot="aggregate", value="mean"))
    if column is not None and answer.times > 1:
        text = (
            f"{column.name} is a stock, taken at {answer.times:,} times: its sum counts it at each of them."
        )
        found.append(Caution(text, "take its average", turn="slot", slot="aggregate", value="mean"))
    if column is not None and column.unit == "%" and measure.aggregate == "mean":
        text = (
            f"This is an average of per cents, each counting the same however much it stands for. "
            f"({column.name})"
        )
        found.append(Caution(text, "take a ratio of two sums", turn="slot", slot="aggregate", value="ratio"))
    few = [g.label for g in answer.few]
    if few:
        names = listed(few[:3]) if len(few) <= 3 else f"{len(few)} groups"
        rows = table.row_noun[1]
        text = f"{names} {'has' if len(few) == 1 else 'have'} fewer than {FEW_ROWS} {rows}"
        # figures of few rows lead and trail every long list
        if question.measure.aggregate not in ADDS_UP and answer.gathered is not None:
            text = f"{text}: few rows lead a ranking by chance."
            way = f"rank groups of at least {FEW_ROWS} {rows}"
            found.append(Caution(text, way, turn="slot", slot="least", value=str(FEW_ROWS)))
        else:
            found.append(f"{text}.")
    if answer.overlapping is not None:
        first, second = answer.overlapping
        where = f"In {of}, the intervals" if of else "The intervals"
        found.append(f"{where} of {first.label} and {second.label} overlap: which is higher is not sure.")
    for carried in answer.carried[:2]:
        label = next(g.label for g in answer.groups if g.position == carried.position)
        rows = counted(carried.rows, "row")
        verb = "makes" if carried.rows == 1 else "make"
        text = f"{rows} {verb} up {percent(carried.share)} of the sum of {label}"
        text += f" ({measure.column})." if of else "."
        found.append(_to_rows(answer, carried, text))
    if answer.n_groups > MANY_GROUPS and answer.p is not None and answer.effect is None:
        found.append(f"Among {answer.n_groups:,} groups some stand out by chance.")
    if (
        question.shape == "bars"
        and question.axis == "zero"
        and not question.baseline
        and measure.aggregate in ("mean", "median", "quantile")
    ):
        text = "The bars begin at 0; dots show the differences and their intervals."
        found.append(Caution(text, "draw dots", turn="slot", slot="shape", value="dots"))
    if column is not None and measure.aggregate == "mean" and _is_code(column):
        text = f"{column.name} looks like a code or a year: its average means little."
        found.append(
            Caution(text, "count the different ones", turn="slot", slot="aggregate", value="distinct")
        )
    found += _left_out(answer, table)
    if (others := answer.gathered) is not None:
        found.append(_gathered(answer, others, table))
    return found


def _gathered(answer: CompareAnswer, others: GroupFigure, table: Table) -> Caution:
    """Say what the last place holds: how many groups of how many rows, and why they are there."""
    question = answer.question
    if question.more:
        behind = "behind in the ranking"
    else:
        behind = {
            "most": "of smaller difference" if by_difference(question) else "lower down",
            "least": "of larger difference" if by_difference(question) else "higher up",
            "both": "in between",
        }[question.end]
    are = "is" if others.others == 1 else "are"
    rows = table.rows_in_words(others.n)
    text = f"{counted(others.others, 'group')} {behind}, with {rows}, {are} gathered in the last"
    if answer.ranking is not None and answer.ranking.few:
        few = answer.ranking.few
        text += f"; {few:,} of them {'has' if few == 1 else 'have'} fewer than "
        text += f"{question.least:,} {table.row_noun[1]}"
    more = str(min(200, 2 * (question.keep or len(answer.groups) - 1)))
    value = more if question.end == "most" else f"{question.end}:{more}"
    return Caution(f"{text}.", "keep more apart", turn="slot", slot="keep", value=value)


def _is_code(column: Column) -> bool:
    """Whether whole numbers are names rather than amounts: years, and codes by their name."""
    return column.kind == Kind.WHOLE and (column.unit == YEAR or column.code) and not column.additive


def _to_rows(answer: CompareAnswer, carried: Carried, text: str) -> Caution:
    """Return a caution one click away from the rows it speaks of."""
    group = answer.grouping.condition(carried.position)
    column = answer.question.measure.column
    if group is None or column is None:
        return Caution(text)
    rows = AllOf((group, Between(column, carried.least, None)))
    return Caution(text, "light them", turn="light", rows=rows)


def _left_out(answer: Measured, table: Table) -> list[str]:
    found = []
    measure: Compare = answer.question
    for count, which in ((answer.basis.missing, answer.column), (answer.basis.groupless, None)):
        if count:
            name = which.name if which is not None else measure.across
            have, are = ("has", "is") if count == 1 else ("have", "are")
            found.append(f"{table.rows_in_words(count)} {have} no {name} and {are} left out.")
    return found
