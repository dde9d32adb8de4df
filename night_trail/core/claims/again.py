"""What became of a claim on newer rows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from night_trail.core.claims.verdict import Verdict

Again = Literal["holds", "weaker", "gone", "open"]

LESS = 0.5
"""A figure that shrank to this part of what it was is weaker, where no interval says how sure it was."""


def again(before: Mapping[str, Any], now: Verdict) -> Again:
    """Return whether a claim still holds, is weaker, or is gone.

    ``before`` is the verdict as it was kept: its figure, and where redraws lay. It is
    gone where its figure no longer says so, or redraws do not support the less than half
    that is left of it; weaker where redraws do not support it otherwise, or where its
    figure is nearer to nothing than all redraws were before.
    """
    if now.state == "open":
        return "open"
    if now.state == "fails":
        return "gone"
    was = before.get("figure")
    if now.state == "weak":
        if before.get("state") != "holds":
            return "holds"
        # where redraws do not support what is left, and little is left, it is nothing
        return "gone" if was and abs(now.figure) < LESS * abs(was) else "weaker"
    if was and _nearest(before) is not None and abs(now.figure) < (_nearest(before) or 0.0):
        return "weaker"
    if was and _nearest(before) is None and before.get("state") == "holds":
        return "weaker" if abs(now.figure) < LESS * abs(was) else "holds"
    return "holds"


def _nearest(before: Mapping[str, Any]) -> float | None:
    """Return the end of redraws nearest to nothing; None where there is none, or they lay around it."""
    low, high = before.get("low"), before.get("high")
    if low is None or high is None:
        return None
    return None if low <= 0 <= high else float(min(abs(low), abs(high)))


def became_words(state: Again, before: Mapping[str, Any]) -> str:
    """Return what became of a claim; one that spoke of what had not come came true, or did not."""
    if before.get("state") == "open" and state in ("holds", "gone"):
        return "has come true" if state == "holds" else "has not come true"
    words: dict[Again, str] = {
        "holds": "still holds",
        "weaker": "is weaker",
        "gone": "is gone",
        "open": "cannot be checked yet",
    }
    return words[state]


def counted_again(found: Mapping[Again, int]) -> str:
    """Return how many claims hold, are weaker or gone.

    >>> counted_again({"holds": 2, "gone": 1})
    '2 claims hold, 1 is gone'
    """
    verbs = {
        "holds": ("holds", "hold"),
        "weaker": ("is weaker", "are weaker"),
        "gone": ("is gone", "are gone"),
        "open": ("cannot be checked yet", "cannot be checked yet"),
    }
    parts: list[str] = []
    for state, (one, many) in verbs.items():
        count = found.get(state, 0)  # type: ignore[call-overload]
        if count:
            noun = f" claim{'' if count == 1 else 's'}" if not parts else ""
            parts.append(f"{count:,}{noun} {one if count == 1 else many}")
    return ", ".join(parts)
