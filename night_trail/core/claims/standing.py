"""Claims that something stands out: the search that found it, made on the rows as they are now."""

from __future__ import annotations

from night_trail.core.claims.claim import StandsOut
from night_trail.core.claims.verdict import State, Verdict
from night_trail.core.questions.stands.answer import stands_out
from night_trail.core.questions.stands.found import Finding
from night_trail.core.questions.stands.question import Stands
from night_trail.core.rows import Rows


def question_of(claim: StandsOut) -> Stands:
    """Return the question whose answer tells of it."""
    return Stands(claim.of, claim.within)


def told_of(claim: StandsOut, findings: tuple[Finding, ...]) -> Finding | None:
    """Return the finding that a claim speaks of, of several that with the most rows."""
    its = [
        one
        for one in findings
        if one.sort == claim.sort and one.columns[: len(claim.columns)] == claim.columns
    ]
    return max(its, key=lambda one: one.n, default=None)


def stands(claim: StandsOut, rows: Rows) -> Verdict:
    """Return whether something of this sort stands out; the search itself says how surely."""
    answer = stands_out(question_of(claim), rows)
    found = told_of(claim, answer.findings)
    if found is None:
        return Verdict("fails", 0.0, n=answer.basis.used)
    state: State = "holds" if found.n >= claim.least else "fails"
    return Verdict(state, float(found.n), n=answer.basis.used, other=f"{found.here}; {found.usual}")
