"""Each step of a recipe by hand or against pandas; recipes as files, and on tables they were not made for."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any, get_args

import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.conditions import Between
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.reading import ReadingSettings, load
from night_trail.core.recipe import apply, decode_recipe
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.clusters import clusters, exact
from night_trail.core.recipe.files import to_plain
from night_trail.core.recipe.offers import Remedy, column_offers
from night_trail.core.recipe.steps import Step, decode_step
from night_trail.core.table import CLOCK, Kind, Table
from tests.core.tables import table_of


def read(tmp_path: Path, text: str, name: str = "file.csv") -> Table:
    path = tmp_path / name
    path.write_text(text)
    return load(path)[0]


def cells(table: Table, *steps: Step, column: str = "x") -> list[Any]:
    return apply(steps, table).table().series(column).to_list()


@pytest.fixture
def traps(tmp_path: Path) -> Table:
    return read(
        tmp_path,
        "night,found,district,moths,cover,catch,rating\n"
        "2024-05-06,23:10,Old Mills,4,25 %,12 km,4 of 5\n"
        "2024-05-07,00:05,old mills,9999,50 %,3 km,5 of 5\n"
        "2024-05-11,21:59,OLD  MILLS,31,75 %,,1 of 5\n"
        "2024-12-31,22:30,Quayside,7,,7 km,\n",
    )


def test_numbers_hidden_in_text_come_out_with_unit_or_scale(traps: Table) -> None:
    offers = {c.name: column_offers(c, traps.series(c.name)) for c in traps.columns}
    # a unit that every cell has is read at once
    assert (traps.column("catch").unit, traps.column("catch").kind, offers["catch"]) == (
        "km",
        Kind.NUMBER,
        (),
    )
    after = apply([offers["rating"][0].step], traps).table()
    assert after.series("rating").to_list() == [4, 5, 1, None]
    assert (after.column("rating").top, after.column("rating").additive) == (5, False)


@pytest.mark.parametrize(
    ("texts", "words", "values", "kind", "unit"),
    [
        (["K 1,204.50", "K 12.00", "K 7.25"], "Read as money, K", [1204.5, 12.0, 7.25], Kind.MONEY, "K"),
        (["4 of 5", "5 of 5", "2 of 5"], "Read as a number from 1 to 5", [4, 5, 2], Kind.WHOLE, ""),
        (["about 12 km", "about 3 km", "about 40 km"], "Read as a number, km", [12, 3, 40], Kind.WHOLE, "km"),
        (["no. 12", "no. 3", "no. 40"], "Read as a number", [12, 3, 40], Kind.WHOLE, ""),
    ],
)
def test_the_remedy_for_a_number_in_text(
    texts: list[str], words: str, values: list[float], kind: Kind, unit: str, tmp_path: Path
) -> None:
    quoted = "\n".join(f'{i},"{t}"' for i, t in enumerate(texts))
    table = read(tmp_path, f"n,x\n{quoted}\n")
    offer = column_offers(table.column("x"), table.series("x"))[0]
    after = apply([offer.step], table).table()
    assert (offer.text, after.column("x").kind, after.column("x").unit) == (words, kind, unit)
    assert after.series("x").to_list() == values


def test_spellings_are_gathered_by_what_they_share_and_shown_before_merging() -> None:
    counts = {"Old Mills": 40, "old mills": 3, "OLD  MILLS ": 1, "Mills, Old": 2, "Quayside": 30}
    found = clusters(counts | {"Quayxide": 1, "line 4": 50, "line 5": 5, "Café": 9, "Cafe": 2})
    assert [(c.kept, sorted(t for t, _ in c.spellings), c.surely) for c in found] == [
        ("Old Mills", ["OLD  MILLS ", "Old Mills", "old mills"], True),
        ("Café", ["Cafe", "Café"], True),
        ("Old Mills", ["Mills, Old", "Old Mills"], False),
        ("Quayside", ["Quayside", "Quayxide"], False),
    ]
    assert found[0].mapping() == dict.fromkeys(["old mills", "OLD  MILLS "], "Old Mills")
    assert clusters({f"value {i}": 1 for i in range(3_001)}) == []


@pytest.mark.parametrize(
    "texts",
    [
        ["5.6", "6.5"],
        ["1.5 mm", "15 mm", "1-5 mm"],
        ["A-", "A+", "A"],
        ["C", "C++", "C#"],
        ["+5 steps", "-5 steps"],
        ["line 4", "line 5"],
        ["<10 cm", ">10 cm"],
    ],
)
def test_digits_signs_and_numbers_are_never_unified(texts: list[str]) -> None:
    assert clusters(dict.fromkeys(texts, 9)) == []


def test_what_could_be_two_values_is_not_ticked() -> None:
    assert [c.surely for c in clusters({"m": 30, "M": 40})] == [False]
    assert [c.surely for c in clusters({"Night Owl": 3, "Owl, night": 3})] == [False]


@given(st.dictionaries(st.text(min_size=1, max_size=10), st.integers(1, 50), max_size=15))
def test_clusters_never_mix_what_only_numbers_tell_apart_and_keep_the_commonest(
    counts: dict[str, int],
) -> None:
    for cluster in clusters(counts):
        texts = [t for t, _ in cluster.spellings]
        assert len(set(texts)) == len(texts) > 1 and set(texts) <= set(counts)
        if cluster.surely:
            assert len({exact(t) for t in texts}) == 1
            assert counts[cluster.kept] == max(counts[t] for t in texts)


def test_unify_sentinel_share_and_one_moment(traps: Table) -> None:
    offer = column_offers(traps.column("district"), traps.series("district"))[0]
    assert offer.look and offer.text == "Unify 2 spellings"
    after = apply(
        [
            offer.step,
            s.ToMissing("moths", (9999.0,)),
            s.AsShare("cover"),
            s.Combine("night", "found", "found at"),
        ],
        traps,
    ).table()
    assert after.series("district").n_unique() == 2 and after.series("district")[3] == "Quayside"
    assert after.series("moths").to_list() == [4, None, 31, 7] and after.column("moths").missing == 1
    assert after.series("cover").to_list() == [0.25, 0.5, 0.75, None]
    assert (after.column("cover").kind, after.column("cover").unit) == (Kind.SHARE, "")
    assert after.series("found at").to_list()[1] == dt.datetime(2024, 5, 7, 0, 5)
    # what was left alone is the very same, and the table before is untouched
    assert traps.series("moths").to_list()[1] == 9999 and "found at" not in traps


def test_a_sentinel_is_offered_only_where_it_recurs_far_from_the_rest() -> None:
    def offered(values: list[int]) -> list[str]:
        table = table_of(x=values)
        return [o.text for o in column_offers(table.column("x"), table.series("x"))]

    assert offered([*range(40), 9999, 9999]) == ["Count 9,999 as missing (2 cells)"]
    assert offered([*range(40), 9999]) == [] and offered([*range(9960, 9999), 9999, 9999]) == []
    assert offered([-1] * 30 + list(range(40))) == ["Count −1 as missing (30 cells)"]
    assert offered([-1, -1, -2, -3, *range(20)]) == []


PARTS = {
    "year": lambda d: d.dt.year,
    "quarter": lambda d: "Q" + d.dt.quarter.astype("Int64").astype("string"),
    "month": lambda d: d.dt.to_period("M").dt.start_time.dt.date,
    "month of year": lambda d: d.dt.month_name(),
    "week": lambda d: d.dt.to_period("W").dt.start_time.dt.date,
    "weekday": lambda d: d.dt.day_name(),
    "day": lambda d: d.dt.day,
    "hour": lambda d: d.dt.hour,
    "date": lambda d: d.dt.date,
    "time of day": lambda d: d.dt.hour + d.dt.minute / 60,
}


@pytest.mark.parametrize("part", get_args(s.Part))
def test_parts_of_a_date_are_those_of_pandas(part: Any) -> None:
    rng = np.random.default_rng(1)
    minutes = rng.integers(0, 60 * 24 * 1_500, 200)
    moments = [dt.datetime(2021, 1, 1) + dt.timedelta(minutes=int(m)) for m in minutes]
    table = table_of(at=moments)
    theirs = PARTS[part](pd.Series(pd.to_datetime(moments))).tolist()
    draft = apply([s.Split("at", (part,))], table).table()
    made = draft.columns[-1]
    assert made.name == f"at_{part.replace(' ', '_')}"
    ours = draft.series(made.name)
    ours = ours.cast(pl.String).to_list() if isinstance(ours.dtype, pl.Enum) else ours.to_list()
    assert ours == theirs or np.allclose(ours, theirs)
    if part in ("quarter", "month of year", "weekday"):
        assert made.kind == Kind.ORDERED
        assert draft.series(made.name).dtype.categories[0] in ("Q1", "January", "Monday")
    if part == "time of day":
        assert (made.kind, made.unit) == (Kind.TIME, CLOCK)


@settings(max_examples=30, deadline=None)
@given(
    values=st.lists(st.one_of(st.none(), st.floats(-50, 50, allow_nan=False)), min_size=1, max_size=40),
    edges=st.lists(st.integers(-40, 40), min_size=1, max_size=6, unique=True),
)
def test_bands_are_closed_on_the_left_like_pandas_cut(values: list[float | None], edges: list[int]) -> None:
    table = table_of(x=pl.Series(values, dtype=pl.Float64))
    made = apply([s.Cut("x", "band", tuple(map(float, edges)))], table).table().series("band")
    ends = [-np.inf, *sorted(edges), np.inf]
    theirs = pd.cut(pd.Series(values, dtype=float), ends, right=False, labels=False)
    codes = made.to_physical().to_list()
    assert codes == [None if pd.isna(c) else int(c) for c in theirs]
    assert len(made.dtype.categories) == len(edges) + 1


def test_cut_with_names_gather_and_order() -> None:
    table = table_of(age=[3.0, 17.0, 30.0, 65.0, None], day=["Tue", "Mon", "Sun", "Mon", None])
    after = apply(
        [
            s.Cut("age", "ages", (18.0, 60.0), ("young", "middle", "old")),
            s.Gather("day", "part of week", {"weekend": ("Sat", "Sun")}, "week"),
            s.Gather("day", "named", {"weekend": ("Sat", "Sun")}),
            s.Order("day", ("Mon", "Tue", "Wed")),
        ],
        table,
    ).table()
    assert after.series("ages").to_list() == ["young", "young", "middle", "old", None]
    assert after.series("part of week").to_list() == ["week", "week", "weekend", "week", None]
    assert after.series("named").to_list() == ["Tue", "Mon", "weekend", "Mon", None]
    assert after.series("day").dtype.categories.to_list() == ["Mon", "Tue", "Wed", "Sun"]
    assert [after.column(n).kind for n in ("ages", "day")] == [Kind.ORDERED, Kind.ORDERED]


def test_describe_leave_repeats_and_calculate_chain() -> None:
    table = table_of(a=[1, 1, 2, 1], b=["x", "x", "y", "x"], c=[0.5, 0.5, 1.0, 0.5])
    steps = [
        s.Describe("a", name="riders", unit="seats", additive=True),
        s.LeaveRepeats(),
        s.Calculate("per c", "riders / c"),
        s.Leave(("c",)),
    ]
    after = apply(steps, table).table()
    assert [c.name for c in after.columns] == ["riders", "b", "per c"] and after.height == 2
    assert after.series("per c").to_list() == [2, 2] and after.series("b").to_list() == ["x", "y"]
    assert (after.column("riders").unit, after.column("riders").additive) == ("seats", True)
    assert after.column("riders").distinct == 2


@pytest.mark.parametrize(
    ("text", "kind", "values", "failed"),
    [
        ("1,2,x,4", Kind.NUMBER, [1.0, 2.0, None, 4.0], 1),
        ("2024-01-05,2024-02-30,never,2024-03-01", Kind.DATE, None, 2),
        ("yes,no,maybe,yes", Kind.YES_NO, [True, False, None, True], 1),
        ("007,12,3,4", Kind.WHOLE, [7, 12, 3, 4], 0),
    ],
)
def test_read_as_keeps_what_does_not_fit_in_sight(
    tmp_path: Path, text: str, kind: Kind, values: list[Any] | None, failed: int
) -> None:
    table = read(tmp_path, "n,x\n" + "\n".join(f"{i},{v}" for i, v in enumerate(text.split(","))) + "\n")
    base = apply([s.ReadAs("x", Kind.TEXT)], table).table()
    after = apply([s.ReadAs("x", kind)], base).table()
    column = after.column("x")
    assert (column.kind, column.failed) == (kind, failed) and len(column.failed_cells) == failed
    if values is not None:
        assert after.series("x").to_list() == values


@pytest.mark.parametrize(
    ("step", "says"),
    [
        (s.Unify("n", {"1": "2"}), "n” is whole number. Spellings are unified in text"),
        (s.ToMissing("n", ("x",)), "holds numbers"),
        (s.Split("n", ("year",)), "Only dates have such parts"),
        (s.Split("d", ("hour",)), "has no time of day"),
        (s.Cut("w", "band", (1.0,)), "Only numbers are cut"),
        (s.Cut("n", "band", ()), "edges are needed"),
        (s.Cut("n", "band", (1.0, 2.0), ("a", "b")), "2 edges make 3 bands, and 2 names"),
        (s.Cut("n", "w", (1.0,)), "There is a column “w” already"),
        (s.Order("n", ("1",)), "has an order already"),
        (s.Leave(("n", "w", "d")), "No column would be left"),
        (s.Combine("d", "n", "at"), "A date and a time of day are needed"),
        (s.AsShare("w"), "Read it as a number first"),
        (s.Describe("w", unit="km"), "Read it as a number first"),
        (s.Describe("w", name="n"), "There is a column “n” already"),
        (s.ReadNumber("w", "x ", " y"), "No cell of “w” is like"),
        (s.Calculate("", "n"), "has no name"),
        (s.Calculate("m", "n +"), "missing"),
        (s.Gather("w", "g", {}), "No values are gathered"),
        (s.Leave(("nn",)), "There is no column “nn”"),
        (s.Join("table:9", "other", (("n", "n"),)), "not at hand"),
    ],
)
def test_a_step_that_cannot_be_taken_says_why_and_changes_nothing(step: Step, says: str) -> None:
    table = table_of(n=[1, 2, 3], w=["a", "b", "a"], d=[dt.date(2024, 1, i) for i in (1, 2, 3)])
    with pytest.raises(BadQuestion) as refused:
        apply([step], table)
    assert says in str(refused.value), str(refused.value)
    # what was taken halfway is taken back, and the steps after it go on
    complained = apply([step, s.Calculate("twice", "n * 2")], table, lenient=True)
    assert len(complained.complaints) == 1 and complained.complaints[0].startswith("Not done: ")
    assert complained.table().series("twice").to_list() == [2, 4, 6]


EVERY_STEP: list[Step] = [
    s.ReadAs("a", Kind.WHOLE, "km"),
    s.ReadNumber("a", "K ", "", Kind.MONEY, "K"),
    s.ReadNumber("a", "", " of 5", top=5),
    s.Describe("a", "b", "km", True, 5),
    s.Unify("a", {"x": "y", "z": "y", "u": "y", "v": "y"}),
    s.ToMissing("a", (9999.0, "none")),
    s.Split("a", ("year", "time of day")),
    s.Combine("a", "b", "c"),
    s.AsShare("a"),
    s.Leave(("a", "b", "c", "d", "e")),
    s.LeaveRepeats(),
    s.Calculate("a", "b + 1"),
    s.Cut("a", "b", (10.0, 20.0)),
    s.Gather("a", "b", {"g": ("x",)}),
    s.Group("late ones", Between("a", 5.0, None)),
    s.PartOf("trend of a", "trend", Decomposition(Measure("mean", "a"), "day"), (Between("a", 5.0, None),)),
    s.Order("a", tuple("abcdefgh")),
    s.ReadUnits("a", "cm", "in"),
    s.FillDown("a"),
    s.OneEach("a", "|", "first of its a"),
    s.YesNoEach("a", "|", ("moth", "beetle")),
    s.Join("table:1", "stops", (("a", "a"), ("b", "c")), "full", ("d",), True),
    s.Stack(("table:1", "table:2"), ("one", "two"), "from"),
    s.Lost('{"step":"of another time"}'),
]


def test_every_step_has_words_and_survives_a_file() -> None:
    assert {type(step) for step in EVERY_STEP} == set(get_args(Step))
    for step in EVERY_STEP:
        words = step.words()
        assert words and not words.endswith(".") and "None" not in words
        assert decode_step(msgspec.json.encode(step)) == step
    plain = to_plain(ReadingSettings(delimiter=";"), "sheet", tuple(EVERY_STEP))
    assert plain["words"][8] == "a is a share from 0 to 1" and plain["recipe"] == 1
    back = decode_recipe(msgspec.json.encode(plain))
    assert (back.steps, back.part, back.settings.delimiter) == (tuple(EVERY_STEP), "sheet", ";")


def test_blanks_below_a_value_are_offered_to_be_filled_from_above() -> None:
    merged = table_of(line=["Gannet", None, None, "Heron", None, "Ibis", None, None], n=list(range(8)))
    (offer,) = [o for o in column_offers(merged.column("line"), merged.series("line")) if "Fill" in o.text]
    assert offer.text == "Fill its 5 blanks from above"
    after = apply([offer.step], merged).table()
    assert after.series("line").to_list() == ["Gannet"] * 3 + ["Heron"] * 2 + ["Ibis"] * 3
    assert after.column("line").missing == 0 and after.column("line").kind == "category"
    days = table_of(day=pl.Series(["2024-01-01", None, "2024-01-02", None]).str.to_date())
    assert apply([s.FillDown("day")], days).table().series("day").null_count() == 0
    # cells that are missing here and there are no blocks
    for cells in (
        ["a", "b", None, "a"],
        [None, "a", None, "b", None, "c"],
        ["a", None, "a", None, "a", None],
    ):
        table = table_of(x=cells)
        assert not [o for o in column_offers(table.column("x"), table.series("x")) if "Fill" in o.text]


@pytest.mark.parametrize(
    "text",
    [
        "",
        "[]",
        "{}",
        '{"recipe": 2}',
        '{"recipe": 1, "steps": [{"step": "eval"}]}',
        '{"recipe": 1, "steps": [{"step": "leave out", "columns": "a"}]}',
        '{"recipe": 1, "more": 1}',
        "\xff",
    ],
)
def test_what_is_no_recipe_is_refused_in_a_sentence(text: str) -> None:
    with pytest.raises(BadQuestion, match="recipe"):
        decode_recipe(text.encode("latin-1"))


def test_a_recipe_meets_tables_it_was_not_made_for() -> None:
    steps = [s.ToMissing("x", (1.0,)), s.Cut("x", "band", (2.0,)), s.LeaveRepeats()]
    for values in ([], [1.0], [None, None], [1.0] * 5):
        after = apply(steps, table_of(x=pl.Series(values, dtype=pl.Float64)), lenient=True)
        assert after.height <= len(values) and after.table().series("x").null_count() == after.height
    hostile = '<script>{"x"} 🌙 ' + "y" * 200
    after = apply([s.Order(hostile, ("b", "a"))], table_of(**{hostile: ["a", "b"]})).table()
    assert after.column(hostile).kind == Kind.ORDERED
    assert isinstance(column_offers(after.column(hostile), after.series(hostile)), tuple)
    assert Remedy("x", s.LeaveRepeats()) == msgspec.convert(
        msgspec.to_builtins(Remedy("x", s.LeaveRepeats())), Remedy
    )
