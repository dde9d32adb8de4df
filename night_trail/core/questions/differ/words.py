"""What is said beside how rows differ."""

from __future__ import annotations

from collections.abc import Sequence

from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import counted, listed, number, percent, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, shortened, spans
from night_trail.core.questions.differ.answer import FEW, Contrast, DifferAnswer
from night_trail.core.table import Table

SPOKEN = 3


def differ_words(answer: DifferAnswer, table: Table) -> Words:
    """Return the words of how rows differ."""
    plural = table.row_noun[1]
    ones = f"{plural} where {shortened(in_words(answer.question.ones, table))}"
    rest = answer.question.others
    others = "the rest" if rest is None else f"those where {shortened(in_words(rest, table))}"
    cautions = _cautions(answer, table)
    if min(answer.n) < FEW:
        few = ones if answer.n[0] <= answer.n[1] else others
        are = "is" if min(answer.n) == 1 else "are"
        text = f"There {are} {{n}} among {{few}}: too few to say how they differ."
        return Words(spans(text, few=Span(few), n=table.rows_in_words(min(answer.n))), (), cautions)
    found, looked = answer.found, len({c.column.name for c in answer.contrasts})
    facts = tuple(_fact(c) for c in answer.contrasts)
    if not found:
        text = "Nothing tells {ones} from {others} beyond chance, in {n} looked at."
        return Words(
            spans(text, ones=Span(ones), others=Span(others), n=counted(looked, "column")), facts, cautions
        )
    headline = spans(
        f"{plural.capitalize()} where {{ones}} differ most in {{first}}: {{how}}.",
        ones=in_words(answer.question.ones, table),
        first=found[0].name,
        how=Span(contrast_words(found[0])),
    )
    more = [f"{c.name} ({contrast_words(c)})" for c in found[1:SPOKEN]]
    if more:
        headline += spans(" Then in {more}.", more=Span(listed(more)))
    rest_of = len(answer.contrasts) - len(found)
    if rest_of:
        text = " They differ in {k} of {n} looked at; elsewhere they are alike, or it may be chance."
        k = str(len({c.column.name for c in found}))
        headline += spans(text, k=k, n=counted(looked, "column"))
    return Words(headline, facts, cautions)


def contrast_words(one: Contrast) -> str:
    """Return what a column's two sides are, the first against the other."""
    if one.of_missing:
        return f"missing in {percent(one.shares[0].ones)}, of the others in {percent(one.shares[0].others)}"
    if one.middles is not None and one.higher is not None:
        first, other = (value(at, one.column.kind, one.column.unit) for at in one.middles)
        if first != other and abs(one.higher) >= one.apart / 2:
            return f"half lie above {first}, of the others above {other}"
    most = one.telling
    return f"{shortened(most.label)}: {percent(most.ones)}, of the others {percent(most.others)}"


def _fact(one: Contrast) -> Fact:
    key = f"apart:{one.name}"
    return Fact(key, f"how far apart in {one.name}, from 0 to 1", one.apart, number(one.apart, 2))


def _cautions(answer: DifferAnswer, table: Table) -> tuple[str, ...]:
    one, plural = table.row_noun
    named = answer.question.named
    made: list[str] = [
        f"{_listed(named)} {_verb(named, 'says', 'say')} which {plural} are meant, "
        f"and {_verb(named, 'is', 'are')} not compared."
    ]
    if answer.both:
        are = "is" if answer.both == 1 else "are"
        made.append(f"{table.rows_in_words(answer.both)} would be on both sides, and {are} on neither.")
    if min(answer.n) < FEW:
        return tuple(made)
    if answer.looked != answer.n:
        a, b = (f"{k:,} of {n:,}" for k, n in zip(answer.looked, answer.n, strict=True))
        made.append(f"Looked at: {a} of these, {b} of the others, a fixed random part.")
    if answer.together is not None:
        day = "day of " if answer.together.kind.temporal else ""
        made.append(
            f"{plural.capitalize()} of one {day}{answer.together.name} are often on one side together, "
            f"so chance is judged by one {one} of each."
        )
    if passed := answer.passed_over:
        made.append(
            f"{_listed(passed)} {_verb(passed, 'holds', 'hold')} texts, names or numbers of single {plural}, "
            f"and {_verb(passed, 'is', 'are')} not compared."
        )
    same = next((c for c in answer.found if not c.of_missing and c.apart > 0.9), None)
    if same is not None:
        said = f"{shortened(same.name)} hardly has a value on both sides: it may say what was chosen."
        made.append(Caution(said, "leave it out", turn="slot", slot="without", value=same.column.name))
    if answer.found:
        made.append("Goes with, not because of: what differs need not be why.")
    return tuple(made)


def _verb(names: Sequence[str], one: str, many: str) -> str:
    return one if len(names) == 1 else many


def _listed(names: Sequence[str], most: int = 4) -> str:
    """Return names in a sentence, of many the first."""
    shown = [shortened(n) for n in names[:most]]
    return listed([*shown, f"{len(names) - most} more"] if len(names) > most else shown)
