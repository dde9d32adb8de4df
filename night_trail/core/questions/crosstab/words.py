"""What is said beside a grid of two categories."""

from __future__ import annotations

from night_trail.core.language.numbers import counted, number
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.correlation.words import CHANCE
from night_trail.core.questions.crosstab.answer import LEAST_EXPECTED, CrosstabAnswer
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.table import Table


def crosstab_words(answer: CrosstabAnswer, table: Table) -> Words:
    """Return the words of two categories against each other."""
    if not answer.basis.used:
        return Words(spans("No row that is kept has both groups."))
    lines = [g.label for g in answer.rows.groups]
    columns = [g.label for g in answer.columns.groups]
    k, m = answer.counts.shape
    places = [(i, j) for i in range(k) for j in range(m)]
    more = max(places, key=lambda at: answer.residuals[at])
    less = min(places, key=lambda at: answer.residuals[at])
    facts = []
    if answer.v is not None:
        facts.append(Fact("v", "Cramér's V", answer.v, number(answer.v, 2)))
    if answer.p is None or answer.p >= CHANCE:
        headline = spans("The two have no more to do with each other than chance gives.")
    else:
        strength = "" if answer.v is None else f" (Cramér's V {number(answer.v, 2)})"
        headline = spans(
            "{a} goes with {b} more often than chance would give: {n} against {expected}{strength}.",
            a=lines[more[0]],
            b=columns[more[1]],
            n=f"{int(answer.counts[more]):,}",
            expected=number(float(answer.expected[more]), 3),
            strength=Span(strength),
        )
        headline += spans(
            " {a} with {b} is the rarest for its size: {n} against {expected}.",
            a=lines[less[0]],
            b=columns[less[1]],
            n=f"{int(answer.counts[less]):,}",
            expected=number(float(answer.expected[less]), 3),
        )
    if answer.lit is not None:
        pairs = [(f"{lines[i]} with {columns[j]}", int(answer.lit[i, j])) for i, j in places]
        headline += where_lit(answer.basis.lit or 0, pairs, "pairs")
    cautions = []
    thin = sum(0 < float(answer.expected[at]) < LEAST_EXPECTED for at in places)
    if thin:
        verb = "expects" if thin == 1 else "expect"
        cautions.append(
            f"{counted(thin, 'cell')} {verb} fewer than 5 {table.row_noun[1]}: read them with care."
        )
    if answer.basis.missing:
        rows = table.rows_in_words(answer.basis.missing)
        cautions.append(f"{rows} lack one of the two and are left out.")
    return Words(headline, tuple(facts), tuple(cautions))
