"""What is said beside drivers."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

from night_trail.core.language.numbers import MINUS, bare, counted, listed, number, percent, value, with_unit
from night_trail.core.language.spans import Caution, Fact, Span, Words, shortened, spans
from night_trail.core.measure import Measure
from night_trail.core.questions.drivers.answer import LEAST, LEAST_EXPLAINED, Driver, DriversAnswer
from night_trail.core.questions.drivers.effects import Effect, Said
from night_trail.core.questions.shared.measure_words import gap_of, points
from night_trail.core.table import Table

SPOKEN = 3
AFTER = frozenset(
    "rating rated score stars satisfaction review feedback complaint refund refunded outcome result "
    "resolved closed cancelled canceled returned churned survived arrival arrived finished ended end".split()
)
"""Words of names of what is often known only after what it would drive."""


def unit_said(answer: DriversAnswer) -> Callable[[float], str]:
    """Return how a difference of the target is written."""
    return points if answer.is_share else gap_of(Measure("mean", answer.column.name), answer.column)


def signed(answer: DriversAnswer) -> Callable[[float], str]:
    """Return how an effect is written, with its sign."""
    said = unit_said(answer)
    return lambda at: f"{'+' if at > 0 else MINUS if at < 0 else ''}{said(_three(abs(at)))}"


def importance_said(answer: DriversAnswer) -> Callable[[float], str]:
    """Return how an importance is written: in the target's unit, or in points of explained share."""
    if answer.is_share:
        return lambda at: number(100 * at, 2)
    return lambda at: bare(_three(at), answer.column.unit, 3)


def _three(at: float) -> float:
    return float(f"{at:.3g}") if math.isfinite(at) else at


def drivers_words(answer: DriversAnswer, table: Table) -> Words:
    """Return the words of drivers: how much is explained, what the first ones do, what acts together."""
    of = answer.column.name
    if answer.value is not None:
        of += f" being {shortened(answer.value)}"
    if answer.pending is not None:
        return Words(spans("Models are being made of what drives {of}.", of=Span(of)))
    cautions, plural = _cautions(answer, table), table.row_noun[1]
    if not math.isfinite(answer.explained):
        text = "There is nothing to say by what drives {of}: it does not vary here, or no column is left."
        if answer.model_rows < LEAST:
            text = f"There are too few {plural} to say what drives {{of}}."
        return Words(spans(text, of=Span(of)), (), cautions)
    facts = tuple(_facts(answer))
    if not answer.found:
        return Words(_nothing(answer, table, of), facts, cautions)
    if answer.question.shape == "rules":
        return Words(_rules(answer, of), facts, cautions)
    text = (
        f"{{share}} of the differences in {{of}} is explained on {_unseen(answer, table)} "
        "that were not looked at; the rest is not in these columns."
    )
    headline = spans(text, share=percent(answer.explained), of=Span(of))
    if answer.opened is not None:
        return Words(_opened(answer, answer.opened, of), facts, cautions)
    for one in answer.found[:SPOKEN]:
        name = _family(one.columns)
        headline += spans(" {name}: {what}.", name=name, what=Span(effect_words(one, answer)))
    if answer.pairs:
        a, b = answer.pairs[0].one.column.name, answer.pairs[0].other.column.name
        headline += spans(" {a} and {b} act together beyond their sum.", a=a, b=b)
    return Words(headline, facts, cautions)


def _opened(answer: DriversAnswer, one: Driver, of: str) -> tuple[Span, ...]:
    """Return the words of one driver: what it does, how much is lost without it, what it acts with."""
    made = spans(
        "{name}: {what}. Without it {of} is predicted worse by {worse} on rows not looked at.",
        name=_family(one.columns),
        what=Span(effect_words(one, answer)),
        of=Span(of),
        worse=importance_said(answer)(one.worse),
    )
    for pair in answer.pairs:
        names = pair.one.column.name, pair.other.column.name
        if one.effect is not None and one.effect.feature in (pair.one, pair.other):
            other = names[1] if one.effect.feature == pair.one else names[0]
            made += spans(" It acts together with {other} beyond their sum.", other=other)
            break
    return made


def _family(columns: Sequence[str]) -> str:
    """Return the columns of a driver, of many the first."""
    shown = [shortened(n) for n in columns[:4]]
    return listed([*shown[:3], f"{len(columns) - 3} more"] if len(columns) > 4 else shown)


def _facts(answer: DriversAnswer) -> Iterator[Fact]:
    written = importance_said(answer)
    share = percent(max(answer.explained, 0.0))
    yield Fact("explained", "share explained on unseen rows", answer.explained, share)
    for one in answer.drivers:
        yield Fact(f"driver:{one.name}", f"how much worse without {one.name}", one.worse, written(one.worse))


def _nothing(answer: DriversAnswer, table: Table, of: str) -> tuple[Span, ...]:
    k = len({c for d in answer.drivers for c in d.columns})
    n, tell = counted(k, "column"), "tells" if k == 1 else "tell"
    unseen = _unseen(answer, table)
    text = (
        f"Nothing here drives {{of}} beyond chance: on {unseen} that were not looked at, "
        f"{{n}} {tell} it no better than its average."
    )
    if answer.explained > max(answer.by_chance, LEAST_EXPLAINED):
        text = f"{{n}} {tell} {{of}} a little, but none by itself beyond chance, on {unseen} not looked at."
    elif answer.explained > LEAST_EXPLAINED:
        text = (
            f"Nothing here drives {{of}} beyond chance: what {{n}} {tell} of it on {unseen} "
            "that were not looked at is no more than shuffled ones reach."
        )
    return spans(text, of=Span(of), n=n)


