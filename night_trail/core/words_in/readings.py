"""The pictures that typed words may ask for, the likeliest first: new ones, and turns of the one on the desk."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import msgspec
from msgspec.structs import replace as changed_struct

from night_trail.core.conditions import AllOf, Between, Condition, Not, OneOf, Recurs
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.measure import Measure
from night_trail.core.moments import seconds_of
from night_trail.core.question import Question, Scene, key
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.registry import KINDS, check, kind_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.measure_slots import plain_words
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.phrase import WAY, Outline, Phrase
from night_trail.core.sentence import MOST_TYPED, scene_in_words
from night_trail.core.sentence import read as read_exactly
from night_trail.core.table import Column, Table
from night_trail.core.words_in.asked import Asked, asked_of, figure_measure, when_condition
from night_trail.core.words_in.index import Index, index_of
from night_trail.core.words_in.missed import left_in_words, not_understood, unread
from night_trail.core.words_in.tags import Tag, Tagger
from night_trail.core.words_in.times import SEASON_ENDS
from night_trail.core.words_in.tokens import tokens_of

MOST = 5
LEFT_OVER = 0.9
"""How much less likely a reading is that leaves words over."""
ODD = 1.5
"""A reading that is so much less likely than the best is not shown."""


@dataclass(frozen=True)
class Reading:
    """A picture that words may ask for.

    ``turn`` says that it changes the picture on the desk, ``do`` what else is
    to be done. ``taken`` says what words are taken as, ``guesses`` which of it
    may be wrong, ``left`` what was not understood, ``unplaced`` what the
    picture has no place for, ``hurdle`` why. ``good`` is the
    column of which it was guessed whether high or low figures are good.
    ``exact`` words are a sentence of the house.
    """

    scene: Scene
    label: str
    turn: bool
    score: float
    taken: tuple[str, ...] = ()
    guesses: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    unplaced: tuple[str, ...] = ()
    do: str = ""
    exact: bool = False
    hurdle: str = ""
    good: str = ""

    @property
    def whole(self) -> bool:
        """Whether nothing of the words is left over."""
        return not (self.left or self.unplaced)

    @property
    def key(self) -> str:
        """A stable name of what it leads to."""
        return f"{self.do}{key(self.scene)}"


def readings(text: str, table: Table, scene: Scene | None = None) -> list[Reading]:
    """Return what typed words may ask for, the likeliest first; at most ``MOST``, none where nothing fits."""
    scene = scene or Scene()
    found = list(_exact(text, table, scene))
    index = index_of(table)
    found += _guessed(text, table, scene, index)
    best: dict[str, Reading] = {}
    for reading in sorted(found, key=lambda r: -r.score):
        best.setdefault(reading.key, reading)
    kept = list(best.values())
    return [r for r in kept if r.score >= kept[0].score - ODD or r.exact][:MOST]


def meant(text: str, table: Table, scene: Scene, key_: str = "") -> Reading:
    """Return what typed words ask for: the reading that was chosen, else the likeliest.

    Raises
    ------
    BadQuestion
        Where nothing can be shown, or only a part of the words was understood
        and nobody has chosen it.
    """
    if len(text) > MOST_TYPED:
        raise BadQuestion("That is too long to be a question", "", "Begin with a column, like: late_min.")
    found = readings(text, table, scene)
    if key_ and (chosen := next((r for r in found if r.key == key_), None)) is not None:
        return chosen
    if not found:
        raise _refused(text, table, scene)
    best = found[0]
    if not best.whole:
        without = "" if best.scene.main is None else scene_in_words(best.scene, table)
        raise BadQuestion(
            best.hurdle or left_in_words(best.left, table, best.unplaced), "", f"Without it: {without}"
        )
    return best


def _refused(text: str, table: Table, scene: Scene) -> BadQuestion:
    """Return why nothing new is shown: the exact reader says it best of what is nearly a sentence."""
    if not unread(text, table):
        if scene.main is not None and _stands(text, table, scene):
            return BadQuestion("The picture shows that already", "", "Say what is to change.")
        try:
            read_exactly(text, table)
        except BadQuestion as error:
            return error
    return not_understood(text, table)


def _stands(text: str, table: Table, scene: Scene) -> bool:
    """Whether words only say what the picture on the desk is already."""
    other = changed_struct(scene, main=None)
    return any(r.scene.main == scene.main for r in readings(text, table, other)) or bool(
        _turned_to_itself(text, table, scene)
    )


def _turned_to_itself(text: str, table: Table, scene: Scene) -> bool:
    tokens = tokens_of(text)
    index = index_of(table)
    ways = Tagger(tokens, table, index).ways() if tokens else []
    for way in ways[:1]:
        asked = _in_order(asked_of(way, table, index, _looked_at(scene, table), tokens))
        if asked.do:
            return True
        try:
            missed = _Missed()
            question = _remade(asked, scene.main, kind_of(scene.main), missed, table)  # type: ignore[arg-type]
        except (BadQuestion, msgspec.ValidationError):
            return False
        return question == scene.main and not missed.words and not asked.left
    return False


def rows_meant(text: str, table: Table) -> Condition:
    """Return the rows that a typed phrase names: as an exact condition, else as the word box reads it.

    Raises
    ------
    BadQuestion
        Where no rows are named, or only a part of the words was understood.
    """
    try:
        return from_words(text, table)
    except BadQuestion as error:
        found = rows_named(text, table)
        if not found:
            raise error from None
        condition, left = found[0]
        if left:
            raise BadQuestion(
                left_in_words(left, table), "", f"Without it: {in_words(condition, table)}."
            ) from None
        return condition


def rows_named(text: str, table: Table) -> list[tuple[Condition, tuple[str, ...]]]:
    """Return the conditions that words may name, the likeliest first, each with what it leaves over."""
    tokens = tokens_of(f"only {text}")
    index = index_of(table)
    found: dict[Condition, tuple[str, ...]] = {}
    for way in Tagger(tokens, table, index).ways():
        asked = asked_of(way, table, index, None, tokens)
        rows = [*asked.only, *asked.lit]
        if not rows or asked.groups or asked.grain:
            continue
        condition = rows[0] if len(rows) == 1 else AllOf(tuple(rows))
        # a column named for its rows alone is no word left over
        soft = {c.name for c in asked.soft}
        extra = tuple(c.name for c in asked.columns if c.name not in soft)
        try:
            check_condition(condition, table)
        except BadQuestion:
            continue
        found.setdefault(condition, (*asked.left, *extra))
    return sorted(found.items(), key=lambda pair: len(pair[1]))


def _exact(text: str, table: Table, scene: Scene) -> Iterator[Reading]:
    """Yield the picture that words ask for as a sentence of the house."""
    try:
        question, only = read_exactly(text, table)
        for condition in only:
            check_condition(condition, table)
    except BadQuestion:
        return
    new = tuple(c for c in only if c not in scene.only)
    after = changed_struct(scene, main=question, only=scene.only + new)
    yield Reading(after, "", False, 1_000.0, exact=True)


def _guessed(text: str, table: Table, scene: Scene, index: Index) -> list[Reading]:
    tokens = tokens_of(text)
    if not tokens:
        return []
    present = _looked_at(scene, table)
    found: list[Reading] = []
    for way in Tagger(tokens, table, index).ways():
        asked = _in_order(asked_of(way, table, index, present, tokens))
        score = way.score - asked.penalty - 0.12 * len(asked.guesses)
        for made in (*_turns(asked, scene, table), *_new(asked, scene, table, index)):
            found.append(replace(made, score=score + made.score - (0.0 if made.whole else LEFT_OVER)))
    return found


def _looked_at(scene: Scene, table: Table) -> Column | None:
    if scene.main is None or not scene.main.column:
        return None
    return table.column(scene.main.column)


def _in_order(asked: Asked) -> Asked:
    """Put what a ranking is of in its place: which line is the latest, top 5 lines by lateness."""
    slots = {(phrase.slot, phrase.value) for wish in asked.wishes for _, phrase in _effects(wish)}
    kept = any(slot in ("keep", "least") for slot, _ in slots) or ("order", "value") in slots
    asked.ranked = bool(asked.end or asked.keep or kept or asked.busy)
    numbers = [c for c in (*asked.columns, *asked.groups) if c.kind.numeric and not c.code]
    names = [c for c in asked.columns if not c.kind.numeric or c.code or c.yearly]
    if asked.busy and not numbers and not asked.measures:
        asked.rows = True
    timed = asked.grain is not None or asked.time is not None
    if (asked.ranked or timed) and names and not numbers and not asked.measures and not asked.groups:
        # top 5 lines, ratings per month: how many rows
        asked.rows, asked.groups, asked.columns = True, names[:1], []
    bare = asked.ranked and not names and not asked.columns and not asked.measures
    if bare and asked.groups and all(c.kind.numeric and not can_group(c) for c in asked.groups):
        # top 10 by lateness, of the groups there are
        asked.columns, asked.groups, asked.same = asked.groups, [], True
    if asked.kept_of is not None and asked.kept_of.kind.numeric:
        names = [asked.kept_of]
        numbers = [c for c in numbers if c is not asked.kept_of]
    if (asked.ranked or asked.which) and names and not asked.groups_are_named(numbers):
        measured = numbers or [c for m in asked.measures if m.column for c in [asked.table.column(m.column)]]
        if measured:
            asked.groups = names[:1] + [c for c in asked.groups if c not in numbers]
            asked.columns = [c for c in numbers if c not in asked.groups]
    _against_groups(asked)
    moves = asked.affects or any(p.slot == "against" for wish in asked.wishes for _, p in _effects(wish))
    apart = [c for c in asked.columns if can_group(c) and not c.kind.numeric]
    if len(apart) == 1 and not asked.groups and not moves and len(asked.columns) > 1:
        # how do depots differ in lateness, lateness depots
        asked.groups = apart
        asked.columns = [c for c in asked.columns if c is not apart[0]]
    if asked.end == "worst" or asked.best:
        asked.good()
    if asked.affects and len(asked.columns) == 2:
        asked.columns.reverse()
    return asked


def _against_groups(asked: Asked) -> None:
    """Take a category that a number is said to depend on as what groups it."""
    if not any(c.kind.numeric for c in asked.columns):
        return
    for wish in list(asked.wishes):
        named = [c for c in wish.value[1] if isinstance(c, Column)] if wish.role == "wish" else []
        slots = {phrase.slot for _, phrase in _effects(wish)}
        if (
            named
            and slots <= {"against", "baseline", "plan"}
            and can_group(named[0])
            and not named[0].kind.numeric
        ):
            asked.wishes.remove(wish)
            asked.groups.append(named[0])


def _effects(wish: Tag) -> tuple[tuple[str, Phrase], ...]:
    effects: tuple[tuple[str, Phrase], ...] = wish.value[0] if wish.role == "wish" else ()
    return effects


# ---- new pictures ----


def _outline(asked: Asked, kind: QuestionKind) -> Outline:
    against = 0
    votes = 0.0
    for wish in asked.wishes:
        its = [phrase for tag, phrase in _effects(wish) if tag == kind.tag]
        votes += max((phrase.vote for phrase in its), default=0.0)
        against += any(phrase.slot == "against" for phrase in its)
    return Outline(
        figured=bool(asked.measures or asked.rows),
        ranked=asked.ranked,
        numbers=sum(c.kind.measured for c in asked.columns),
        categories=sum(not c.kind.measured for c in asked.columns),
        groups=len(asked.groups) + len(asked.also),
        timed=asked.grain is not None or asked.time is not None,
        moves=bool(against) or asked.affects,
        linked=asked.linked,
        votes=votes,
    )


def _new(asked: Asked, scene: Scene, table: Table, index: Index) -> Iterator[Reading]:
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
            missed = _Missed()
            question = _made(asked, kind, missed, table, index)
            check(question, table)
            only = _with(scene.only, asked.only, table)
            yield Reading(
                _checked(changed_struct(scene, main=question, only=only), table),
                "", False, fit + min(outline.votes, 1.5) - missed.cost - far,
                tuple(asked.taken), tuple(asked.guesses), tuple(asked.left), tuple(missed.words), hurdle=asked.hurdle, good=asked.unsure_good,
            )  # fmt: skip
        except (BadQuestion, msgspec.ValidationError):
            continue


@dataclass
class _Missed:
    """What of the words a picture has no place for, and how much less likely that makes it."""

    cost: float = 0.0
    words: list[str] = field(default_factory=list)

    def note(self, words: str, cost: float) -> None:
        self.cost += cost
        if words and words not in self.words:
            self.words.append(words)


def _made(asked: Asked, kind: QuestionKind, missed: _Missed, table: Table, index: Index) -> Question:
    """Return the question of a kind that was asked."""
    measures = list(asked.measures) or ([Measure("count")] if asked.rows else [])
    columns = list(asked.columns)
    groups = [c.name for c in (*asked.groups, *asked.also)]
    counted = bool(measures) and measures[0].aggregate == "count"
    if not groups and counted and len(asked.only) == 1 and isinstance(asked.only[0], OneOf):
        groups = [asked.only[0].column]
    elif not groups and asked.spread_apart is not None and asked.apart:
        groups = [asked.spread_apart.name]
    main = columns[0].name if columns else measures[0].column or "" if measures else ""
    if not main:
        main = groups[0] if groups else table.columns[0].name
    if measures:
        main = measures[0].column or (groups[0] if groups else table.columns[0].name)
    further = columns if measures else columns[1:]
    others = tuple(c.name for c in further)
    time = asked.time.name if asked.time is not None else None
    measure = measures[0] if measures else None
    gist = Gist(main, measure, tuple(groups), time, asked.grain, others=others)
    question = kind.from_gist(gist, table)
    taken = {getattr(question, slot, None) for slot in kind.group_slots} - {None}
    free = [slot for slot in kind.group_slots if getattr(question, slot, None) is None]
    for name in groups:
        if name in taken:
            continue
        if not free:
            missed.note(name, 1.2)
            continue
        question, _ = kind.changed(question, free.pop(0), name, table, None)
    for name in groups:
        if name not in question.mentions:
            missed.note(f"by {name}", 1.2)
    if not groups and kind.ungrouped is not None:
        question, _ = kind.changed(question, *kind.ungrouped, table, None)
    more = [*measures[1:], *(first_measure(c) for c in further)]
    if hasattr(question, "more"):
        for one in more[:4]:
            question, _ = kind.changed(question, "more", plain_words(one, table), table, None)
        for one in more[4:]:
            missed.note(plain_words(one, table), 1.0)
    else:
        for one in measures[1:]:
            missed.note(plain_words(one, table), 1.5)
        for name in others:
            if name not in question.mentions:
                missed.note(name, 1.5)
    if asked.grain is not None and getattr(question, "grain", None) != asked.grain:
        missed.note(f"by {asked.grain}", 1.5)
    question = _wished(question, kind, asked, missed, table)
    if asked.season and kind.modelled and hasattr(question, "horizon"):
        question = _until_season(question, kind, asked, table, index)
    return question


def _until_season(question: Any, kind: QuestionKind, asked: Asked, table: Table, index: Index) -> Any:
    """Return a forecast that reaches the end of the next season of a name."""
    if index.days is None:
        return question
    last = index.days[1]
    months = (SEASON_ENDS[asked.season] - last.month) % 12 or 12
    # the last month is begun where the last day is not its end
    ahead = months + (1 if last.day < 28 else 0)
    asked.only = [c for c in asked.only if not (isinstance(c, Recurs) and c.part == "year")]
    question, _ = kind.changed(question, "grain", "month", table, None)
    question, _ = kind.changed(question, "horizon", str(ahead), table, None)
    return question


def _wished(question: Any, kind: QuestionKind, asked: Asked, missed: _Missed, table: Table) -> Any:
    """Return the question with the choices that were asked for."""
    for wish in asked.wishes:
        if wish.role == "by share":
            question = _shares(question, kind, missed, table)
            continue
        its = [phrase for tag, phrase in _effects(wish) if tag == kind.tag]
        done = False
        for phrase in its:
            if phrase.slot == WAY:
                done = True
                continue
            try:
                value = phrase.value(wish.value[1], question) if callable(phrase.value) else phrase.value
                made, _ = kind.changed(question, phrase.slot, value, table, None)
                check(made, table)
                if phrase.slot == "shape" and value != "points" and made.shape != value:
                    continue  # it does not fit what is drawn, and another was taken
            except (BadQuestion, msgspec.ValidationError, AttributeError, OverflowError):
                continue
            question, done = made, True
        if not done:
            missed.note(asked.text(wish), 0.7 * wish.score)
    if asked.keep:
        try:
            question, _ = kind.changed(
                question, "keep", f"{'least:' if asked.end == 'least' else ''}{asked.keep}", table, None
            )
        except BadQuestion:
            missed.note(f"{asked.keep}", 1.0)
    elif asked.end == "least" and asked.ranked and hasattr(question, "end") and question.end == "most":
        question = _from_below(question, kind, table)
    return question


def _from_below(question: Any, kind: QuestionKind, table: Table) -> Any:
    keep = "" if question.keep is None else str(question.keep)
    return kind.changed(question, "keep", f"least:{keep}", table, None)[0]


def _shares(question: Any, kind: QuestionKind, missed: _Missed, table: Table) -> Any:
    for slot, value in (("height", "share"), ("shape", "shares"), ("shape", "ring")):
        try:
            made, _ = kind.changed(question, slot, value, table, None)
            check(made, table)
        except (BadQuestion, AttributeError):
            continue
        return made
    missed.note("share", 1.0)
    return question


# ---- turns of the picture on the desk ----


def _turns(asked: Asked, scene: Scene, table: Table) -> Iterator[Reading]:
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
            missed = _Missed()
            question = _remade(asked, scene.main, kind, missed, table)
            check(question, table)
            after = _rows_turned(asked, changed_struct(scene, main=question), table)
            if after == scene:
                continue
            away = 0.0 if kind is mine else 0.25
            yield Reading(
                _checked(after, table), _label(scene, after, table), True, near - missed.cost - away,
                tuple(asked.taken), tuple(asked.guesses), tuple(asked.left), tuple(missed.words), hurdle=asked.hurdle, good=asked.unsure_good,
            )  # fmt: skip
        except (BadQuestion, msgspec.ValidationError):
            continue


def _speaks_for(asked: Asked, kind: QuestionKind) -> bool:
    """Whether words ask for a kind, by a phrase of its own or by what only it has."""
    if (asked.measures or asked.figure) and kind.ungrouped is not None:
        return True
    if asked.grain is not None and kind.neighbours is not None and not kind.modelled:
        return True
    return any(
        tag == kind.tag and phrase.vote >= 0.3 for wish in asked.wishes for tag, phrase in _effects(wish)
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
            after = changed_struct(scene, only=(), lit=None, within=())
        case "out":
            after = changed_struct(scene, lit=None)
        case "keep lit" if scene.lit is not None:
            after = changed_struct(scene, only=(*scene.only, scene.lit), lit=None)
        case "set aside" if scene.lit is not None:
            aside = scene.lit.part if isinstance(scene.lit, Not) else Not(scene.lit)
            after = changed_struct(scene, only=(*scene.only, aside), lit=None)
        case "zoom out":
            question = scene.main
            for field in ("window", "window_at"):
                if hasattr(question, field) and not isinstance(getattr(question, field), int):
                    question = changed_struct(question, **{field: None})
            after = changed_struct(scene, main=question)
        case "beside" if scene.main is not None and scene.main not in scene.beside and len(scene.beside) < 3:
            after = changed_struct(scene, beside=(*scene.beside, scene.main))
    if after != scene or asked.do == "back":
        yield Reading(after, words[asked.do], True, 1.5, do="back" if asked.do == "back" else "")


def _remade(asked: Asked, question: Any, kind: QuestionKind, missed: _Missed, table: Table) -> Any:
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
    return _wished(question, kind, asked, missed, table)


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


def _measured(asked: Asked, question: Any, kind: QuestionKind, missed: _Missed, table: Table) -> Any:
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
        missed.note(asked.figure[0], 1.0)
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


def _grouped(asked: Asked, question: Any, kind: QuestionKind, missed: _Missed, table: Table) -> Any:
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


def _rows_turned(asked: Asked, scene: Scene, table: Table) -> Scene:
    """Return the scene with the filter, the lantern and the zoom that were asked for."""
    only = _without(scene.only, asked.dropped)
    only = _with(only, asked.only, table)
    if asked.zoomed is not None:
        scene, zoomed = _zoomed(scene, asked, table)
        only = _with(only, zoomed, table)
    gone = [c for c in scene.only if c not in only]
    within = tuple(level for level in scene.within if level.rows not in gone)
    lit = asked.lit[0] if len(asked.lit) == 1 else scene.lit
    if len(asked.lit) > 1:
        lit = AllOf(tuple(asked.lit))
    return changed_struct(scene, only=only, lit=lit, within=within)


def _zoomed(scene: Scene, asked: Asked, table: Table) -> tuple[Scene, list[Condition]]:
    """Return the scene zoomed into a stretch of time; what cannot be zoomed keeps its rows only."""
    stretch = asked.zoomed
    assert stretch is not None  # noqa: S101  (asked where there is one)
    main = scene.main
    if main is None or (stretch.low is None and stretch.high is None):
        raise BadQuestion("What to zoom into is not said", "", "Write it like: zoom to 2023.")
    if hasattr(main, "window_at") and stretch.low is not None and stretch.high is not None:
        window = (seconds_of(stretch.low), seconds_of(stretch.high))
        return changed_struct(scene, main=changed_struct(main, window_at=window)), []
    column = time_column(table)
    condition = when_condition(column, stretch) if column is not None else None
    if condition is None:
        raise BadQuestion("The table has no column of dates", table.name, "Zoom on the picture instead.")
    return scene, [condition]


def _without(only: tuple[Condition, ...], dropped: Sequence[Condition]) -> tuple[Condition, ...]:
    """Return a filter without the conditions that were dropped; values that are not in it are set aside."""
    for gone in dropped:
        hits = tuple(c for c in only if c == gone or _speaks_of(c, gone))
        if hits:
            only = tuple(c for c in only if c not in hits)
        else:
            only = (*only, Not(gone))
    return only


def _speaks_of(condition: Condition, gone: Condition) -> bool:
    if isinstance(condition, OneOf) and isinstance(gone, OneOf):
        return condition.column == gone.column and set(gone.values) >= set(condition.values)
    return isinstance(condition, Between) and isinstance(gone, Between) and condition.column == gone.column


def _with(only: tuple[Condition, ...], new: Sequence[Condition], table: Table) -> tuple[Condition, ...]:
    """Return a filter with more conditions: other values or another stretch of time take the earlier place."""
    for condition in new:
        if condition in only:
            continue
        kept = tuple(c for c in only if not _takes_place(condition, c, table))
        only = (*kept, condition)
    return only


def _takes_place(new: Condition, old: Condition, table: Table) -> bool:
    inner_new = new.part if isinstance(new, Not) else new
    inner_old = old.part if isinstance(old, Not) else old
    if isinstance(inner_new, OneOf) and isinstance(inner_old, OneOf):
        both_out = isinstance(new, Not) and isinstance(old, Not)
        return inner_new.column == inner_old.column and not both_out
    if isinstance(new, Between) and isinstance(old, Between) and new.column == old.column:
        return table.column(new.column).dated and (new.low is None) == (old.low is None)
    return (
        type(new) is type(old)
        and isinstance(new, Recurs)
        and isinstance(old, Recurs)
        and new.part == old.part
    )


def _checked(scene: Scene, table: Table) -> Scene:
    """Return a scene all of whose conditions a table can tell, or refuse it."""
    for condition in (*scene.only, scene.lit):
        if condition is not None:
            check_condition(condition, table)
    return scene


def _label(before: Scene, after: Scene, table: Table) -> str:
    """Return what changed in a few words."""
    changes = []
    if after.main != before.main and after.main is not None:
        changes.append(kind_of(after.main).short_name(after.main))
    new = [c for c in after.only if c not in before.only]
    gone = [c for c in before.only if c not in after.only]
    if new:
        changes.append("only " + " and ".join(in_words(c, table) for c in new))
    elif gone:
        changes.append("no longer only " + " and ".join(in_words(c, table) for c in gone))
    if after.lit != before.lit and after.lit is not None:
        changes.append(f"lit: {in_words(after.lit, table)}")
    return ", ".join(changes)
