"""Tables that belong together: likely keys, what a join would do, joining and stacking."""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass

import msgspec
import polars as pl
from rapidfuzz import fuzz

from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import listed
from night_trail.core.reading.kinds import described
from night_trail.core.reading.typed import Typed
from night_trail.core.reading.words import words
from night_trail.core.recipe.draft import Draft, Origin, Place
from night_trail.core.recipe.steps import Join, JoinHow
from night_trail.core.table import Column, FrameSource, Kind, Table, as_text, largest

MOST_ROWS = 20_000_000
_KEY_KINDS = {
    Kind.WHOLE,
    Kind.IDENTIFIER,
    Kind.CATEGORY,
    Kind.ORDERED,
    Kind.PLACE,
    Kind.DATE,
    Kind.TEXT,
    Kind.DATETIME,
}
_MOST_KEYS = 60
_MOST_VALUES = 200_000


@dataclass(frozen=True)
class LikelyKey:
    """Pairs of columns that may be a key; ``overlap`` is the share of left values found at the right."""

    on: tuple[tuple[str, str], ...]
    overlap: float
    right_unique: bool
    score: float

    def words(self) -> str:
        """Return the key in words."""
        return listed([a if a == b else f"{a} is {b}" for a, b in self.on])


@dataclass(frozen=True)
class JoinFacts:
    """What a join would do, counted in rows before it is done.

    ``gathered_heights`` are the rows where the other table is first made one
    row a key. ``doubled`` names columns of the left table whose sums would
    count rows again, ``repeated`` those of the other table.
    """

    left_rows: int
    right_rows: int
    left_once: int
    left_many: int
    left_without: int
    right_with: int
    right_without: int
    most: int
    heights: dict[JoinHow, int]
    gathered_heights: dict[JoinHow, int]
    left_examples: tuple[str, ...]
    right_examples: tuple[str, ...]
    doubled: tuple[str, ...]
    repeated: tuple[str, ...]

    def multiplies(self) -> bool:
        """Whether rows of the left table would stand more than once."""
        return self.left_many > 0


def _may_be_key(column: Column) -> bool:
    # what can be summed counts things, and names none
    return column.kind in _KEY_KINDS and not column.additive


def key_cells(table: Table, name: str, other: Column) -> pl.Series:
    """Return a column as it is compared with another: numbers as numbers, dates as dates, else as text."""
    column = table.column(name)
    cells = table.series(name)
    if column.kind.numeric and other.kind.numeric:
        return cells.cast(pl.Float64)
    if column.kind.temporal and other.kind.temporal:
        return cells.cast(pl.Date if Kind.DATE in (column.kind, other.kind) else pl.Datetime("us"))
    texts = as_text(cells)
    if column.kind in (Kind.NUMBER, Kind.WHOLE):
        texts = texts.str.replace(r"\.0$", "")
    return texts


def likely_keys(left: Table, right: Table) -> list[LikelyKey]:
    """Return pairs of columns that may be the key of a join, the likeliest first.

    Names, kinds and the overlap of values are weighed; only columns whose
    values name things are looked at, the most alike by name first where there
    are many.
    """
    pairs = [
        (a, b, fuzz.ratio(plain_name(a.name), plain_name(b.name)) / 100)
        for a in left.columns
        for b in right.columns
        if _may_be_key(a) and _may_be_key(b) and a.kind.temporal == b.kind.temporal
    ]
    pairs.sort(key=lambda p: -p[2])
    values: dict[tuple[int, str, bool], pl.Series] = {}

    def distinct(side: int, table: Table, column: Column, other: Column) -> pl.Series:
        key = (side, column.name, column.kind.numeric and other.kind.numeric)
        if key not in values:
            values[key] = key_cells(table, column.name, other).drop_nulls().unique().head(_MOST_VALUES)
        return values[key]

    found = []
    for a, b, alike in pairs[:_MOST_KEYS]:
        ours, theirs = distinct(0, left, a, b), distinct(1, right, b, a)
        if not len(ours) or not len(theirs) or ours.dtype != theirs.dtype:
            continue
        common = len(ours.to_frame("k").join(theirs.to_frame("k"), on="k", how="semi"))
        overlap = common / min(len(ours), len(theirs))
        unique = b.distinct == right.height - b.missing
        left_unique = a.distinct == left.height - a.missing
        # two categories of a few values overlap by chance; a key has many, or is unique on one side
        telling = 1.0 if unique or left_unique else 0.4
        score = overlap * telling * (0.4 + 0.6 * alike)
        if common and (overlap >= 0.2 or alike > 0.9) and score > 0.15:
            found.append(LikelyKey(((a.name, b.name),), common / len(ours), unique, score))
    found.sort(key=lambda k: -k.score)
    return sorted(found + _two_columns(right, found[:5]), key=lambda k: -k.score)[:6]


