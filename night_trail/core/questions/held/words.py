"""What is said beside an effect with others held fixed."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from night_trail.core.language.numbers import MINUS, listed, number, percent, unit_suffix, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, shortened, spans
from night_trail.core.questions.held.answer import MOST_ROWS, HeldAnswer, Shown
from night_trail.core.table import Table

SURE = 0.01
FADED, GROWN = 0.5, 1.5
INFLATED = 10.0


def effect_said(answer: HeldAnswer) -> Callable[[float], str]:
    """Return how an effect is written: with its sign, in the target's unit or in percentage points."""

    def said(at: float) -> str:
        size = abs(at)
        shown = (
            f"{number(100 * size, 2)} percentage points"
            if answer.logistic
            else value(size, answer.column.kind, answer.column.unit, 3)
        )
        some = any(digit in "123456789" for digit in shown)
        return f"{MINUS if at < 0 and some else '+' if some else ''}{shown}"

    return said


def step_said(answer: HeldAnswer) -> str:
    """Return how much more of a number an effect is of: ``1 mm more of rain_mm``."""
    return f"{number(answer.step)}{unit_suffix(answer.by.unit_words)} more of {answer.by.name}"


def held_words(answer: HeldAnswer, table: Table) -> Words:
    """Return the words of an effect plain and held."""
    if not answer.fitted:
        text = "{n} have all of these columns: too few for a model of {of}, or all alike in it."
        n = table.rows_in_words(answer.basis.used)
        return Words(spans(text, n=n, of=answer.column.name), (), _cautions(answer, table))
    headline = (_of_number if answer.step else _of_category)(answer)
    if answer.changer is not None:
        headline += _changed(answer)
    how = "differences" if not answer.logistic else "differences between yes and no"
    headline += spans(
        f" The model explains {{r2}} of the {how} on rows it was fitted to, {{unseen}} on others.",
        r2=percent(max(answer.explained, 0.0)),
        unseen=percent(max(answer.unseen, 0.0)) if math.isfinite(answer.unseen) else "—",
    )
    return Words(headline, _facts(answer), _cautions(answer, table))


def _fixed(answer: HeldAnswer) -> str:
    return listed(answer.fixed) if answer.fixed else "nothing"


def _verdict(answer: HeldAnswer, plain: float, held: float) -> str:
    """Return in a word what became of an effect."""
    here, there = answer.chance < SURE, answer.plain_chance < SURE
    if not there and not here:
        return "there is nothing beyond chance, plainly or held fixed"
    if there and not here:
        return "it does not hold: what is left may be chance"
    if here and not there:
        return "it shows only so: plainly it may be chance"
    if answer.step and plain * held < 0:
        return "it turns round"
    ratio = abs(held) / max(abs(plain), 1e-300)
    return "it fades" if ratio < FADED else "it grows" if ratio > GROWN else "it holds"


def _of_number(answer: HeldAnswer) -> tuple[Span, ...]:
    first, said = answer.shown[0], effect_said(answer)
    made = spans(
        "{step} goes plainly with {plain} of {of}, with {fixed} held fixed with {held} ({low} to {high}): "
        "{verdict}.",
        step=Span(_capital(step_said(answer))),
        plain=said(first.plain),
        of=Span(answer.column.name),
        fixed=Span(shortened(_fixed(answer))),
        held=said(first.held),
        low=said(first.held - first.held_half),
        high=said(first.held + first.held_half),
        verdict=Span(_verdict(answer, first.plain, first.held)),
    )
    others = answer.shown[1:]
    if others:
        low, high = min(others, key=lambda s: s.held), max(others, key=lambda s: s.held)
        made += spans(
            " It goes from {low} ({a}) to {high} ({b}).",
            low=said(low.held),
            a=Span(shortened(low.label)),
            high=said(high.held),
            b=Span(shortened(high.label)),
        )
    return made


