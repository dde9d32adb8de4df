"""The sentence of a grid of correlations."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.correlation import answer as together_answer
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

BY_WORDS = {"line": "by straight lines", "rank": "by ranks"}


def said(question: Correlations, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of many numbers together."""
    n = len(together_answer.columns_for(question, table))
    parts = [Part("How do "), Part(f"these {n} numbers", "columns"), Part(" "), Part("move together", "way")]
    return Sentence((*parts, Part(", "), Part(BY_WORDS[question.by], "by"), Part("?")))


def short_name(question: Correlations) -> str:
    """Return a short name."""
    return f"{len(question.columns)} numbers together" if question.columns else "numbers together"


def read(body: str, table: Table) -> Correlations | None:
    """Return the question that typed words ask for: ``how do the numbers move together``."""
    found = re.match(
        r"(?:how do )?(?:(?:these|the|all)(?: \d+)? numbers|numbers)(?: move)? together,?(.*)$",
        body,
        re.IGNORECASE,
    )
    if found is None:
        return None
    rest = found[1].strip(" ,").lower()
    by = next((k for k, words in BY_WORDS.items() if rest == words), None)
    if rest and by is None:
        raise BadQuestion(f"“{rest}” was not understood", "", "Try: by ranks.")
    question = Correlations(by="rank" if by == "rank" else "line")
    together_answer.check(question, table)
    return question


def changed(
    question: Correlations, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Correlations, str]:
    """Return the question with another choice in a slot."""
    if slot == "columns":
        names = [c.name for c in together_answer.columns_for(question, table)]
        if not value:
            return replace(question, columns=()), "all numbers together"
        name = table.column(value).name
        kept = tuple(n for n in names if n != name) if name in names else (*names, name)
        return replace(question, columns=kept), f"{'without' if name in names else 'with'} {name}"
    if slot == "by":
        return replace(question, by=value), chosen(slot, value, BY_WORDS)
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