def _two_columns(right: Table, single: list[LikelyKey]) -> list[LikelyKey]:
    """Return keys of two columns that together name the other table's rows better than either alone."""
    found = []
    for first, second in itertools.combinations(single, 2):
        (a, b), (c, d) = first.on[0], second.on[0]
        if (
            a == c
            or b == d
            or first.right_unique
            or second.right_unique
            or min(first.overlap, second.overlap) < 0.1
        ):
            continue
        both = pl.DataFrame([right.series(b).alias("b"), right.series(d).alias("d")]).n_unique()
        alone = max(right.column(b).distinct, right.column(d).distinct)
        if both > 2 * alone:
            unique = both == right.height
            score = max(first.score, second.score) + (0.6 if unique else 0.2)
            found.append(LikelyKey(first.on + second.on, min(first.overlap, second.overlap), unique, score))
    return found


def plain_name(name: str) -> str:
    """Return a name as small words, so that tripId and Trip ID agree."""
    words_ = re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower()
    return " ".join(re.split(r"[^0-9a-zà-ÿ]+", words_)).strip()


def _frames(
    left: Table, right: Table, on: tuple[tuple[str, str], ...]
) -> tuple[pl.DataFrame, pl.DataFrame, list[str]]:
    if not on:
        raise BadQuestion("No key is chosen", "", "Choose a column of each table.")
    ours, theirs = {}, {}
    for i, (a, b) in enumerate(on):
        first, second = left.column(a), right.column(b)
        ours[f"k{i}"], theirs[f"k{i}"] = key_cells(left, a, second), key_cells(right, b, first)
    return (
        pl.DataFrame(ours).with_columns(l=pl.int_range(left.height, dtype=pl.UInt32)),
        pl.DataFrame(theirs).with_columns(r=pl.int_range(right.height, dtype=pl.UInt32)),
        list(ours),
    )


def join_facts(left: Table, right: Table, on: tuple[tuple[str, str], ...]) -> JoinFacts:
    """Return what joining two tables would do, without doing it."""
    ours, theirs, keys = _frames(left, right, on)
    right_counts = theirs.drop_nulls(keys).group_by(keys).len("n")
    matched = ours.join(right_counts, on=keys, how="left")["n"].fill_null(0)
    left_keys = ours.drop_nulls(keys).select(keys).unique()
    right_has = theirs.join(left_keys, on=keys, how="semi")
    inner = int(matched.sum() or 0)
    without = int((matched == 0).sum())
    right_without = right.height - right_has.height
    keys_without = right_counts.join(left_keys, on=keys, how="anti").height
    several = theirs.join(ours.drop_nulls(keys).group_by(keys).len("n"), on=keys, how="inner")["n"] > 1
    return JoinFacts(
        left_rows=left.height,
        right_rows=right.height,
        left_once=int((matched == 1).sum()),
        left_many=int((matched > 1).sum()),
        left_without=without,
        right_with=right_has.height,
        right_without=right_without,
        most=int(largest(matched)),
        heights={"left": inner + without, "inner": inner, "full": inner + without + right_without},
        gathered_heights={
            "left": left.height,
            "inner": left.height - without,
            "full": left.height + keys_without,
        },
        left_examples=_examples(ours.filter(matched == 0), keys),
        right_examples=_examples(theirs.join(left_keys, on=keys, how="anti"), keys),
        doubled=tuple(c.name for c in left.columns if c.additive) if bool((matched > 1).any()) else (),
        repeated=tuple(c.name for c in right.columns if c.additive) if bool(several.any()) else (),
    )


def _examples(frame: pl.DataFrame, keys: list[str]) -> tuple[str, ...]:
    rows = frame.select(keys).drop_nulls().unique(maintain_order=True).head(4).rows()
    return tuple(" · ".join(f"{v:g}" if isinstance(v, float) else str(v) for v in row)[:60] for row in rows)


