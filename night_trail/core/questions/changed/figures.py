"""The numbers behind a change, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def changed_figures(answer: ChangedAnswer) -> Made:
    """Return each part of the change: both figures and what of its change is rows and what is rate."""
    more, rate = ("more rows", "amount a row") if answer.adds_up else ("weight", "rate")

    def rows() -> Iterator[list[Figure]]:
        for one in answer.segments:
            said = "yes" if one.unexpected else "no"
            parts = [one.change, one.rate, one.weight]
            yield [one.label, one.before, one.after, *parts, *one.n, one.off, said, one.lit]

    names = [
        "part",
        "before",
        "after",
        "change",
        rate,
        more,
        "rows before",
        "rows after",
        "off course",
        "unexpected",
    ]
    return names, rows()