def _of_category(answer: HeldAnswer) -> tuple[Span, ...]:
    said = effect_said(answer)
    named = [s for s in answer.shown if s.condition is not None] or list(answer.shown)
    apart, held_apart = (_apart(named, key) for key in (lambda s: s.plain, lambda s: s.held))
    low, high = min(named, key=lambda s: s.held), max(named, key=lambda s: s.held)
    return spans(
        "Plainly the values of {by} lie up to {plain} apart in {of}, with {fixed} held fixed up to {held}: "
        "{verdict}. Held fixed, {high} lies highest ({a} against all rows), {low} lowest ({b}).",
        by=answer.by.name,
        plain=said(apart).lstrip("+"),
        of=Span(answer.column.name),
        fixed=Span(shortened(_fixed(answer))),
        held=said(held_apart).lstrip("+"),
        verdict=Span(_verdict(answer, apart, held_apart)),
        high=high.label,
        a=said(high.held),
        low=low.label,
        b=said(low.held),
    )


def _apart(shown: list[Shown], of: Callable[[Shown], float]) -> float:
    return max(map(of, shown)) - min(map(of, shown))


def _changed(answer: HeldAnswer) -> tuple[Span, ...]:
    one = answer.changer
    assert one is not None  # noqa: S101  (asked where there is one)
    said = effect_said(answer)
    turns = ", and turns it round" if answer.step and one.plain * one.held < 0 else ""
    return spans(
        f" {{name}} alone changes it most: from {{plain}} to {{held}}{turns}.",
        name=one.name,
        plain=said(one.plain),
        held=said(one.held),
    )


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _facts(answer: HeldAnswer) -> tuple[Fact, ...]:
    said = effect_said(answer)
    found = []
    for one in answer.shown:
        found.append(Fact(f"plain:{one.label}", f"plain effect, {one.label}", one.plain, said(one.plain)))
        found.append(Fact(f"held:{one.label}", f"effect held fixed, {one.label}", one.held, said(one.held)))
    found.append(Fact("explained", "share explained", answer.explained, percent(max(answer.explained, 0.0))))
    found.append(Fact("unseen", "share explained unseen", answer.unseen, percent(max(answer.unseen, 0.0))))
    return tuple(found)


def _cautions(answer: HeldAnswer, table: Table) -> tuple[str, ...]:
    made = list(_left_out(answer, table))
    if answer.apart:
        names = listed([shortened(a.name) for a in answer.apart[:3]])
        more = f" and {len(answer.apart) - 3} more" if len(answer.apart) > 3 else ""
        made.append(f"Not held fixed, since each says {answer.column.name} or gives it: {names}{more}.")
    if not answer.fitted:
        return tuple(made)
    if answer.together is not None:
        day = "day of " if answer.together.kind.temporal else ""
        made.append(
            f"{_capital(table.row_noun[1])} of one {day}{answer.together.name} are alike in what is left, "
            "so intervals are those of such sets."
        )
    worst = max((t.inflation for t in answer.terms if t.of_by), default=1.0)
    if worst > INFLATED:
        made.append(
            f"What is held fixed nearly gives {answer.by.name}: its variance is inflated {number(worst, 2)} "
            "times, and its own effect hardly known."
        )
    if answer.bends:
        made.append(
            Caution(
                "What is left still bends with what is expected: sums and straight lines miss something.",
                "see what is left",
                turn="slot",
                slot="shape",
                value="residuals",
            )
        )
    if not answer.converged:
        made.append(
            "The model foretells some rows without fail: its coefficients have no end, its effects do."
        )
    made.append(
        "Held fixed by sums and straight lines, and only what the table has: something else may still be why."
    )
    return tuple(made)


def _left_out(answer: HeldAnswer, table: Table) -> Iterator[str]:
    """Yield which rows the model is not fitted to."""
    plural, missing = table.row_noun[1], answer.basis.missing
    many = answer.basis.rows - missing
    if many > MOST_ROWS:
        yield f"Fitted to {MOST_ROWS:,} of {many:,} {plural}, a fixed random part."
    if missing:
        lack, are = ("lacks", "is") if missing == 1 else ("lack", "are")
        both = f"{answer.column.name} or {answer.by.name}"
        yield f"{table.rows_in_words(missing)} {lack} {both} and {are} left out."
    fewer = answer.looked - answer.basis.used
    if fewer:
        lack, are = ("lacks", "is") if fewer == 1 else ("lack", "are")
        yield f"{table.rows_in_words(fewer)} more {lack} a column that is held fixed and {are} left out."
