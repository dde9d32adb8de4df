"""What people say for a cycle: through the day, the week, the year."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase(
        "through the week|over the week|by weekday|by weekdays|by day of the week|by day of week|per weekday"
        "|day of the week|day of week|during the week|weekly pattern|weekly rhythm|weekly cycle"
        "|which weekday|which day of the week|across the week|each weekday|every weekday|weekday by weekday",
        "part", "week", vote=1.0,
    ),
    Phrase(
        "through the day|over the day|by hour of day|by hour of the day|by the hour of the day|hour of day"
        "|hour of the day|by time of day|time of day|by hour|per hour|each hour|during the day|through the night"
        "|daily pattern|daily rhythm|daily cycle|which hour|what time|across the day|by the hour|over the night",
        "part", "day", vote=1.0,
    ),
    Phrase(
        "through the year|by month of the year|by calendar month|month of the year|month of year"
        "|seasonal pattern|yearly pattern|yearly cycle|by season|per season|during the year|which month|across the year"
        "|each calendar month|time of year|by time of year|which months",
        "part", "year", vote=1.0,
    ),
    Phrase(
        "through the quarters|by quarter of the year|quarter of the year|which quarter|across quarters",
        "part", "quarters", vote=1.0,
    ),
    Phrase("cycle|cycle of|rhythm|rhythm of|pattern|pattern of", vote=0.3),
    Phrase("for each year|each year|per year|in each year|by year|a line for each year|every year", "split", "each year"),
    Phrase("columns|bars|bar chart|column chart|as columns", "shape", "columns"),
    Phrase("line|as a line|lines", "shape", "line"),
    Phrase(
        "by weekday and hour|by hour and weekday|by weekday and hour of day|by day and hour|weekday and hour"
        "|by weekday and month|by month and weekday",
        "shape", "grid", vote=1.2,
    ),
    Phrase("heat map|heatmap|heat grid|grid|grid of weekdays|by hour and weekday", "shape", "grid", vote=0.1),
    Phrase("a row for each weekday|rows for weekdays", "shape", "rows", vote=0.4),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a cycle: one is named."""
    if asked.votes < 0.9 or not (asked.figured or asked.numbers):
        return None
    return 0.6 - (0.8 if asked.groups > 1 else 0.0)
