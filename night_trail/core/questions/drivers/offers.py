"""What the slots of drivers offer."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.drivers.question import ALONE, Drivers
from night_trail.core.questions.drivers.sentence import SHAPE_WORDS
from night_trail.core.questions.drivers.target import check_target
from night_trail.core.questions.shared.kept_together import sets_of
from night_trail.core.questions.shared.largest import largest
from night_trail.core.questions.shared.looked_at import looked_at
from night_trail.core.questions.shared.offers import Looking, Offer, column_offer, no_slot
from night_trail.core.table import Column, Table

MOST_VALUES = 60


def offers(slot: str, look: Looking, question: Drivers) -> list[Offer]:
    """Return the choices for a slot."""
    table = look.table
    if slot == "column":
        return [column_offer(c, c.name == question.of) for c in drivable(table)]
    if slot == "value":
        return [Offer(v, v, v == question.value) for v in largest(table, question.of)[:MOST_VALUES]]
    if slot == "without":
        left = [Offer(f"with {name} again", name, True) for name in question.without]
        able = looked_at(table, {question.of, *question.without}, [])
        return [*left, *(Offer(f"without {c.name}", c.name, False) for c in able)]
    if slot == "back":
        return [Offer(f"{name} set apart again", name, True) for name in question.back]
    if slot == "together":
        rows = np.arange(table.height) if look.rows.kept is None else np.flatnonzero(look.rows.kept)
        some = rows[:: max(1, len(rows) // 20_000)]
        kept = question.together
        plural = table.row_noun[1]
        return [
            Offer("as the target needs it", "", kept is None),
            Offer(f"each {table.row_noun[0]} by itself", ALONE, kept == ALONE),
            *(Offer(f"{plural} of one {c.name}", c.name, c.name == kept) for c, _ in sets_of(table, some)),
        ]
    if slot == "opened":
        found = look.answer(question).found
        shown = [
            Offer(d.name, d.columns[0], question.opened in d.columns) for d in found if d.effect is not None
        ]
        return [Offer("all of them", "", question.opened is None), *shown]
    if slot == "shape":
        return [Offer(words, key, key == question.shape) for key, words in SHAPE_WORDS.items()]
    raise no_slot(slot)


def drivable(table: Table) -> Iterator[Column]:
    """Yield the columns whose drivers can be asked for."""
    for column in table.columns:
        try:
            check_target(Drivers(column.name), table)
        except BadQuestion:
            continue
        yield column
