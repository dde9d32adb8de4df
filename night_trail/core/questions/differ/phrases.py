"""What people say for how some rows differ from others."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase(
        "differ from the rest|differ from the others|differ from others|differs from the rest|differ from all others"
        "|different from the rest|different from the others|with the others|with the rest|with all others"
        "|with everything else|against the rest|against the others|versus the rest|versus the others|vs the rest"
        "|vs the others|from the rest|from the others|than the rest|than the others|unlike the rest|what is special about"
        "|what is different about|what is different in|what makes|what sets apart|sets apart|sets apart from|apart from the rest|apart from the others|stand apart|marks out|how are different|how do differ"
        "|how does differ|how is different|what tells apart|what is typical of|what is typical for|what is peculiar to"
        "|what distinguishes|differ from those|different from those|differ from trips|different to|how do they differ|how it differs|differ",
        vote=1.2,
    ),
    Phrase("without @|leaving out @|leave out @|ignoring @|ignore @|not counting @|put back @|with @ again", "without", column_name, vote=0.2),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about rows and others: both are spoken of, and nothing is measured."""
    if asked.votes < 0.9 or not asked.counted or asked.timed or not asked.kept:
        return None
    return 0.7 - 0.5 * asked.numbers