def _rules(answer: DriversAnswer, of: str) -> tuple[Span, ...]:
    if not answer.leaves:
        return spans("No rule that holds on unseen rows was found for {of}.", of=Span(of))
    said = leaf_said(answer)
    high, low = answer.leaves[0], answer.leaves[-1]
    text = (
        "Where {rule}, {of} is {mean} on average; where {other}, {least}. "
        "Found on one half of the rows, figured on the other."
    )
    mean, least = said(high.mean), said(low.mean)
    return spans(text, rule=high.words, of=Span(of), mean=mean, other=low.words, least=least)


def leaf_said(answer: DriversAnswer) -> Callable[[float], str]:
    """Return how the mean of a rule is written."""
    if answer.is_share:
        return lambda at: percent(at, 2)
    return lambda at: value(_three(at), answer.column.kind, answer.column.unit)


def _unseen(answer: DriversAnswer, table: Table) -> str:
    if answer.together is None:
        return table.row_noun[1]
    kept = answer.together
    return f"days of {kept.name}" if kept.kind.temporal else f"values of {kept.name}"


def effect_words(one: Driver, answer: DriversAnswer) -> str:
    """Return what a driver does, in one line."""
    if one.effect is None or one.said is None:
        return "no effect by itself"
    text = _shape_words(one.said, one.effect, answer)
    part = one.effect.feature
    if len(one.columns) > 1 or part.part is not None:
        text = f"{part.name}: {text}"
    gone = one.effect.missing
    if gone is not None and abs(gone) >= 0.25 * one.effect.size > 0:
        text += f"; where missing {signed(answer)(gone)}"
    return text


def _shape_words(said: Said, effect: Effect, answer: DriversAnswer) -> str:
    column, written, plain = effect.feature.column, signed(answer), unit_said(answer)

    def place(at: float) -> str:
        return value(at, column.kind, column.unit)

    if said.shape == "values":
        name = effect.feature.labels[said.values[0]]
        return f"{shortened(name)} {written(said.by)} against the others"
    if said.shape == "step" and said.turn is not None:
        more = "more" if said.values[0] > 0 else "less"
        return f"from {place(said.turn)} on {plain(_three(said.by))} {more}"
    if said.shape == "line":
        each = with_unit(said.each, column.unit) if not column.kind.temporal else "day"
        if column.kind.temporal:
            return f"{'rises' if said.by > 0 else 'falls'} over time by {plain(_three(effect.size))}"
        return f"{written(said.by)} for each {each.removeprefix('1 ') if said.each == 1 else each}"
    if said.shape in ("valley", "hill") and said.turn is not None:
        end = "lowest" if said.shape == "valley" else "highest"
        return f"{end} near {place(said.turn)}, by {plain(_three(said.by))}"
    if said.shape == "curve":
        return f"{'rises' if said.by > 0 else 'falls'} by {plain(_three(abs(said.by)))}, not evenly"
    return "hardly any effect by itself"


def _cautions(answer: DriversAnswer, table: Table) -> tuple[str, ...]:
    able = math.isfinite(answer.explained)
    made = [*_set_apart(answer), *(_known_after(answer) if able else ()), *_made_from(answer, table)]
    if answer.found:
        made.append("Goes with, not causes: nothing here says that a column was set at random.")
    return tuple(made)


def _made_from(answer: DriversAnswer, table: Table) -> Iterator[str]:
    """Yield what the models are made from: what counts as nearer, what stays together, what is missing."""
    plural = table.row_noun[1]
    if answer.far:
        far = table.rows_in_words(answer.far)
        ends = " to ".join(value(e, answer.column.kind, answer.column.unit) for e in answer.ends)
        yield f"{far} outside {ends} would pull every effect, and count as lying there."
    if answer.stretches is not None and math.isfinite(answer.explained):
        by = answer.stretches.name
        yield f"{plural.capitalize()} follow each other by {by}, so stretches of it are held back whole."
    if answer.together is not None and math.isfinite(answer.explained):
        day = "day of " if answer.together.kind.temporal else ""
        alike = f"{plural.capitalize()} of one {day}{answer.together.name} are alike"
        yield f"{alike}, so they are held back together."
    if answer.basis.missing:
        lack = "lacks" if answer.basis.missing == 1 else "lack"
        yield f"{table.rows_in_words(answer.basis.missing)} {lack} {answer.column.name}."
    if answer.model_rows < answer.basis.used:
        yield f"Models are made from {table.rows_in_words(answer.model_rows)}, a fixed random part."
    if passed := answer.passed_over:
        some = [shortened(n) for n in passed[:4]]
        shown = listed([*some, f"{len(passed) - 4} more"] if len(passed) > 4 else some)
        yield f"Texts, names and numbers of single {plural} are not looked at: {shown}."


def _set_apart(answer: DriversAnswer) -> Iterator[str]:
    for one in answer.apart[:4]:
        computed = one.reason.startswith(f"{answer.column.name} is ")
        text = f"{one.name} is set apart: {'' if computed else 'it '}{one.reason}."
        yield Caution(text, "put it back", turn="slot", slot="back", value=one.name)
    if len(answer.apart) > 4:
        rest = counted(len(answer.apart) - 4, "more column")
        yield f"{rest} {'is' if len(answer.apart) == 5 else 'are'} set apart."


def _known_after(answer: DriversAnswer) -> Iterator[str]:
    """Yield a question for each driver whose name sounds as if it came after what it would drive."""
    for name in (n for d in answer.found[:6] for n in d.columns):
        if AFTER & set(name.lower().replace("-", "_").split("_")):
            text = f"Is {name} known before {answer.column.name}? If only after, it drives nothing."
            yield Caution(text, "leave it out", turn="slot", slot="without", value=name)
