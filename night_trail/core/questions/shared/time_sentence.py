"""Words that the sentences of time share."""

from __future__ import annotations

from night_trail.core.moments import PART_NAMES

GRAIN_WORDS: dict[str, str] = {
    "hour": "hour by hour",
    "day": "day by day",
    "week": "week by week",
    "month": "month by month",
    "quarter": "quarter by quarter",
    "year": "year by year",
}
MONTH_NAMES = PART_NAMES["year"]
