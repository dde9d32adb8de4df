"""What a way through typed words asks for: measures, groups, rows, and what becomes of the picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Between, Condition, Missing, Not, OneOf, Recent, Recurs
from night_trail.core.language.numbers import number
from night_trail.core.measure import Aggregate, Measure
from night_trail.core.moments import GrainName
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.measures import first_measure, fits
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words_in import times
from night_trail.core.words_in.index import Index
from night_trail.core.words_in.tags import Amount, Tag, Way, is_unit
from night_trail.core.words_in.alike import ADJECTIVES
from night_trail.core.words_in.fillers import NOUNS
from night_trail.core.words_in.tokens import Token, stem, words_of


@dataclass
class Asked:
    """What was asked.

    ``columns`` are named without a figure, ``figure`` is one without a column;
    ``rows`` says that only rows were named. ``also`` are groups to add to those
    there are. ``end`` is the end of a ranking, ``which`` whether a group of it
    is asked for. ``wishes`` are choices in slots, ``strong`` whether words keep
    rows only.
    """

    table: Table
    measures: list[Measure] = field(default_factory=list)
    columns: list[Column] = field(default_factory=list)
    figure: tuple[str, float] | None = None
    rows: bool = False
    groups: list[Column] = field(default_factory=list)
    also: list[Column] = field(default_factory=list)
    time: Column | None = None
    grain: GrainName | None = None
    only: list[Condition] = field(default_factory=list)
    lit: list[Condition] = field(default_factory=list)
    dropped: list[Condition] = field(default_factory=list)
    zoomed: times.Stretch | None = None
    season: str = ""
    wishes: list[Tag] = field(default_factory=list)
    do: str = ""
    same: bool = False
    which: bool = False
    end: str = ""
    strong: bool = False
    spread_apart: Column | None = None
    apart: bool = False
    ranked: bool = False
    keep: int = 0
    best: bool = False
    affects: bool = False
    soft: list[Column] = field(default_factory=list)
    tokens: Sequence[Token] = ()
    kept_of: Column | None = None
    opens: bool = False
    linked: bool = False
    adds: bool = False
    busy: bool = False
    hurdle: str = ""
    unsure_good: str = ""
    taken: list[str] = field(default_factory=list)
    guesses: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    penalty: float = 0.0

    @property
    def counted(self) -> bool:
        """Whether anything is asked of which a picture could be made by itself."""
        return bool(self.measures or self.columns or self.rows)

    def text(self, tag: Tag) -> str:
        """Return what was typed for a tag."""
        return " ".join(t.text for t in self.tokens[tag.start : tag.end])

    def groups_are_named(self, numbers: Sequence[Column]) -> bool:
        """Whether what a ranking is across was said: by line."""
        return any(c not in numbers for c in self.groups)

    def good(self) -> None:
        """Turn worst and best into an end of the ranking, by what is good of the column; say what was taken."""
        column = next((c for c in self.columns if c.kind.numeric), None)
        if column is None:
            named = next((m.column for m in self.measures if m.column), None)
            column = self.table.column(named) if named else None
        if column is None:
            return
        said = self.table.called.good.get(column.name)
        low = said == "low" if said else any(stem(w) in _LOW_IS_GOOD for w in words_of(column.name))
        worst = self.end == "worst" or not self.best
        high_wanted = worst == low
        self.end = "most" if high_wanted else "least"
        if not said:
            self.guesses.append(f"{'low' if low else 'high'} {column.name} is taken as good")
            self.taken.append(self.guesses[-1])
            self.unsure_good = column.name


_FIGURES: dict[str, Aggregate] = {
    "mean": "mean", "median": "median", "sum": "sum", "quantile": "quantile", "distinct": "distinct", "ratio": "ratio",
}  # fmt: skip


_LOW_IS_GOOD = frozenset(
    "late delay error fault cost price complaint loss miss unemp death crime debt churn wait failure defect accident "
    "risk infl".split()
)
"""Words of names of whose figures the low ones are taken as good until somebody says otherwise."""
_FIGURE_WORDS = {
    "mean": "average", "median": "median", "sum": "sum", "quantile": "quantile", "distinct": "number", "ratio": "ratio",
}  # fmt: skip
_ABOVE_NOTHING = {"wet": True, "rainy": True, "wetter": True, "dry": False}
"""Words for rows where a column is above 0, or is 0; of any other adjective the table has to say what it means."""


class _Reader:
    """Walks the tags of one way from left to right."""

    def __init__(
        self, way: Way, table: Table, index: Index, present: Column | None, tokens: Sequence[Token]
    ) -> None:
        self.table, self.index, self.present, self.tokens = table, index, present, tokens
        self.asked = Asked(table, tokens=tokens)
        self.tags = [tag for tag in way.tags if tag.role not in ("filler",)]
        self.figure: tuple[str, float] | None = None
        self.ignored = False
        self.counting = False
        self.sharing = False
        self.shared: list[Condition] = []
        self.negated = False
        self.lighting = False
        self.dropping = False
        self.context: bool | None = None
        """Whether words for rows stand before: True for sure, False for ``with`` or ``in``."""
        self.amounts: list[Amount] = []
        self.flags: list[Column] = []
        self.named_dates: Column | None = None

    def read(self) -> Asked:
        self.asked.linked = any(tag.role in ("and", "versus") for tag in self.tags)
        self.asked.opens = bool(self.tags) and _goes_on(self.tags[0])
        self.asked.adds = bool(self.tags) and self.tags[0].role == "and"
        for at, tag in enumerate(self.tags):
            tag = self.tags[at]
            self.ignored = False
            take = getattr(self, f"_{tag.role.replace(' ', '_')}", None)
            if take is not None:
                take(tag, at)
            if not self.ignored:
                self._note(tag)
        self._finish()
        return self.asked

    # ---- looking round ----

    def _next(self, at: int, step: int = 1) -> Tag | None:
        there = at + step
        return self.tags[there] if 0 <= there < len(self.tags) else None

    def _role(self, at: int, step: int = 1) -> str:
        found = self._next(at, step)
        return found.role if found is not None else ""

    def _note(self, tag: Tag) -> None:
        if tag.taken and tag.taken not in self.asked.taken:
            self.asked.taken.append(tag.taken)
            if tag.guess:
                self.asked.guesses.append(tag.taken)

    # ---- words ----

    def _unread(self, tag: Tag, at: int) -> None:
        self.asked.left.append(tag.value)

    def _quoted(self, tag: Tag, at: int) -> None:
        self.asked.left.append(tag.value)

    def _number(self, tag: Tag, at: int) -> None:
        behind = self._next(at)
        if behind is not None and behind.role == "column" and tag.value == 0 and behind.value.kind.numeric:
            self.negated = True
            self.tags[at] = Tag("not", None, tag.start, tag.end, 0.0)  # zero moths
            return
        if behind is not None and behind.role == "column" and not behind.value.kind.measured:
            self.asked.keep = int(min(max(tag.value, 0), 9_999))  # 5 lines with the most boardings
            return
        self.asked.left.append(number(tag.value))
        self.asked.penalty += 0.8

    def _not(self, tag: Tag, at: int) -> None:
        self.negated, self.context = True, True

    def _drop(self, tag: Tag, at: int) -> None:
        self.dropping, self.context = True, True

    def _only(self, tag: Tag, at: int) -> None:
        self.asked.strong, self.context = True, True

    def _where(self, tag: Tag, at: int) -> None:
        self.context = bool(tag.value) or bool(self.context)

    def _light(self, tag: Tag, at: int) -> None:
        self.lighting, self.context = True, True

    def _zoom(self, tag: Tag, at: int) -> None:
        self.context = True
        self.asked.zoomed = times.Stretch(None, None)

    def _same(self, tag: Tag, at: int) -> None:
        self.asked.same = True

    def _adds(self, tag: Tag, at: int) -> None:
        self.asked.adds = True

    def _do(self, tag: Tag, at: int) -> None:
        self.asked.do = tag.value

    def _which(self, tag: Tag, at: int) -> None:
        self.asked.which = True

    def _most(self, tag: Tag, at: int) -> None:
        if tag.value in ("busiest", "quietest"):
            self.asked.busy = True
            self.asked.end = "most" if tag.value == "busiest" else "least"
            return
        self.asked.end = tag.value
        self.asked.best = self.tokens[tag.start].low == "best"

    def _ends(self, tag: Tag, at: int) -> None:
        end, keep = tag.value
        self.asked.end, self.asked.best = end, end == "best"
        self.asked.keep = int(min(max(keep, 0), 9_999))

    def _not_yet(self, tag: Tag, at: int) -> None:
        self.asked.left.append(" ".join(t.text for t in self.tokens[tag.start : tag.end]))
        self.asked.penalty += 0.9

    def _divide(self, tag: Tag, at: int) -> None:
        """Take the column before as a part of another: boardings / planned_boardings."""
        below: Column = tag.value
        last = self.asked.measures[-1] if self.asked.measures else None
        if last is not None and last.aggregate == "ratio" and last.per is None and below.kind.numeric:
            self.asked.measures[-1] = Measure("ratio", last.column, below.name)
            self.figure = None
            return
        if self.asked.columns and self.asked.columns[-1].kind.numeric and below.kind.numeric:
            above = self.asked.columns.pop()
            self.asked.measures.append(Measure("ratio", above.name, below.name))
        else:
            self.asked.left.append(self.asked.text(tag))
            self.asked.penalty += 1.0

    def _per_row(self, tag: Tag, at: int) -> None:
        self.figure = ("mean", 0.0)
        self._figured_backwards()

    def _rows(self, tag: Tag, at: int) -> None:
        if self.counting:
            self.asked.measures.append(Measure("count"))
            self.figure, self.counting = None, False
        elif not self.sharing and self.context is None:
            self.asked.rows = True

    def _grain(self, tag: Tag, at: int) -> None:
        self.asked.grain = tag.value
        self._end_of_share()

    def _wish(self, tag: Tag, at: int) -> None:
        self.asked.wishes.append(tag)
        self._end_of_share()

    def _affect(self, tag: Tag, at: int) -> None:
        self.asked.affects = True

    # ---- figures ----

    def _figure(self, tag: Tag, at: int) -> None:
        name, level = tag.value if isinstance(tag.value, tuple) else (tag.value, 0.0)
        if name == "share":
            self.sharing = True
            return
        if name == "count":
            # the average number of moths: the average
            self.counting = self.figure is None
            return
        self.figure = (name, level / 100 if name == "quantile" else level)

    def _figured_backwards(self) -> None:
        """Take a figure that stands behind its column: boardings per trip."""
        if self.figure is not None and self.asked.columns:
            self._measure(self.asked.columns.pop())

    def _measure(self, column: Column) -> None:
        assert self.figure is not None  # noqa: S101  (asked where one is at hand)
        name, level = self.figure
        if name in ("sd", "extreme"):
            self.asked.columns.append(column)
            self.asked.taken.append(
                f"the standard deviation of {column.name} stands in all its figures"
                if name == "sd"
                else f"the spread of {column.name} shows its smallest and largest"
            )
            self.figure = None
            return
        aggregate = _FIGURES[name]
        if not fits(aggregate, column):
            self.asked.penalty += 0.5
            self.asked.left.append(_FIGURE_WORDS[name])
            self.asked.hurdle = f"{column.name} is {column.kind} and has no {_FIGURE_WORDS[name]}"
            self.asked.columns.append(column)
            self.figure = None
            return
        if aggregate == "ratio":
            last = self.asked.measures[-1] if self.asked.measures else None
            if last is not None and last.aggregate == "ratio" and last.per is None:
                self.asked.measures[-1] = Measure("ratio", last.column, column.name)
                self.figure = None
            else:
                self.asked.measures.append(Measure("ratio", column.name))
            return
        made = (
            Measure(aggregate, column.name, level=level)
            if name == "quantile"
            else Measure(aggregate, column.name)
        )
        self.asked.measures.append(made)
        self.figure = None
        self.last_figure = (name, level)

    last_figure: tuple[str, float] | None = None

    # ---- columns ----

    def _column(self, tag: Tag, at: int) -> None:
        column: Column = tag.value
        if any(t.low.endswith("est") and t.stem != t.low for t in self.tokens[tag.start : tag.end]):
            self.asked.end = self.asked.end or "most"  # the longest petals
        follows = self._role(at)
        if follows == "amount" and column.kind.numeric:
            self._conditioned(column, at)
            return
        if "missing" in (follows, self._role(at, -1)):
            return
        if follows == "time" and column.dated:
            self.named_dates = column
            return
        if follows == "number" and self._equals(column, at):
            return
        if self.negated and column.kind.numeric and self._role(at, -1) == "not":
            self._keep(Between(column.name, 0.0, 0.0, high_closed=True), plain=True)
            self.asked.guesses.append(f"no {column.name} is {column.name} 0")
            return
        if self.figure is not None:
            self._measure(column)
            return
        if self.counting:
            self._count_of(column)
            return
        if self.sharing:
            self._share_of(column)
            return
        carries = self._role(at, -1) in ("column", "other", "not", "only", "value")
        if carries and column.dated and self._is_noun(tag) and not self.counting:
            self.ignored = True  # wet nights
            return
        if self._has_some(column, at):
            return
        if self._adjective(tag, at):
            return
        if column.kind == Kind.YES_NO and self._contrasted(column):
            return
        if column.kind == Kind.YES_NO and self._is_flag(at):
            self._keep(OneOf(column.name, ("no" if self.negated else "yes",)), plain=True)
            return
        if self._role(at, -1) == "and" and self._role(at, -2) == "group" and can_group(column):
            self.asked.groups.append(column)
            return
        before = self._next(at, -1)
        if before is not None and (before.role == "ends" or _keeps(before)) and can_group(column):
            self.asked.kept_of = column
        joined = self._role(at, -1) == "and" and self.last_figure is not None and self.asked.measures
        if joined and column.kind.numeric:
            self.figure = self.last_figure
            self._measure(column)
            return
        self.asked.columns.append(column)
        self.context = None

    def _other(self, tag: Tag, at: int) -> None:
        """Take what is said of some rows and of the others as their two groups."""
        for held in (self.asked.only, self.shared):
            if (
                held
                and isinstance(held[-1], OneOf)
                and self.table.column(held[-1].column).kind == Kind.YES_NO
            ):
                self.asked.groups.append(self.table.column(held.pop().column))
                return
        self.asked.left.append(self.tokens[tag.start].text)
        self.asked.penalty += 0.4

    def _contrasted(self, column: Column) -> bool:
        """Whether a yes/no column was named before: festival against no festival are its two groups."""
        same = [c for c in self.asked.only if isinstance(c, OneOf) and c.column == column.name]
        if column not in self.asked.columns and column not in self.asked.groups and not same:
            return False
        self.asked.only = [c for c in self.asked.only if c not in same]
        self.asked.columns = [c for c in self.asked.columns if c is not column]
        if column not in self.asked.groups:
            self.asked.groups.append(column)
        self.negated = False
        return True

    def _has_some(self, column: Column, at: int) -> bool:
        """Whether rows with some of a number are counted: nights with rain."""
        before = self._next(at, -1)
        has = (
            before is not None
            and before.role == "where"
            and self.tokens[before.start].low in ("with", "having")
        )
        counts = (
            self.asked.rows
            or self._role(at, -2) == "rows"
            or any(m.aggregate in ("count", "distinct") for m in self.asked.measures)
        )
        if not (has and counts and column.kind.numeric and self.figure is None):
            return False
        self.asked.guesses.append(f"with {column.name} is {column.name} above 0")
        self.asked.taken.append(self.asked.guesses[-1])
        self._keep(Between(column.name, 0.0, None, low_open=True))
        return True

    def _is_noun(self, tag: Tag) -> bool:
        return tag.end - tag.start == 1 and self.tokens[tag.start].stem in NOUNS

    def _adjective(self, tag: Tag, at: int) -> bool:
        """Take a word for rows as what it is known to mean; what it is not known to mean is left over."""
        word = self.tokens[tag.start].low
        behind = self._next(at)
        carried = behind is not None and (
            behind.role in ("rows", "noun") or (behind.role == "column" and self._is_noun(behind))
        )
        if tag.end - tag.start > 1 or word not in ADJECTIVES or not carried or not tag.value.kind.numeric:
            return False
        column = tag.value
        if word in _ABOVE_NOTHING:
            above = _ABOVE_NOTHING[word]
            rows = (
                Between(column.name, 0.0, None, low_open=True)
                if above
                else Between(column.name, 0.0, 0.0, high_closed=True)
            )
            self.asked.taken.append(f"{word} is {column.name} {'above 0' if above else '0'}")
            self.asked.guesses.append(self.asked.taken[-1])
            self.context, self.ignored = True, True
            self._keep(rows)
            return True
        self.asked.left.append(word)
        self.asked.hurdle = f"What “{word}” means is not said here; write it like {column.name} above 5"
        self.asked.penalty += 0.9
        return True

    def _is_flag(self, at: int) -> bool:
        """Whether a yes/no column names rows here: only festivals, festival nights, without festivals."""
        before, behind = self._role(at, -1), self._role(at)
        return (
            self.negated or self.context is not None or self.lighting or self.dropping
            or behind in ("rows", "only") or before in ("only", "not", "where")
        )  # fmt: skip

    def _conditioned(self, column: Column, at: int) -> None:
        """Take a column with an amount behind it; it is looked at too where nothing else is."""
        amount = self.tags[at + 1]
        self._amount_of(column, amount.value)
        bare = self.context is None and not self.asked.rows and not self.sharing and not self.counting
        if bare and not self.negated and not self.lighting:
            self.asked.soft.append(column)

    def _equals(self, column: Column, at: int) -> bool:
        """Take a number behind a column whose numbers are few as the one that is meant: religious 4."""
        if not (column.kind.numeric and can_group(column)):
            return False
        ends = [float(self.tags[at + 1].value)]
        used = at + 2
        while self._tag_role(used) in ("and", "or") and self._tag_role(used + 1) == "number":
            ends.append(float(self.tags[used + 1].value))
            used += 2
        for there in range(at + 1, used):
            self.tags[there] = Tag("done", None, self.tags[there].start, self.tags[there].end, 0.0)
        same = [Between(column.name, end, end, high_closed=True) for end in ends]
        self._keep(same[0] if len(same) == 1 else AnyOf(tuple(same)))
        return True

    def _tag_role(self, at: int) -> str:
        return self.tags[at].role if at < len(self.tags) else ""

    def _count_of(self, column: Column) -> None:
        """Take what is counted: of a number its figure, of anything else how many different there are."""
        self.counting = False
        if column.kind.numeric and not column.code and not column.dated:
            self.asked.columns.append(column)
        elif column.kind == Kind.YES_NO:
            self.asked.measures.append(Measure("count"))
            self._keep(OneOf(column.name, ("yes",)), plain=True)
        elif column.kind == Kind.IDENTIFIER and column.distinct == self.table.height:
            self.asked.measures.append(Measure("count"))
        else:
            self.asked.measures.append(Measure("distinct", column.name))
            self.asked.taken.append(f"the number of different {column.name} is counted")

    def _share_of(self, column: Column) -> None:
        if column.kind == Kind.YES_NO:
            self.asked.measures.append(Measure("mean", column.name))
            self.sharing = False
        elif column.kind.numeric:
            above = Between(column.name, 0.0, None, low_open=True)
            self.asked.guesses.append(f"the share of {column.name} is of rows with {column.name} above 0")
            self.asked.measures.append(Measure("share", where=above))
            self.sharing = False
        elif column.dated:
            self.asked.guesses.append(f"the share is of {self.table.row_noun[1]}, not of {column.name}")
            self.asked.taken.append(self.asked.guesses[-1])
        else:
            self.asked.columns.append(column)
            self.sharing = False
            self.asked.wishes.append(_BY_SHARE)

    def _group(self, tag: Tag, at: int) -> None:
        self._end_of_share()
        column: Column = tag.value
        if column.dated and not self._ranks():
            self.asked.time = column
            if words_of(column.name)[-1:] in (["night"], ["day"]):
                self.asked.grain = self.asked.grain or "day"
        else:
            self.asked.groups.append(column)
        self.context, self.negated = None, False

    def _also(self, tag: Tag, at: int) -> None:
        self._end_of_share()
        self.asked.also.append(tag.value)

    def _ranks(self) -> bool:
        return any(_keeps(tag) for tag in self.asked.wishes)

    # ---- rows ----

    def _keep(self, condition: Condition, plain: bool = False) -> None:
        """Take a condition for the filter, the lantern, or the share that is asked for."""
        if self.negated and not plain:
            condition = Not(condition)
        if self.dropping:
            self.asked.dropped.append(condition)
        elif self.lighting:
            self.asked.lit.append(condition)
        elif self.sharing and not isinstance(condition, (Recent, Recurs)):
            self.shared.append(condition)
        else:
            self.asked.only.append(condition)

    def _value(self, tag: Tag, at: int) -> None:
        column, values = tag.value
        before = self._next(at, -1)
        two_back = self._next(at, -2)
        joins = (
            before is not None and two_back is not None and two_back.role == "value"
            and before.role in ("and", "or", "not", "versus") and two_back.value[0].name == column.name
        )  # fmt: skip
        adjoins = before is not None and before.role == "value" and before.value[0].name == column.name
        if (joins or adjoins) and self._extend(column, values):
            if before is not None and before.role == "versus":
                self.asked.spread_apart, self.asked.apart = column, True
                self.asked.penalty -= 0.6
            return
        if self.counting and self._role(at) != "rows":
            self.asked.measures.append(Measure("count"))
            self.counting = False
        self._keep(OneOf(column.name, values))

    def _extend(self, column: Column, values: tuple[str, ...]) -> bool:
        """Add a value to those of its column that were named just before."""
        for held in (self.asked.only, self.asked.lit, self.asked.dropped, self.shared):
            if not held:
                continue
            last = held[-1]
            inner = last.part if isinstance(last, Not) else last
            if isinstance(inner, OneOf) and inner.column == column.name:
                more = OneOf(column.name, tuple(dict.fromkeys((*inner.values, *values))))
                held[-1] = Not(more) if isinstance(last, Not) else more
                return True
        return False

    def _rows_are(self, tag: Tag, at: int) -> None:
        self._keep(tag.value)

    def _missing(self, tag: Tag, at: int) -> None:
        for there in (self._next(at, -1), self._next(at)):
            if there is not None and there.role == "column":
                gone = Missing(there.value.name)
                self.asked.columns = [c for c in self.asked.columns if c.name != there.value.name]
                # what is missing cannot be looked at: its rows are counted
                self.asked.rows = self.asked.rows or not self.asked.measures
                self._keep(gone if tag.value else Not(gone))
                return
        self.asked.penalty += 1.0

    def _time(self, tag: Tag, at: int) -> None:
        if self.asked.zoomed is not None and isinstance(tag.value, times.Stretch):
            self.asked.zoomed = tag.value
            return
        column = self.named_dates or time_column(self.table)
        if column is None:
            return
        if isinstance(tag.value, times.Recurring) and tag.value.part == "year" and len(tag.value.at) == 3:
            self.asked.season = {11: "winter", 2: "spring", 5: "summer", 8: "autumn"}.get(tag.value.at[0], "")
        self.named_dates = None
        condition = when_condition(column, tag.value)
        if condition is None:
            self.asked.penalty += 1.0
            return
        sharing, self.sharing = self.sharing, False
        if not self._joins_time(condition, at):
            self._keep(condition)
        self.sharing = sharing

    def _joins_time(self, condition: Condition, at: int) -> bool:
        """Join a stretch of time to the one named before it: 2021 and 2022, 2021 against 2022."""
        link, before = self._role(at, -1), self._role(at, -2)
        held = self.asked.only
        if link not in ("and", "or", "versus") or before != "time" or not held:
            return False
        last = held[-1]
        if not (
            isinstance(last, Between) and isinstance(condition, Between) and last.column == condition.column
        ):
            return False
        if last.high == condition.low and not last.high_closed:
            held[-1] = Between(last.column, last.low, condition.high, high_closed=condition.high_closed)
        else:
            held[-1] = AnyOf((last, condition))
        if link == "versus" and self.asked.grain is None:
            self.asked.grain = "year"
        return True

    def _amount(self, tag: Tag, at: int) -> None:
        before = self._next(at, -1)
        if before is not None and before.role == "column" and before.value.kind.numeric:
            return  # it was taken with its column
        amount: Amount = tag.value
        if before is not None and before.role == "rows" and self.tokens[before.start].stem == "person":
            amount = replace(amount, hint=amount.hint or "old")  # people over 30
        of_it = self._role(at) == "where" and self.tokens[self.tags[at + 1].start].low == "of"
        there = at + 2 if of_it else at + 1
        behind = self.tags[there] if there < len(self.tags) else None
        if behind is not None and behind.role == "column" and behind.value.kind.numeric:
            column = behind.value
            if amount.side in ("top", "bottom") and not self.asked.counted:
                self.asked.soft.append(column)
            self.tags[there] = Tag("done", None, behind.start, behind.end, 0.0)
            self._note(behind)
            self._amount_of(column, amount)
            return
        if amount.hint:
            hinted = self._by_hint(amount.hint)
            if hinted is not None:
                self._amount_of(hinted, amount)
                return
        self.amounts.append(amount)

    def _by_hint(self, hint: str) -> Column | None:
        """Return the column a unit, or a comparing word, speaks of."""
        units = [n.column for n in self.index.names if n.column.kind.numeric and is_unit(hint, n.column)]
        if len(units) == 1:
            return units[0]
        meant = self.index.meant(hint)
        named = [self.index.names[c].column for c in meant]
        numbers = [c for c in named if c.kind.numeric]
        return numbers[0] if len(numbers) == 1 and not units else None

    def _amount_of(self, column: Column, amount: Amount) -> None:
        condition = amount_condition(column, amount, self.table)
        if condition is None:
            self.asked.penalty += 1.0
            return
        if amount.side in ("top", "bottom") and isinstance(condition, Between):
            edge = condition.low if condition.low is not None else condition.high
            side = "from" if condition.low is not None else "up to"
            self.asked.taken.append(
                f"the {amount.side} {number(amount.ends[0])} % of {column.name} is {side} {number(float(edge or 0.0), 6)}"
            )
        self._keep(condition)

    # ---- the end ----

    def _end_of_share(self) -> None:
        """Make the share of the conditions named since."""
        if self.sharing and self.shared:
            where = self.shared[0] if len(self.shared) == 1 else AllOf(tuple(self.shared))
            self.asked.measures.append(Measure("share", where=where))
            self.sharing, self.shared = False, []

    def _finish(self) -> None:
        asked = self.asked
        for amount in self.amounts:
            column = self._only_number()
            if column is None:
                asked.penalty += 1.0
                asked.left.append(number(amount.ends[0]))
                continue
            asked.guesses.append(f"{number(amount.ends[0])} is of {column.name}")
            self._amount_of(column, amount)
        self._end_of_share()
        if self.sharing:
            asked.wishes.append(_BY_SHARE)
        if not (asked.measures or asked.columns or asked.rows):
            asked.columns += asked.soft
        if self.counting and not asked.measures and not asked.columns:
            asked.rows = True
        if self.figure is not None:
            self._last_figure()
        asked.measures = [m for m in asked.measures if m.aggregate != "ratio" or m.per is not None]
        if asked.rows and (asked.measures or asked.columns):
            asked.rows = False
            asked.penalty += 0.5
        self._merge_values()

    def _only_number(self) -> Column | None:
        """Return the one number that is spoken of, or that the picture on the desk shows."""
        named = [c for c in self.asked.columns if c.kind.numeric]
        named += [self.table.column(m.column) for m in self.asked.measures if m.column]
        if len({c.name for c in named}) == 1:
            return named[0]
        if not named and self.present is not None and self.present.kind.numeric:
            return self.present
        return None

    def _last_figure(self) -> None:
        """Give a figure that no column followed the last column named, or keep it for the picture there is."""
        asked = self.asked
        assert self.figure is not None  # noqa: S101  (asked where one is at hand)
        numbers = [c for c in asked.columns if c.kind.numeric]
        if numbers and self.figure[0] != "ratio":
            asked.columns = [c for c in asked.columns if c is not numbers[0]]
            self._measure(numbers[0])
        else:
            asked.figure = self.figure

    def _merge_values(self) -> None:
        """Join values of one column that were named apart: a row has only one of them."""
        kept: list[Condition] = []
        for condition in self.asked.only:
            same = next(
                (i for i, k in enumerate(kept)
                 if isinstance(k, OneOf) and isinstance(condition, OneOf) and k.column == condition.column), None
            )  # fmt: skip
            if same is not None:
                earlier = kept[same]
                assert isinstance(earlier, OneOf) and isinstance(condition, OneOf)  # noqa: S101  (found as such)
                kept[same] = OneOf(earlier.column, tuple(dict.fromkeys((*earlier.values, *condition.values))))
                self.asked.spread_apart = self.table.column(earlier.column)
            elif condition not in kept:
                kept.append(condition)
        self.asked.only = kept


def _goes_on(tag: Tag) -> bool:
    """Whether words that begin with a tag go on from something: by month, and by depot, against last year."""
    return tag.role in (
        "wish", "group", "also", "only", "not", "light", "grain", "and", "where", "same", "drop", "zoom", "versus",
    )  # fmt: skip


def _keeps(tag: Tag) -> bool:
    """Whether a tag says how many groups of a ranking are kept."""
    return tag.role == "wish" and any(phrase.slot == "keep" for _, phrase in tag.value[0])


_BY_SHARE = Tag("by share", None, 0, 0, 0.0)


def asked_of(way: Way, table: Table, index: Index, present: Column | None, tokens: Sequence[Token]) -> Asked:
    """Return what one way through the words asks for; ``present`` is what the desk's picture is about."""
    return _Reader(way, table, index, present, tokens).read()


