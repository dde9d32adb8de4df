"""What people say for what drives a column."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase(
        "what drives|drives|drivers of|driver of|what explains|explains|what determines|determines|what influences|influences"
        "|what affects|affects|what causes|causes|what predicts|predictors of|predicts|key drivers|key drivers of|main drivers"
        "|main drivers of|what is behind|what matters for|factors behind|factors of|influencing|drivers|importance"
        "|feature importance|what does depend on|what depends|depends on|depend on|dependent on|determining|explaining|root causes of",
        vote=1.25,
    ),
    Phrase("why is|why are|why do|why does", vote=0.9),
    Phrase("high|higher|low|lower|so high|so low|vary|varies", vote=0.15),
    Phrase("as a few rules|as rules|a few rules|rules for|simple rules|as a tree|decision tree|as a decision tree|rules", "shape", "rules", vote=0.6),
    Phrase("open @|opened at @|closer at @|look closer at @", "opened", column_name, vote=0.2),
    Phrase("as bars", "shape", "drivers", vote=0.05),
    Phrase("without @|leaving out @|leave out @|ignoring @|ignore @|not counting @|other than @|apart from @|besides @", "without", column_name, vote=0.2),
    Phrase("put back @|with @ put back|with @ again", "back", column_name, vote=0.2),
    Phrase("being ^|is ^", "value", lambda args, question: args[0], vote=0.2),
    Phrase("each row by itself|every row by itself", "together", "-", vote=0.2),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about drivers: they are asked for, of one column."""
    if asked.votes < 0.9 or asked.timed or asked.numbers + asked.categories > 1:
        return None
    if not (asked.numbers or asked.categories or asked.figured):
        return None
    # why is it so, of some rows: their difference from the rest is asked
    return (
        0.9 - 0.5 * asked.groups - 0.3 * asked.categories - (0.5 if asked.kept and asked.votes < 1.2 else 0.0)
    )
