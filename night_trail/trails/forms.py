"""What pages post, turned into changes of the core."""

from __future__ import annotations

import json

from django.http import QueryDict

from night_trail.core.conditions import Between, Condition, Contains, Missing, Not, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import number_in, whole, written_in
from night_trail.core.question import decode
from night_trail.core.questions.shared.slot_forms import read_form
from night_trail.core.table import Column, Table
from night_trail.core.turns import Change, Light, Only, OnlyWords, Reword, Say, Slot

MOST_JSON = 60_000


def change_from(post: QueryDict, table: Table) -> Change:
    """Return the change a page posted: as JSON, as words, as a bins form or as a condition form."""
    fields = _fields(post)
    if "change" in post:
        if len(posted := post.get("change", "")) > MOST_JSON:
            raise BadQuestion(
                "That is too long to be one turn", "", "Light fewer rows by hand, or use a range."
            )
        turn: Change = decode(posted, Change, "turn")
        return turn
    if slot := post.get("set", ""):
        return Slot(slot, read_form(slot, fields))
    if "phrase" in post:
        return OnlyWords(written_in(fields, "phrase"), light=post.get("as") == "light")
    if "reworded" in post:
        return Reword(_position(post), written_in(fields, "reworded"))
    if "column" in post:
        condition = condition_from(post, table.column(post.get("column", "")))
        condition = Not(condition) if post.get("not") else condition
        return Light(condition) if post.get("as") == "light" else Only(condition)
    return Say(written_in(fields, "words"), post.get("reading", "")[:40])


def condition_from(post: QueryDict, column: Column) -> Condition:
    """Return the condition a form states on one column."""
    fields = _fields(post)
    if post.get("missing"):
        return Missing(column.name)
    if values := post.getlist("value"):
        return OneOf(column.name, tuple(values))
    if text := post.get("text", "").strip():
        return Contains(column.name, text)
    if column.kind.temporal and (count := number_in(fields, "recent")) is not None:
        recent: Condition = decode(
            json.dumps(
                {
                    "type": "recent",
                    "column": column.name,
                    "count": int(count) if count == int(count) else count,
                    "unit": post.get("unit", ""),
                }
            ),
            Condition,
            "condition",
        )
        return recent
    if column.kind.temporal:
        low, high = post.get("low", "").strip() or None, post.get("high", "").strip() or None
        if low is None and high is None:
            raise BadQuestion("No date is given", column.name, "Fill in from, to, or both.")
        return Between(column.name, low, high, high_closed=True)
    low_number, high_number = (
        number_in(fields, "low"),
        number_in(fields, "high"),
    )
    if low_number is None and high_number is None:
        raise BadQuestion("Nothing is chosen", column.name, "Fill in a field first.")
    return Between(column.name, low_number, high_number, high_closed=True)


def _position(post: QueryDict) -> int:
    at = whole(post.get("position", ""), 99_999)
    return -1 if at is None else at


def _fields(post: QueryDict) -> dict[str, str]:
    return {name: post.get(name, "") for name in post}
