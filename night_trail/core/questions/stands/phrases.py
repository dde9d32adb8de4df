"""What people say for what stands out."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase(
        "what stands out|stands out|standing out|outliers|outlier|anomalies|anomaly|what is odd|what is strange|what is unusual"
        "|what is wrong with|what is suspicious|oddities|strange values|odd values|unusual values|suspicious values|extreme values|extremes"
        "|data quality|errors|typos|mistakes|slips|wrong values|bad data|implausible|implausible values|suspicious|unusual|anything odd|anything strange"
        "|anything unusual|what is off|what looks wrong|what looks odd|find outliers|show outliers|find anomalies|check for errors",
        vote=1.25,
    ),
    Phrase("within each @|within every @|within @|inside each @|for each @|per @|by @", "within", column_name, vote=0.1),
    Phrase("the whole table|whole table|the table|everything|all columns|anywhere", "column", "", vote=0.1),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is what stands out: it is said, of one column or of none."""
    if asked.votes < 0.9 or asked.numbers + asked.categories > 2:
        return None
    return 0.85 - 0.2 * asked.categories
