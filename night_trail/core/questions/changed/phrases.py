"""What people say for why a figure changed."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase(
        "how come|how is it that|for what reason|why did fall|why did drop|why did rise|why did grow|why did change|why did go up|why did go down|why did|why has"
        "|why have|why was|why were|why is higher|why is lower|why are higher|why are lower|why does|why do|why fell|why rose"
        "|what made|what explains the fall|what explains the drop|what explains the rise|what explains the change"
        "|what is behind the fall|what is behind the drop|what is behind the rise|what is behind|reason for the drop"
        "|reason for the fall|reason for the rise|reasons for|what caused the drop|what caused the fall|what changed in"
        "|what happened to|what happened with|contributions to the change|what moved|what drove",
        vote=1.3,
    ),
    Phrase("why is|why are|why it is|why they are", vote=0.95),
    Phrase("higher|lower|so high|so low|worse|better|more|less|longer|shorter|fewer", vote=0.3),
    Phrase("against the year before|against a year earlier|against last year|compared with last year|compared to last year|against the same month a year earlier|versus last year|year on year|from a year earlier|to the year before", "before", "year before", vote=0.2),
    Phrase("against the month before|against the period before|from the period before|to the period before", "before", "period before", vote=0.2),
    Phrase("fall|fell|drop|dropped|decline|declined|decrease|decreased|rise|rose|grow|grew|increase|increased|go up|went up|go down|went down|jump|jumped|sink|sank|change|changed|collapse|collapsed|differ|differs", vote=0.3),
    Phrase("deeper by @|and then by @|down by @|cut by @|by parts of @|contributions by @", "by", column_name, vote=0.1),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about a change: why is asked, of something that is figured."""
    if asked.votes < 1.2:
        return None
    return 0.8 - 0.2 * asked.groups
