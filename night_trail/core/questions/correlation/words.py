"""What is said beside a grid of correlations."""

from __future__ import annotations

from night_trail.core.language.numbers import number
from night_trail.core.language.spans import Fact, Words, spans
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.table import Table

NOTABLE, CHANCE = 0.3, 0.05


def correlation_words(answer: CorrelationAnswer, table: Table) -> Words:
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
