"""The kind: what makes up a figure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace as changed

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.kind import Playing, QuestionKind
from night_trail.core.questions.make_up import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.make_up.answer import OF_AREA, MakeUpAnswer, shapes_for
from night_trail.core.questions.make_up.question import SLOTS, MakeUp
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import best_group, can_compare, makes_groups
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.nesting import belongs
from night_trail.core.table import Column, Table

MOST_TRIED = 4


def gist(question: MakeUp, table: Table) -> Gist:
    """Return what it is about."""
    return Gist(question.column, question.measure, question.levels)


def from_gist(gist: Gist, table: Table) -> MakeUp:
    """Return what makes up a gist's measure, or that of its column; of a category its rows."""
    column = table.column(gist.column)
    counted = not gist.named or column.kind.grouping or column.kind.temporal
    measure = gist.measure or first_measure(None if counted else column)
    groups = [g for g in gist.groups if can_compare(table.column(g)) and g != measure.column]
    if not groups and gist.named and column.name != measure.column and makes_groups(column):
        groups = [column.name]
    first = groups[0] if groups else best_group(table, column)
    levels = (first, *groups[1:3]) if len(groups) > 1 else (first, *_below(table, first, measure))
    plain = MakeUp(measure, levels, "bars")
    return MakeUp(measure, levels, shapes_for(plain)[0])


def _below(table: Table, above: str, measure: Measure) -> tuple[str, ...]:
    """Return a level whose values each belong to one of the first, where there is one."""
    able = [
        c
        for c in table.columns
        if makes_groups(c) and not c.kind.measured and c.name not in (above, measure.column)
        and c.distinct > table.column(above).distinct
    ]  # fmt: skip
    able.sort(key=lambda c: c.distinct)
    return tuple(next(([c.name] for c in able[:MOST_TRIED] if belongs(table, c.name, above)), []))


def broken_down(question: MakeUp, by: Column, table: Table) -> MakeUp:
    """Return the same with a level below the last, or above where there is no more room."""
    if by.name in question.levels:
        return question
    if len(question.levels) >= len(SLOTS):
        raise BadQuestion("There are five levels already", "levels", "Leave one out first.")
    return replace(question, levels=(*question.levels, by.name), against=None, even=False, opened=())


def held(one: MakeUpAnswer, every: Sequence[MakeUpAnswer]) -> MakeUpAnswer:
    """Return the answer of one period with its parts in the order all periods have together.

    So a part keeps its place, though its figure changes.
    """
    if one.shape not in OF_AREA:
        return one
    sizes: dict[str, float] = {}
    for period in every:
        for part in period.parts:
            sizes[part.key] = sizes.get(part.key, 0.0) + part.figure
    order: list[int] = []

    def below(parent: int) -> None:
        own = sorted(
            one.children(parent), key=lambda at: (one.parts[at].others > 0, -sizes[one.parts[at].key])
        )
        for at in own:
            order.append(at)
            below(at)

    below(-1)
    place = {at: i for i, at in enumerate(order)}
    parts = tuple(changed(one.parts[at], parent=place.get(one.parts[at].parent, -1)) for at in order)
    return changed(one, parts=parts)


KIND = QuestionKind(
    tag="make-up",
    way="what makes it up",
    question=MakeUp,
    check=answer.check,
    answer=answer.make_up,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=SLOTS,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={MakeUpAnswer: words.make_up_words},
    figures={MakeUpAnswer: figures.make_up_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    playing=Playing(held=held),
)
