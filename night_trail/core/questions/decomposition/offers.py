"""What the slots of a series taken apart offer."""

from __future__ import annotations

from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.decomposition.sentence import APART_SHOW, WAY_WORDS
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.time_offers import (
    clocks,
    grains,
    offers_first,
    times,
)


def offers(slot: str, look: Looking, question: Decomposition) -> list[Offer]:
    """Return the choices for a slot."""
    found = offers_first(slot, look, question)
    if found is not None:
        return found
    makers = {"time": _times, "grain": grains, "how": _hows, "show": _apart_shows}
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _hows(look: Looking, question: Decomposition) -> list[Offer]:
    return [
        Offer("as fits", None, question.way is None, "what leaves the remainder more even"),
        *(Offer(words, key, key == question.way) for key, words in WAY_WORDS.items()),
    ]


def _apart_shows(look: Looking, question: Decomposition) -> list[Offer]:
    return [Offer(words, key, key == question.show) for key, words in APART_SHOW.items()]


def _times(look: Looking, question: Decomposition) -> list[Offer]:
    return [*times(look, question), *clocks(look, question)]
