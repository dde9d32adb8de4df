"""What a cairn or stop claims: proposed, typed, checked, kept, let go."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import msgspec
from django.http import HttpRequest

from night_trail.core.claims.check import check
from night_trail.core.claims.claim import Claim
from night_trail.core.claims.propose import claims_of
from night_trail.core.claims.verdict import Verdict
from night_trail.core.claims.words import EXAMPLE, claim_from, in_sentence, instead, verdict_words
from night_trail.core.errors import NightTrailError
from night_trail.core.question import decode, to_json
from night_trail.trails.behind import behind
from night_trail.trails.models import Annotated
from night_trail.trails.pictures import Desk

MOST_JSON = 8_000


@dataclass(frozen=True)
class Checked:
    """A claim with what became of it, in words; ``post`` is the claim as JSON."""

    sentence: str
    verdict: str
    state: str
    post: str


def checked(claim: Claim, desk: Desk) -> tuple[Checked, Verdict]:
    """Return a claim with its verdict on the rows of a scene."""
    found = check(claim, desk.rows)
    said = in_sentence(claim, desk.table)
    words = verdict_words(claim, found, desk.table)
    return Checked(said[:1].upper() + said[1:], words, found.state, to_json(claim)), found


def claim_context(thing: Annotated, desk: Desk, proposes: bool = True) -> dict[str, Any]:
    """Return what a page shows of a claim: itself with its verdict, or those that fit the picture."""
    context: dict[str, Any] = {"example": EXAMPLE, "claim_part": desk.table.part_words}
    claim = thing.claim_value()
    if claim is not None:
        try:
            shown, verdict = checked(claim, desk)
        except NightTrailError as error:
            words = (thing.verdict or {}).get("sentence", "")
            return context | {"uncheckable": str(error), "claim_words": words, "typed": words}
        context["claim"] = shown
        context["typed"] = in_sentence(claim, desk.table)
        other = instead(claim, verdict) if verdict.state in ("fails", "weak") else None
        if other is not None and proposes:
            offered, of_other = checked(other, desk)
            context["instead"] = offered if of_other.state in ("holds", "weak") else None
        return context
    if proposes and desk.scene.main is not None:
        waits = behind(desk.scene.main) is not None
        answer = desk.answer(desk.scene.main)
        pending = waits and getattr(answer, "pending", None) is not None
        found = [] if pending else claims_of(desk.scene.main, desk.rows, answer)
        context["proposed"] = [checked(one, desk)[0] for one, _ in found]
    return context


def take_claim(request: HttpRequest, thing: Annotated, desk: Desk) -> None:
    """Keep what a form claims: one that was proposed, one that was typed, or none.

    Raises
    ------
    NightTrailError
        Where it cannot be read or the table cannot have it; the earlier one is kept.
    """
    if request.POST.get("none"):
        claim: Claim | None = None
    elif request.POST.get("claim"):
        claim = decode(request.POST["claim"][:MOST_JSON], Claim, "claim")
    else:
        claim = claim_from(request.POST.get("typed", "")[:MOST_JSON], desk.table)
    keep_claim(thing, claim, desk)


def keep_claim(thing: Annotated, claim: Claim | None, desk: Desk) -> None:
    """Keep a claim with what it is now found to be."""
    thing.claim = thing.verdict = None
    if claim is not None:
        shown, verdict = checked(claim, desk)
        thing.claim = msgspec.to_builtins(claim)
        thing.verdict = kept_verdict(shown, verdict)
    thing.save(update_fields=["claim", "verdict"])


def kept_verdict(shown: Checked, verdict: Verdict) -> dict[str, Any]:
    """Return a verdict as what a JSON field holds."""
    figures = {"figure": verdict.figure, "low": verdict.low, "high": verdict.high}
    return {
        "state": verdict.state,
        "sentence": shown.sentence,
        "said": shown.verdict,
        **{name: at for name, at in figures.items() if math.isfinite(at)},
    }
