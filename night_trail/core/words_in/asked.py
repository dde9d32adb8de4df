"""What typed words ask for: measures, groups, rows, and what becomes of the picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from night_trail.core.conditions import Condition
from night_trail.core.measure import Measure
from night_trail.core.moments import GrainName
from night_trail.core.table import Column, Table
from night_trail.core.words_in import times
from night_trail.core.words_in.tags import Tag
from night_trail.core.words_in.tokens import Token, stem, words_of

_LOW_IS_GOOD = frozenset(
    "late delay error fault cost price complaint loss miss unemp death crime debt churn wait failure defect "
    "accident risk infl".split()
)
"""Words of names of whose figures the low ones are taken as good until somebody says otherwise."""


@dataclass
class Asked:
    """What was asked.

    ``columns`` are named without a figure, ``figure`` is one without a column;
    ``soft`` of them are named for their rows alone. ``rows`` says that only rows
    were named. ``also`` are groups to add to those there are. ``end`` is the end
    of a ranking, ``keep`` how many of it, ``kept_of`` what of; ``best`` says that
    the good end is wanted, ``busy`` that of the most rows. ``wishes`` are choices
    in slots. ``spread_apart`` is the column of values that were set against each
    other, ``apart`` that they are to be drawn so. ``same`` and ``adds`` ask for
    another measure in the same picture, or one more. ``opens`` says that the
    words go on from something, ``hurdle`` why something of them cannot be.
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

    @property
    def says_more(self) -> bool:
        """Whether anything is asked beside what is to be done."""
        rows = self.only or self.lit or self.dropped
        return bool(
            self.counted or self.groups or self.also or self.grain or self.time or self.wishes or rows
        )

    def text(self, tag: Tag) -> str:
        """Return what was typed for a tag."""
        return " ".join(t.text for t in self.tokens[tag.start : tag.end])

    def groups_are_named(self, numbers: Sequence[Column]) -> bool:
        """Whether what a ranking is across was said: by line."""
        return any(c not in numbers for c in self.groups)

    def good(self) -> None:
        """Turn worst and best into an end of the ranking, by what is good of the column; say so."""
        column = next((c for c in self.columns if c.kind.numeric), None)
        if column is None:
            named = next((m.column for m in self.measures if m.column), None)
            column = self.table.column(named) if named else None
        if column is None:
            # of rows that are only counted many are best
            self.end = "most" if self.best else "least"
            self.guesses.append(f"{'many' if self.best else 'few'} {self.table.row_noun[1]} are taken so")
            self.taken.append(self.guesses[-1])
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
