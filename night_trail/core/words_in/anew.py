"""The new pictures that typed words may ask for, one a kind."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec
from msgspec.structs import replace

from night_trail.core.conditions import Condition, OneOf, Recurs, columns_of, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.question import Question, Scene
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.registry import KINDS, check
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.measure_slots import plain_words
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.phrase import WAY, Outline, Phrase
from night_trail.core.table import Table
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.figures import FIGURE_WORDS
from night_trail.core.words_in.filters import checked, narrowed
from night_trail.core.words_in.index import Index
from night_trail.core.words_in.order import effects
from night_trail.core.words_in.reading import Missed, Reading, reading_of
from night_trail.core.words_in.tags import Tag
from night_trail.core.words_in.times import SEASON_ENDS


def _outline(asked: Asked, kind: QuestionKind) -> Outline:
    against = 0
    votes = 0.0
    for wish in asked.wishes:
        its = [phrase for tag, phrase in effects(wish) if tag == kind.tag]
        votes += max((phrase.vote for phrase in its), default=0.0)
        against += any(phrase.slot == "against" for phrase in its)
    return Outline(
        figured=bool(asked.measures or asked.rows),
        counted=not any(m.column or m.where for m in asked.measures),
        ranked=asked.ranked,
        numbers=sum(c.kind.measured for c in asked.columns),
        categories=sum(not c.kind.measured for c in asked.columns),
        groups=len(asked.groups) + len(asked.also),
        timed=asked.grain is not None or asked.time is not None,
        moves=bool(against) or asked.affects,
        linked=asked.linked,
        kept=bool(asked.only),
        votes=votes,
    )


def new_pictures(asked: Asked, scene: Scene, table: Table, index: Index) -> Iterator[Reading]:
    """Yield the new pictures that could be meant, one a kind."""
    if asked.do or asked.lit or asked.dropped or asked.same:
        return
    if not asked.counted and scene.main is None and asked.only:
        # rows alone: how many there are
        asked.rows = True
    far = 0.3 if asked.opens and scene.main is not None else 0.0
    for kind in KINDS:
        outline = _outline(asked, kind)
        fit = kind.likely(outline)
        if fit is None or not (asked.counted or outline.votes >= 0.9):
            continue
        try:
            missed = Missed()
            question = _made(asked, kind, missed, table, index)
            check(question, table)
            after = narrowed(replace(scene, main=question), _rows_of(asked, kind), table)
            score = fit + min(outline.votes, 1.5) - missed.cost - far
            yield reading_of(asked, missed, checked(after, table), score=score)
        except (BadQuestion, msgspec.ValidationError):
            continue


def _made(asked: Asked, kind: QuestionKind, missed: Missed, table: Table, index: Index) -> Question:
    """Return the question of a kind that was asked."""
    measures = list(asked.measures) or ([Measure("count")] if asked.rows else [])
    groups = _groups_of(asked, measures)
    further = asked.columns if measures else asked.columns[1:]
    rows, against = _sides(asked) if kind.takes_rows else (None, None)
    if rows is not None and not (asked.groups or asked.also):
        # what says which rows are meant tells nothing of how they differ
        groups = [g for g in groups if g not in columns_of(rows)]
    gist = Gist(
        column=_main(asked, measures, groups),
        measure=measures[0] if measures else None,
        groups=tuple(groups),
        time=asked.time.name if asked.time is not None else None,
        grain=asked.grain,
        others=tuple(c.name for c in further),
        rows=rows,
        against=against,
        named=bool(measures or asked.columns or groups),
        from_to=any(pair <= {t.low for t in asked.tokens} for pair in _FROM_TO),
    )
    question = _grouped(kind.from_gist(gist, table), kind, groups, missed, table)
    spoken = measures[0].column if measures else asked.columns[0].name if asked.columns else None
    if spoken is not None and spoken not in (
        *question.mentions,
        *(name for one in asked.only for name in columns_of(one)),
    ):
        # a picture of another column is not what was asked
        missed.note(spoken, 1.5)
    more = [*measures[1:], *(first_measure(c) for c in further)]
    question = _with_more(question, kind, more, missed, table)
    if asked.figure is not None:
        missed.note(FIGURE_WORDS.get(asked.figure[0], asked.figure[0]), 1.0)
    if asked.grain is not None and getattr(question, "grain", None) != asked.grain:
        missed.note(f"by {asked.grain}", 1.5)
    question = wished(question, kind, asked, missed, table)
    ahead = _reaches_season(asked, kind) and index.days is not None
    made: Question = _until_season(question, kind, asked, table, index) if ahead else question
    return made


_FROM_TO = ({"between", "and"}, {"from", "to"}, {"from", "until"})
_THE_REST = frozenset({"rest", "other", "others", "else", "elsewhere", "everything", "everybody"})


def _sides(asked: Asked) -> tuple[Condition | None, Condition | None]:
    """Return the rows that are spoken of, and those they are set against: two values of one column."""
    if not asked.only:
        return None, None
    *others, last = asked.only
    # two that are named differ from each other, unless the rest is spoken of
    apart = asked.spread_apart is not None or not {t.low for t in asked.tokens} & _THE_REST
    if apart and isinstance(last, OneOf) and len(last.values) == 2 and not others:
        one, other = last.values
        return OneOf(last.column, (one,)), OneOf(last.column, (other,))
    return joined_all(*asked.only), None


def _main(asked: Asked, measures: list[Measure], groups: list[str]) -> str:
    """Return the column a picture is first of all about."""
    named = measures[0].column if measures else asked.columns[0].name if asked.columns else None
    return named or (groups[0] if groups else asked.table.columns[0].name)


def _groups_of(asked: Asked, measures: list[Measure]) -> list[str]:
    """Return what groups the rows; values that are counted or compared stand for their column."""
    groups = [c.name for c in (*asked.groups, *asked.also)]
    if groups:
        return groups
    counted = bool(measures) and measures[0].aggregate == "count"
    if counted and len(asked.only) == 1 and isinstance(asked.only[0], OneOf):
        return [asked.only[0].column]
    return [asked.spread_apart.name] if asked.spread_apart is not None and asked.apart else []


def _grouped(question: Any, kind: QuestionKind, groups: list[str], missed: Missed, table: Table) -> Any:
    """Return the question across the groups that its gist left out."""
    taken = {getattr(question, slot) for slot in kind.group_slots}
    free = [slot for slot in kind.group_slots if not getattr(question, slot)]
    for name in groups:
        # what already has a place in it tells nothing apart
        if name not in taken and free and name not in question.mentions:
            question, _ = kind.changed(question, free.pop(0), name, table, None)
    for name in groups:
        if name not in question.mentions:
            missed.note(f"by {name}", 1.2)
    if not groups and kind.ungrouped is not None:
        question, _ = kind.changed(question, *kind.ungrouped, table, None)
    return question


MOST_MORE = 4
_RANKS = ("keep", "least", "order")


def _with_more(question: Any, kind: QuestionKind, more: list[Measure], missed: Missed, table: Table) -> Any:
    """Return the question with further measures, where it has a place for them."""
    has = hasattr(question, "more")
    for at, one in enumerate(more):
        if has and at < MOST_MORE:
            question, _ = kind.changed(question, "more", plain_words(one, table), table, None)
        elif one.column not in question.mentions:
            missed.note(one.column or plain_words(one, table), 1.5)
    return question


def _reaches_season(asked: Asked, kind: QuestionKind) -> bool:
    """Whether a season is how far a forecast is to reach, and no filter."""
    return bool(asked.season) and hasattr(kind.question, "horizon")


def _rows_of(asked: Asked, kind: QuestionKind) -> list[Condition]:
    if kind.takes_rows:
        return []
    if not _reaches_season(asked, kind):
        return asked.only
    return [c for c in asked.only if not (isinstance(c, Recurs) and c.part == "year")]


def _until_season(question: Any, kind: QuestionKind, asked: Asked, table: Table, index: Index) -> Any:
    """Return a forecast that reaches the end of the next season of a name."""
    assert index.days is not None  # noqa: S101  (asked where there are)
    last = index.days[1]
    months = (SEASON_ENDS[asked.season] - last.month) % 12 or 12
    # the last month is begun where the last day is not its end
    ahead = months + (1 if last.day < 28 else 0)
    question, _ = kind.changed(question, "grain", "month", table, None)
    question, _ = kind.changed(question, "horizon", str(ahead), table, None)
    return question


def wished(question: Any, kind: QuestionKind, asked: Asked, missed: Missed, table: Table) -> Any:
    """Return the question with the choices that were asked for."""
    for wish in asked.wishes:
        if wish.role == "by share":
            question = _shares(question, kind, missed, table)
            continue
        its = [phrase for tag, phrase in effects(wish) if tag == kind.tag]
        done = bool(its)
        for phrase in its:
            made = _applied(question, kind, phrase, wish, missed, table)
            question, done = made or question, done and made is not None
        if not done:
            missed.note(asked.text(wish), 0.7 * wish.score)
    if asked.keep:
        keep = f"{'least:' if asked.end == 'least' else ''}{asked.keep}"
        try:
            question, _ = kind.changed(question, "keep", keep, table, None)
        except BadQuestion:
            missed.note(f"{asked.keep}", 1.0)
    elif asked.end == "least" and asked.ranked and hasattr(question, "end") and question.end == "most":
        question = _from_below(question, kind, table)
    return question


def _applied(
    question: Any, kind: QuestionKind, phrase: Phrase, wish: Tag, missed: Missed, table: Table
) -> Any:
    """Return the question with a phrase's choice in its slot, None where it does not fit."""
    if phrase.slot == WAY:
        return question
    if phrase.slot in _RANKS and getattr(question, "shape", "") == "figure":
        return None  # one figure has no groups to rank
    try:
        value = phrase.value(wish.value[1], question) if callable(phrase.value) else phrase.value
        made, _ = kind.changed(question, phrase.slot, value, table, None)
        check(made, table)
    except (BadQuestion, msgspec.ValidationError, AttributeError, OverflowError) as error:
        if isinstance(error, BadQuestion):
            missed.why = error.what
        return None
    # of a shape that does not fit what is drawn another was taken
    other = phrase.slot == "shape" and value not in ("points", made.shape)
    return None if other else made


def _from_below(question: Any, kind: QuestionKind, table: Table) -> Any:
    keep = "" if question.keep is None else str(question.keep)
    return kind.changed(question, "keep", f"least:{keep}", table, None)[0]


def _shares(question: Any, kind: QuestionKind, missed: Missed, table: Table) -> Any:
    for slot, value in (("height", "share"), ("shape", "shares"), ("shape", "ring")):
        try:
            made, _ = kind.changed(question, slot, value, table, None)
            check(made, table)
        except (BadQuestion, AttributeError):
            continue
        if getattr(made, slot) == value:
            return made
    missed.note("share", 1.0)
    return question
