"""What is said of the middles of groups: which is highest, which lowest, and among which."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from night_trail.core.language.numbers import counted
from night_trail.core.language.spans import Span, spans
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.table import Table

BEYOND = " They lie further apart than chance would put them."
BY_CHANCE = " So far apart they may lie by chance."
Middle = tuple[float, str]
"""A group's middle and its name."""


def middles_in_words(
    middles: Sequence[Middle],
    groups: Grouping,
    said: Callable[[float], str],
    name: str = "",
    temporal: bool = False,
    apart: bool = False,
) -> tuple[Span, ...]:
    """Say whose middle is highest and whose lowest; ``middles`` are those of groups that stand apart.

    A spread keeps the groups with the most rows: what is gathered may lie
    higher or lower, so that the words say among which they speak. ``apart`` is whether
    the two lie further apart than chance puts them.
    """
    if len(middles) < 2:
        return ()
    (low, lowest), (high, highest) = min(middles), max(middles)
    what = f"middle {name}".strip()
    which = f"{len(middles)} groups drawn" if groups.tied else f"{len(middles)} groups with the most rows"
    among = f"Of the {which}, the" if gathered(groups) else "The"
    if low == high:
        return (Span(f"{among} {what} is {said(low)} in every one."),)
    top, bottom = ("latest", "earliest") if temporal else ("highest", "lowest")
    text = f"{among} {{what}} is {top} for {{highest}} at {{high}} and {bottom} for {{lowest}} at {{low}}."
    return (
        *spans(
            text, what=Span(what), highest=highest, high=said(high), lowest=lowest, low=said(low),
        ),
        Span(BEYOND if apart else BY_CHANCE),
    )  # fmt: skip


def gathered(groups: Grouping) -> int:
    """Return how many groups of a grouping are gathered in its last."""
    return sum(group.others for group in groups.groups)


def gathered_caution(groups: Grouping, rows: int | None, table: Table) -> list[str]:
    """Say how many groups are gathered in the last, and of how many rows where that is known."""
    count = gathered(groups)
    if not count:
        return []
    of = "" if rows is None else f", with {table.rows_in_words(rows)}"
    smaller = "further group" if groups.tied else "smaller group"
    return [f"{counted(count, smaller)}{of}, {'is' if count == 1 else 'are'} gathered in the last."]