def when_condition(column: Column, when: times.When) -> Condition | None:
    """Return the rows of a stretch of time, None where a column cannot tell."""
    if isinstance(when, times.Newest):
        return Recent(column.name, when.count, when.unit) if column.kind.temporal else None
    if isinstance(when, times.Recurring):
        if not column.kind.temporal or (when.part == "day" and column.kind == Kind.DATE):
            return None
        return Recurs(column.name, when.part, when.at)
    if not column.yearly:
        low, high = (None if day is None else day.isoformat() for day in (when.low, when.high))
        return Between(column.name, low, high)
    if when.low is not None and when.high is not None:
        return Between(
            column.name, float(when.low.year), float(max(when.high.year - 1, when.low.year)), high_closed=True
        )
    if when.low is not None:
        return Between(column.name, float(when.low.year), None)
    return None if when.high is None else Between(column.name, None, float(when.high.year))


def amount_condition(column: Column, amount: Amount, table: Table) -> Condition | None:
    """Return the rows an amount of a column names, None where its ends are turned round."""
    first = float(amount.ends[0])
    if amount.hint == "%" and column.kind == Kind.SHARE and amount.side not in ("top", "bottom"):
        first /= 100
    match amount.side:
        case "over":
            return Between(column.name, first, None, low_open=True)
        case "least":
            return Between(column.name, first, None)
        case "under":
            return Between(column.name, None, first)
        case "most":
            return Between(column.name, None, first, high_closed=True)
        case "is":
            return Between(column.name, first, first, high_closed=True)
        case "between":
            low, high = sorted(float(end) for end in amount.ends)
            return Between(column.name, low, high, high_closed=True)
    if not 0 < first < 100:
        return None
    values = table.ordered(column.name).values
    if not len(values):
        return None
    top = amount.side == "top"
    edge = float(np.quantile(values, 1 - first / 100 if top else first / 100))
    return Between(column.name, edge, None) if top else Between(column.name, None, edge, high_closed=True)


def plain_measures(asked: Asked) -> Sequence[Measure]:
    """Return the measures asked for, those of columns named without a figure among them."""
    return [*asked.measures, *(first_measure(c) for c in asked.columns)]


def figure_measure(figure: tuple[str, float], column: Column) -> Measure | None:
    """Return a figure of a column, None where it has none."""
    name, level = figure
    aggregate = _FIGURES.get(name)
    if aggregate is None or aggregate == "ratio" or not fits(aggregate, column):
        return None
    return (
        Measure(aggregate, column.name, level=level)
        if name == "quantile"
        else Measure(aggregate, column.name)
    )


def rows_named(asked: Asked) -> bool:
    """Whether rows are named at all."""
    return bool(asked.only or asked.lit or asked.dropped)