def join(draft: Draft, step: Join, other: Table) -> None:
    """Join columns of another table to a draft, which is changed."""
    left = draft.table()
    right = gathered(other, tuple(b for _, b in step.on)) if step.gather else other
    ours, theirs, keys = _frames(left, right, step.on)
    facts = join_facts(left, right, step.on)
    if facts.heights[step.how] > MOST_ROWS:
        raise BadQuestion(
            f"The join would give {facts.heights[step.how]:,} rows",
            "",
            "Make the other table one row a key first.",
        )
    if step.how == "full":
        pairs = ours.join(theirs, on=keys, how="left", maintain_order="left_right").select("l", "r")
        alone = theirs.join(ours.drop_nulls(keys), on=keys, how="anti").select(
            l=pl.lit(None, dtype=pl.UInt32), r="r"
        )
        pairs = pl.concat([pairs, alone])
    else:
        pairs = ours.join(theirs, on=keys, how=step.how, maintain_order="left_right").select("l", "r")
    unchanged = step.how == "left" and pairs.height == draft.height
    if not unchanged:
        draft.take_rows(pairs["l"])
    draft.maps.append(pairs["r"])
    via = len(draft.maps) - 1
    right_keys = {b for _, b in step.on}
    wanted = step.columns or tuple(c.name for c in right.columns if c.name not in right_keys)
    if step.how == "full":
        for a, b in step.on:
            _fill_key(draft, a, right, b, pairs["r"])
    for name in wanted:
        column = right.column(name)
        free = (
            name
            if all(p.column.name != name for p in draft.places)
            else draft.free(f"{name} ({step.table_name})")
        )
        reason = f"joined from {step.table_name}; {column.reason}"
        if name in facts.repeated:
            reason += f"; not summed, since rows of {step.table_name} stand several times"
        joined = msgspec.structs.replace(
            column, name=free, reason=reason, additive=column.additive and name not in facts.repeated
        )
        position = next(i for i, c in enumerate(right.columns) if c.name == name)
        origin = Origin(right, position, via)
        # a table made only for this join is stored nowhere: its cells are taken now
        draft.places.append(Place(joined, right.series(name).gather(pairs["r"]) if step.gather else origin))
    if step.gather:
        for place in draft.places[-len(wanted) :]:
            assert isinstance(place.origin, pl.Series)  # noqa: S101  (just put there)
            place.column = msgspec.structs.replace(
                place.column, missing=place.origin.null_count(), distinct=place.origin.drop_nulls().n_unique()
            )


def _fill_key(draft: Draft, name: str, right: Table, other: str, rows: pl.Series) -> None:
    """Give rows that only the other table has their key."""
    place = draft.at(name)
    ours, theirs = draft.cells(place), right.series(other).gather(rows)
    if isinstance(ours.dtype, pl.Enum) or ours.dtype == pl.String:
        ours, theirs = ours.cast(pl.String), as_text(theirs)
        filled = pl.select(pl.coalesce(ours, theirs)).to_series()
        found = words(name, filled, filled.drop_nulls())
    else:
        filled = pl.select(pl.coalesce(ours, theirs.cast(ours.dtype, strict=False))).to_series()
        found = Typed(place.column.kind, filled, "")
    draft.put(name, found, place.column.reason, unit=place.column.unit, additive=place.column.additive)


def gathered(table: Table, keys: tuple[str, ...]) -> Table:
    """Return a table with one row for each key.

    What can be summed is summed, other numbers are averaged, and what is no
    number is kept where it is one value for the key. A column counts the rows.
    """
    frame = pl.DataFrame({f"c{i}": table.series(c.name) for i, c in enumerate(table.columns)})
    at = {c.name: f"c{i}" for i, c in enumerate(table.columns)}
    made = []
    for column in table.columns:
        cell = pl.col(at[column.name])
        if column.name in keys:
            continue
        if column.additive:
            made.append(pl.when(cell.count() > 0).then(cell.sum()).alias(at[column.name]))
        elif column.kind.numeric:
            made.append(cell.mean())
        else:
            made.append(
                pl.when(cell.drop_nulls().n_unique() == 1)
                .then(cell.drop_nulls().first())
                .alias(at[column.name])
            )
    grouped = (
        frame.drop_nulls([at[k] for k in keys])
        .group_by([at[k] for k in keys], maintain_order=True)
        .agg(*made, pl.len().alias("n").cast(pl.Int64))
    )
    columns, series = [], []
    for column in table.columns:
        cells = grouped[at[column.name]]
        kind = column.kind
        if column.name not in keys and kind == Kind.WHOLE and not column.additive:
            kind = Kind.NUMBER
        reason = column.reason if column.name in keys else f"{_gathered_how(column)} over {table.name}"
        described_, cells = described(column.name, Typed(kind, cells, reason, unit=column.unit), cells)
        columns.append(
            msgspec.structs.replace(described_, reason=reason, additive=column.additive, unit=column.unit)
        )
        series.append(cells)
    count_name = f"{table.row_noun[1]} in {table.name}"
    counted_, cells = described(count_name, Typed(Kind.WHOLE, grouped["n"], "counted"), grouped["n"])
    columns.append(msgspec.structs.replace(counted_, additive=True))
    series.append(cells)
    return Table(
        key=f"{table.key}:gathered",
        name=table.name,
        columns=columns,
        height=grouped.height,
        source=FrameSource(series),
        row_noun=table.row_noun,
    )


def _gathered_how(column: Column) -> str:
    return (
        "summed" if column.additive else "averaged" if column.kind.numeric else "kept where it is one value"
    )
