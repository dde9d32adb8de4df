"""What typed words make of the picture on the desk, as it is or as one of another kind."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import msgspec
from msgspec.structs import replace as changed_struct

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.registry import KINDS, check, kind_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.measure_slots import plain_words
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.scenes import cleared, only_lit, without_lit, zoomed_out
from night_trail.core.table import Column, Table
from night_trail.core.words_in.anew import wished
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.figures import FIGURE_WORDS, figure_measure
from night_trail.core.words_in.filters import checked, label_of, rows_turned
from night_trail.core.words_in.order import effects
from night_trail.core.words_in.reading import Missed, Reading, reading_of


def turns_of(asked: Asked, scene: Scene, table: Table) -> Iterator[Reading]:
    """Yield what becomes of the picture on the desk, as it is or as one of another kind."""
    if scene.main is None:
        return
    if asked.do:
        yield from _done(asked, scene)
        return
    complete = bool(asked.columns or asked.measures or asked.rows) and not (asked.same or asked.adds)
    whole = complete and bool(asked.groups or asked.grain or asked.time or len(asked.columns) > 1)
    near = 0.9 if not complete else -0.9 if whole else 0.15 if asked.measures else -0.6
    near += 0.4 if asked.opens else 0.0
    mine = kind_of(scene.main)
    for kind in (mine, *(k for k in KINDS if k is not mine and _speaks_for(asked, k))):
        try:
            missed = Missed()
            question = remade(asked, scene.main, kind, missed, table)
            check(question, table)
            after = rows_turned(asked, changed_struct(scene, main=question), table)
            if after == scene:
                continue
            away = 0.0 if kind is mine else 0.25
            label = label_of(scene, after, table)
            score = near - missed.cost - away
            yield reading_of(asked, missed, checked(after, table), score, turn=True, label=label)
        except (BadQuestion, msgspec.ValidationError):
            continue


def _speaks_for(asked: Asked, kind: QuestionKind) -> bool:
    """Whether words ask for a kind, by a phrase of its own or by what only it has."""
    if (asked.measures or asked.figure) and kind.ungrouped is not None:
        return True
    if asked.grain is not None and kind.neighbours is not None and not kind.modelled:
        return True
    return any(
        tag == kind.tag and phrase.vote >= 0.3 for wish in asked.wishes for tag, phrase in effects(wish)
    )


def _done(asked: Asked, scene: Scene) -> Iterator[Reading]:
    """Yield what a word by itself does."""
    words = {
        "back": "one step back",
        "clear": "all conditions lifted",
        "out": "lantern out",
        "keep lit": "only what is lit",
        "set aside": "what is lit set aside",
        "beside": "put beside",
        "zoom out": "zoomed out",
    }
    after = scene
    match asked.do:
        case "clear":
            after = cleared(scene)
        case "out":
            after = changed_struct(scene, lit=None)
        case "keep lit" if scene.lit is not None:
            after = only_lit(scene, scene.lit)
        case "set aside" if scene.lit is not None:
            after = without_lit(scene, scene.lit)
        case "zoom out":
            after = zoomed_out(scene)
        case "beside" if scene.main is not None and scene.main not in scene.beside and len(scene.beside) < 3:
            after = changed_struct(scene, beside=(*scene.beside, scene.main))
    if after != scene or asked.do == "back":
        yield Reading(after, words[asked.do], True, 1.5, do="back" if asked.do == "back" else "")


def remade(asked: Asked, question: Any, kind: QuestionKind, missed: Missed, table: Table) -> Any:
    """Return the question on the desk with what was asked changed, as one of a kind."""
    before = kind_of(question)
    gist = before.gist(question, table)
    column = _new_column(asked)
    if kind is not before:
        measure = _new_measure(asked, gist, table)
        if column is not None:
            gist = replace(gist, column=column.name, measure=first_measure(column))
        if measure is not None:
            gist = replace(gist, measure=measure, column=measure.column or gist.column)
        question = kind.from_gist(gist, table)
        if not gist.groups and kind.ungrouped is not None and not (asked.groups or asked.also):
            question, _ = kind.changed(question, *kind.ungrouped, table, None)
    else:
        question = _measured(asked, question, kind, missed, table)
    question = _grouped(asked, question, kind, missed, table)
    if asked.grain is not None:
        if not hasattr(question, "grain"):
            missed.note(f"by {asked.grain}", 1.5)
        else:
            question, _ = kind.changed(question, "grain", asked.grain, table, None)
    return wished(question, kind, asked, missed, table)


def _new_column(asked: Asked) -> Column | None:
    columns = [c for c in asked.columns if c not in asked.soft]
    return columns[0] if columns else None


def _new_measure(asked: Asked, gist: Gist, table: Table) -> Measure | None:
    """Return the measure that was asked of the picture there is, None where none was."""
    if asked.measures:
        return asked.measures[0]
    if asked.figure is None or not gist.column:
        return None
    measured = gist.measure.column if gist.measure is not None else gist.column
    return figure_measure(asked.figure, table.column(measured)) if measured else None


def _measured(asked: Asked, question: Any, kind: QuestionKind, missed: Missed, table: Table) -> Any:
    """Return the question with another column or figure, in its own kind."""
    gist = kind.gist(question, table)
    measure = _new_measure(asked, gist, table)
    if measure is not None:
        if not hasattr(question, "measure"):
            missed.note(plain_words(measure, table), 2.0)
            return question
        if measure.aggregate in ("share", "quantile", "ratio"):
            return changed_struct(question, measure=measure)
        if measure.column is not None and measure.column != question.measure.column:
            question, _ = kind.changed(question, "column", measure.column, table, None)
        if question.measure != measure:
            question, _ = kind.changed(question, "aggregate", measure.aggregate, table, None)
        return question
    if asked.figure is not None:
        missed.note(FIGURE_WORDS.get(asked.figure[0], asked.figure[0]), 1.0)
        return question
    column = _new_column(asked)
    if column is None or column.name == gist.column:
        return question
    if asked.adds and hasattr(question, "more"):
        return kind.changed(question, "more", plain_words(first_measure(column), table), table, None)[0]
    own = table.column(gist.column) if gist.column else None
    plain = gist.measure is not None and own is not None and gist.measure == first_measure(own)
    if (
        plain
        and hasattr(question, "measure")
        and first_measure(column).aggregate != question.measure.aggregate
    ):
        made, _ = kind.changed(question, "column", column.name, table, None)
        made, _ = kind.changed(made, "aggregate", first_measure(column).aggregate, table, None)
        return made
    made, _ = kind.changed(question, "column", column.name, table, None)
    return made


def _grouped(asked: Asked, question: Any, kind: QuestionKind, missed: Missed, table: Table) -> Any:
    """Return the question across other groups, or further ones."""
    slots = kind.group_slots
    wanted = [(c, False) for c in asked.groups] + [(c, True) for c in asked.also]
    if asked.time is not None:
        if hasattr(question, "time"):
            question, _ = kind.changed(question, "time", asked.time.name, table, None)
        else:
            missed.note(asked.time.name, 1.5)
    used = 0
    for column, further in wanted:
        if not slots or used >= len(slots):
            missed.note(column.name, 1.2)
            continue
        there = [slot for slot in slots if getattr(question, slot, None) is not None]
        slot = slots[len(there)] if further and len(there) < len(slots) else slots[used]
        used += 0 if further else 1
        question, _ = kind.changed(question, slot, column.name, table, None)
    return question
