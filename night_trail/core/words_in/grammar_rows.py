"""Which rows are named in a way through typed words: values, amounts, times, flags, what is set aside."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from night_trail.core.conditions import AnyOf, Between, Condition, Missing, Not, OneOf, Recent, Recurs
from night_trail.core.language.numbers import number
from night_trail.core.measure import Measure
from night_trail.core.moments import Part
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words_in import times
from night_trail.core.words_in.alike import ADJECTIVES
from night_trail.core.words_in.amounts import amount_condition, when_condition
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.fillers import NOUNS
from night_trail.core.words_in.index import Index
from night_trail.core.words_in.phrases import patterns
from night_trail.core.words_in.tags import Amount, Tag, Way, is_unit
from night_trail.core.words_in.tokens import Token

_ABOVE_NOTHING = {"wet": True, "rainy": True, "wetter": True, "dry": False}
"""Words for rows where a column is above 0, or is 0; what others mean the table has to say."""


class RowsReader:
    """Walks the tags of a way: what of them names rows."""

    def __init__(
        self, way: Way, table: Table, index: Index, present: Column | None, tokens: Sequence[Token]
    ) -> None:
        self.table, self.index, self.present, self.tokens = table, index, present, tokens
        self.asked = Asked(table, tokens=tokens)
        self.tags = _without_own_names([tag for tag in way.tags if tag.role != "filler"])
        self.figure: tuple[str, float] | None = None
        self.ignored = False
        self.either = False
        self.counting = False
        self.sharing = False
        self.shared: list[Condition] = []
        self.negated = False
        self.lighting = False
        self.dropping = False
        self.context: bool | None = None
        """Whether words for rows stand before: True for sure, False for ``with`` or ``in``."""
        self.amounts: list[Amount] = []
        self.named_dates: Column | None = None
        self.last_figure: tuple[str, float] | None = None

    def _next(self, at: int, step: int = 1) -> Tag | None:
        there = at + step
        return self.tags[there] if 0 <= there < len(self.tags) else None

    def _role(self, at: int, step: int = 1) -> str:
        found = self._next(at, step)
        return found.role if found is not None else ""

    def _tag_role(self, at: int) -> str:
        return self.tags[at].role if at < len(self.tags) else ""

    def _note(self, tag: Tag) -> None:
        if tag.taken and tag.taken not in self.asked.taken:
            self.asked.taken.append(tag.taken)
            if tag.guess:
                self.asked.guesses.append(tag.taken)

    def _not(self, tag: Tag, at: int) -> None:
        self.negated, self.context = True, True

    def _or(self, tag: Tag, at: int) -> None:
        self.either = True

    def _and(self, tag: Tag, at: int) -> None:
        self.either = False

    def _drop(self, tag: Tag, at: int) -> None:
        self.dropping, self.context = True, True

    def _only(self, tag: Tag, at: int) -> None:
        self.context = True

    def _where(self, tag: Tag, at: int) -> None:
        self.context = bool(tag.value) or bool(self.context)

    def _light(self, tag: Tag, at: int) -> None:
        self.lighting, self.context = True, True

    def _zoom(self, tag: Tag, at: int) -> None:
        self.context = True
        self.asked.zoomed = times.Stretch(None, None)

    def _keep(self, condition: Condition, plain: bool = False) -> None:
        """Take a condition for the filter, the lantern, or the share that is asked for."""
        if self.negated and not plain:
            condition = Not(condition)
        either, self.either = self.either, False
        if either and self.asked.only and not (self.dropping or self.lighting or self.sharing):
            self.asked.only[-1] = AnyOf((self.asked.only[-1], condition))
            return
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
        if isinstance(last, Recurs) and isinstance(condition, Recurs) and last.part == condition.part:
            held[-1] = Recurs(last.column, last.part, tuple(dict.fromkeys((*last.at, *condition.at))))
            if link == "versus":
                self.asked.wishes.append(through(last.part))
            return True
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
                f"the {amount.side} {number(amount.ends[0])} % of {column.name} "
                f"is {side} {number(float(edge or 0.0), 6)}"
            )
        self._keep(condition)

    def _is_noun(self, tag: Tag) -> bool:
        return tag.end - tag.start == 1 and self.tokens[tag.start].stem in NOUNS

    def _adjective(self, tag: Tag, at: int) -> bool:
        """Take a word for rows as what it is known to mean; what it is not known to mean is left over."""
        word = self.tokens[tag.start].low
        behind = self._next(at)
        carried = behind is not None and (
            behind.role in ("rows", "noun") or (behind.role == "column" and self._is_noun(behind))
        )
        named = behind is not None and behind.role == "column" and behind.start == tag.end
        carried = carried or (named and word not in _ABOVE_NOTHING)  # late boardings
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

    def _other(self, tag: Tag, at: int) -> None:
        """Take what is said of some rows and of the others as their two groups."""
        for held in (self.asked.only, self.shared):
            last = held[-1] if held else None
            if isinstance(last, OneOf) and self.table.column(last.column).kind == Kind.YES_NO:
                self.asked.groups.append(self.table.column(last.column))
                held.pop()
                return
        self.asked.left.append(self.asked.text(tag))
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


def through(part: Part) -> Tag:
    """Return the wish to see a cycle, as if it had been typed: through the week."""
    for pattern in patterns()["through"]:
        if pattern.symbols == ("through", "the", {"quarters": "quarter"}.get(part, part)):
            return Tag("wish", (pattern.effects, ()), 0, 0, 1.0)
    raise LookupError(part)


def _without_own_names(tags: list[Tag]) -> list[Tag]:
    """Return tags without columns that only name what a value beside them is of: high risk, crew C01."""
    kept = []
    for at, tag in enumerate(tags):
        beside = tags[max(0, at - 1) : at] + tags[at + 1 : at + 2]
        own = any(
            one.role == "value" and one.value[0].name == getattr(tag.value, "name", "") for one in beside
        )
        if not (tag.role == "column" and own):
            kept.append(tag)
    return kept
