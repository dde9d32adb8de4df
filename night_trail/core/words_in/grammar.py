"""A way through typed words, read from left to right into what is asked."""

from __future__ import annotations

from collections.abc import Sequence

from night_trail.core.conditions import Between, Condition, OneOf, joined_all
from night_trail.core.language.numbers import number
from night_trail.core.measure import Measure
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.measures import first_measure, fits
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.figures import FIGURE_WORDS, FIGURES
from night_trail.core.words_in.grammar_rows import RowsReader
from night_trail.core.words_in.index import Index
from night_trail.core.words_in.tags import Tag, Way
from night_trail.core.words_in.tokens import Token, words_of


class _Reader(RowsReader):
    """Walks the tags of one way from left to right; a method for each role."""

    def read(self) -> Asked:
        self.asked.linked = any(tag.role in ("and", "versus") for tag in self.tags)
        self.asked.opens = bool(self.tags) and _goes_on(self.tags[0])
        self.asked.adds = bool(self.tags) and self.tags[0].role == "and"
        for at in range(len(self.tags)):
            tag = self.tags[at]  # what stood there may have been taken with one before it
            self.ignored = False
            take = getattr(self, f"_{tag.role.replace(' ', '_')}", None)
            if take is not None:
                take(tag, at)
            if not self.ignored:
                self._note(tag)
        self._finish()
        return self.asked

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

    def _known(self, tag: Tag, at: int) -> None:
        self._end_of_share()
        self.asked.measures.append(tag.value)

    def _sorts(self, tag: Tag, at: int) -> None:
        """Take what sorts the groups where it is what is measured; another measure cannot."""
        self._end_of_share()
        named = [*self.asked.columns, *(self.table.column(m.column) for m in self.asked.measures if m.column)]
        if tag.value not in named:
            self.asked.left.append(self.asked.text(tag))
            self.asked.penalty += 1.0

    def _rate(self, tag: Tag, at: int) -> None:
        """Take the rate of a yes/no column as its share; of anything else there is none."""
        column: Column = tag.value
        if column.kind == Kind.YES_NO:
            self.asked.measures.append(Measure("mean", column.name))
        else:
            self.asked.columns.append(column)
            self.asked.left.append("rate")
            self.asked.penalty += 0.9

    def _per_row(self, tag: Tag, at: int) -> None:
        if not any(m.aggregate == "mean" for m in self.asked.measures):
            self.figure = ("mean", 0.0)
            self._figured_backwards()

    def _rows(self, tag: Tag, at: int) -> None:
        if self.counting:
            self.asked.measures.append(Measure("count"))
            self.figure, self.counting = None, False
        elif not self.sharing and self.context is None:
            self.asked.rows = True

    def _grain(self, tag: Tag, at: int) -> None:
        self._end_of_share()
        if self.asked.grain not in (None, tag.value):
            self.asked.left.append(self.asked.text(tag))  # one step of time is shown at once
            self.asked.penalty += 0.6
            return
        self.asked.grain = tag.value

    def _wish(self, tag: Tag, at: int) -> None:
        self.asked.wishes.append(tag)
        self._end_of_share()

    def _affect(self, tag: Tag, at: int) -> None:
        self.asked.affects = True

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
        aggregate = FIGURES[name]
        if not fits(aggregate, column):
            self.asked.penalty += 0.5
            self.asked.left.append(FIGURE_WORDS[name])
            self.asked.hurdle = f"{column.name} is {column.kind} and has no {FIGURE_WORDS[name]}"
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

    def _column(self, tag: Tag, at: int) -> None:  # noqa: C901  (one case a meaning, in the order of their weight)
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
        on_rows = self.context is not None and self._role(at) in ("rows", "noun")
        if column.kind == Kind.YES_NO and on_rows:
            self._keep(OneOf(column.name, ("no" if self.negated else "yes",)), plain=True)
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

    def _conditioned(self, column: Column, at: int) -> None:
        """Take a column with an amount behind it; it is looked at too where nothing else is."""
        amount = self.tags[at + 1]
        self._amount_of(column, amount.value)
        bare = self.context is None and not self.asked.rows and not self.sharing and not self.counting
        if bare and not self.negated and not self.lighting:
            self.asked.soft.append(column)

    def _count_of(self, column: Column) -> None:
        """Take what is counted: of a number its figure, of anything else how many different there are."""
        self.counting = False
        every = column.kind == Kind.WHOLE and column.distinct == self.table.height
        if column.kind.numeric and not (column.code or column.dated or every):
            self.asked.columns.append(column)
        elif column.kind == Kind.YES_NO:
            self.asked.measures.append(Measure("count"))
            self._keep(OneOf(column.name, ("yes",)), plain=True)
        elif column.distinct == self.table.height and not column.dated:
            self.asked.measures.append(Measure("count"))
        else:
            self.asked.measures.append(Measure("distinct", column.name))
            self.asked.taken.append(f"the number of different {column.name} is counted")

    def _share_of(self, column: Column) -> None:
        if column.kind == Kind.YES_NO:
            self.asked.measures.append(Measure("mean", column.name))
            self.sharing = False
        elif column.additive:
            self.asked.measures.append(first_measure(column))
            self.asked.wishes.append(_BY_SHARE)
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
        before = self._next(at, -1)
        if before is not None and _sorted(before):
            self._sorts(tag, at)
            return
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

    def _end_of_share(self) -> None:
        """Make the share of the conditions named since."""
        if self.sharing and self.shared:
            self.asked.measures.append(Measure("share", where=joined_all(*self.shared)))
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
        if self.sharing and not self.shared and not asked.columns and not asked.measures:
            # very satisfied share: the rows that were named before
            named = [c for c in asked.only if isinstance(c, OneOf | Between) and not self._of_time(c)]
            self.shared = [*named[-1:]]
            asked.only = [c for c in asked.only if c not in self.shared]
        self._end_of_share()
        if self.sharing:
            asked.wishes.append(_BY_SHARE)
        if not (asked.measures or asked.columns or asked.rows):
            asked.columns += asked.soft[:1]
        if self.counting and not asked.measures and not asked.columns:
            asked.rows = True
        if self.figure is not None:
            self._last_figure()
        asked.measures = [m for m in asked.measures if m.aggregate != "ratio" or m.per is not None]
        if asked.rows and (asked.measures or asked.columns):
            asked.rows = False
            asked.penalty += 0.5
        self._merge_values()

    def _of_time(self, condition: OneOf | Between) -> bool:
        return self.table.column(condition.column).dated

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
        """Give a figure without a column the first number named, or keep it for the picture there is."""
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
            there = next((i for i, k in enumerate(kept) if _of_one_column(k, condition)), None)
            if there is not None:
                earlier = kept[there]
                assert isinstance(earlier, OneOf) and isinstance(condition, OneOf)  # noqa: S101  (found as such)
                values = tuple(dict.fromkeys((*earlier.values, *condition.values)))
                kept[there] = OneOf(earlier.column, values)
                self.asked.spread_apart = self.table.column(earlier.column)
            elif condition not in kept:
                kept.append(condition)
        self.asked.only = kept


def _of_one_column(one: Condition, other: Condition) -> bool:
    return isinstance(one, OneOf) and isinstance(other, OneOf) and one.column == other.column


def _goes_on(tag: Tag) -> bool:
    """Whether words that begin with a tag go on from something: by month, and by depot, against last year."""
    return tag.role in (
        "wish", "group", "also", "only", "not", "light", "grain", "and", "where", "same", "drop", "zoom",
        "versus",
    )  # fmt: skip


def _sorted(tag: Tag) -> bool:
    """Whether a tag asks for groups sorted by what follows."""
    return tag.role == "wish" and any((p.slot, p.value) == ("order", "value") for _, p in tag.value[0])


def _keeps(tag: Tag) -> bool:
    """Whether a tag says how many groups of a ranking are kept."""
    return tag.role == "wish" and any(phrase.slot == "keep" for _, phrase in tag.value[0])


_BY_SHARE = Tag("by share", None, 0, 0, 0.0)


def asked_of(way: Way, table: Table, index: Index, present: Column | None, tokens: Sequence[Token]) -> Asked:
    """Return what one way through the words asks for; ``present`` is what the desk's picture is about."""
    return _Reader(way, table, index, present, tokens).read()
