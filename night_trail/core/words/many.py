"""What is said beside a grid of correlations, and beside one of two categories."""

from __future__ import annotations

from night_trail.core.answers.goes import LEAST_EXPECTED, GoesAnswer
from night_trail.core.answers.together import TogetherAnswer
from night_trail.core.table import Table
from night_trail.core.words.numbers import counted, number
from night_trail.core.words.value import Fact, Span, Words, spans

NOTABLE, CHANCE = 0.3, 0.05


def together_words(answer: TogetherAnswer, table: Table) -> Words:
    """Return the words of a grid of correlations."""
    pairs = answer.pairs()
    if not pairs:
        return Words(spans("No pair of these numbers varies together on any row."))
    names = [c.name for c in answer.columns]
    facts = [
        Fact(
            f"r:{names[i]}:{names[j]}",
            f"{names[i]} with {names[j]}",
            float(answer.r[i, j]),
            number(float(answer.r[i, j]), 3),
        )
        for i, j in pairs[:100]
    ]
    i, j = pairs[0]
    how = "rises" if answer.r[i, j] > 0 else "falls"
    what = "rank correlation" if answer.question.by == "rank" else "correlation"
    beyond = int(answer.found.sum()) // 2
    text = "{a} " + how + " most with {b}: " + what + " {r}."
    if not answer.found[i, j]:
        text = "No pair goes together beyond chance; the strongest, {a} with {b}, has a " + what + " of {r}."
    headline = spans(text, a=names[i], b=names[j], r=number(float(answer.r[i, j]), 2))
    strong = sum(abs(float(answer.r[p])) >= NOTABLE for p in pairs)
    differ, are = "differs" if beyond == 1 else "differ", "is" if strong == 1 else "are"
    headline += spans(
        f" Of {{n}} pairs {{beyond}} {differ} from 0 beyond chance, and {{strong}} {are} 0.3 or stronger.",
        n=str(len(pairs)),
        beyond=str(beyond),
        strong=str(strong),
    )
    cautions = []
    if len(pairs) > 20:
        cautions.append(
            f"{len(pairs)} pairs were looked at; of those called beyond chance about one in twenty is not."
        )
    least = min(int(answer.n[p]) for p in pairs)
    if least < table.height:
        cautions.append(
            f"Each pair uses the rows that have both; the fewest are {table.rows_in_words(least)}."
        )
    return Words(headline, tuple(facts), tuple(cautions))


def goes_words(answer: GoesAnswer, table: Table) -> Words:
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
