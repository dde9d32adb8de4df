"""Files with the faults that real files have, dialects nobody chose, and tables of general libraries."""

from __future__ import annotations

import csv
import io
import re
import string
from pathlib import Path

import numpy as np
import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sklearn import datasets
from statsmodels import datasets as sm

from night_trail.core.reading import load
from night_trail.core.table import Kind
from tests.core.corpus import CORPUS, EXPECTED, differences

MISSES = {"fixed_width.txt", "unquoted_comma.csv", "repeated_blocks.csv"}
"""Files known to be read wrongly; docs/reading.md says why."""


def test_the_corpus_is_read_right_but_for_known_misses(capsys: pytest.CaptureFixture[str]) -> None:
    assert len(EXPECTED) >= 80 and {p.name for p in (CORPUS / "files").iterdir()} == set(EXPECTED)
    wrong = {file: found for file in EXPECTED if (found := differences(file))}
    right = len(EXPECTED) - len(wrong)
    with capsys.disabled():
        print(f"\n{right} of {len(EXPECTED)} files of the corpus are read fully right without help.")
    assert set(wrong) == MISSES, {f: d for f, d in wrong.items() if f not in MISSES}
    said = (Path(__file__).resolve().parents[2] / "docs" / "reading.md").read_text()
    assert f"{right} of {len(EXPECTED)}" in said and all(m in said for m in MISSES)


word = (
    st.text(string.ascii_letters + "äßéŁЖ ,;'\"|\t\n-", min_size=1, max_size=12)
    .map(str.strip)
    .filter(
        lambda w: (
            re.search(r"[^\W\d_]{3}", w)
            and w.lower() not in {"nan", "inf", "null", "none", "nil", "missing", "yes", "true", "false"}
        )
    )
)
cell_columns = st.sampled_from(["whole", "number", "date", "word"])


@st.composite
def tables(draw: st.DrawFn) -> tuple[list[str], list[list[str]], list[str]]:
    height = draw(st.integers(3, 12))
    kinds = draw(st.lists(cell_columns, min_size=2, max_size=6))
    columns = []
    for kind in kinds:
        if kind == "whole":
            values = draw(st.lists(st.integers(-(10**6), 10**6).map(str), min_size=height, max_size=height))
        elif kind == "number":
            numbers = st.integers(-(10**6), 10**6).map(lambda n: f"{n / 100 + 0.005:.3f}")
            values = draw(st.lists(numbers, min_size=height, max_size=height))
        elif kind == "date":
            dates = st.dates(min_value=__import__("datetime").date(1950, 1, 1)).map(lambda d: d.isoformat())
            values = draw(st.lists(dates, min_size=height, max_size=height))
        else:
            values = draw(st.lists(word, min_size=height, max_size=height))
        columns.append(values)
    names = [f"{kind}_{i}x" for i, kind in enumerate(kinds)]
    return names, [list(row) for row in zip(*columns, strict=True)], kinds


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    table=tables(),
    delimiter=st.sampled_from([",", ";", "\t", "|"]),
    encoding=st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
    newline=st.sampled_from(["\n", "\r\n"]),
    quoting=st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    title=st.booleans(),
)
def test_tables_written_in_any_dialect_are_read_back_unchanged(
    tmp_path: Path,
    table: tuple[list[str], list[list[str]], list[str]],
    delimiter: str,
    encoding: str,
    newline: str,
    quoting: int,
    title: bool,
) -> None:
    names, rows, kinds = table
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator=newline, quoting=quoting)
    writer.writerow(names)
    writer.writerows(rows)
    head = f"Moths at the lamp{newline}{newline}" if title and len(names) > 2 else ""
    path = tmp_path / "t.csv"
    path.write_bytes((head + out.getvalue()).encode(encoding))
    found, _ = load(path)
    assert [c.name for c in found.columns] == names
    assert found.height == len(rows)
    for i, kind in enumerate(kinds):
        cells = found.series(names[i]).to_list()
        wanted = [row[i] for row in rows]
        if kind in ("whole", "number"):
            assert cells == [float(w) for w in wanted]
        elif kind == "date":
            assert [c.isoformat() for c in cells] == wanted
        else:
            assert [str(c) for c in cells] == wanted


# kinds of tables that others ship, looked through by hand once
LIBRARY = {
    "iris": (datasets.load_iris, "number number number number whole"),
    "wine": (datasets.load_wine, "number " * 4 + "whole " + "number " * 7 + "whole whole"),
    "diabetes": (datasets.load_diabetes, "number " * 10 + "whole"),
    "macrodata": (sm.macrodata, "whole whole" + " number" * 11 + " number"),
    "fair": (sm.fair, "whole number number number whole whole whole whole number"),
    "anes96": (sm.anes96, ""),
    "grunfeld": (sm.grunfeld, "number number number category whole"),
    "longley": (sm.longley, "whole number whole whole whole whole whole"),
    "sunspots": (sm.sunspots, "whole number"),
    "elnino": (sm.elnino, "whole" + " number" * 12),
}


@pytest.mark.parametrize("name", LIBRARY)
def test_tables_of_general_libraries(tmp_path: Path, name: str) -> None:
    source, kinds = LIBRARY[name]
    frame = source.load_pandas().data if hasattr(source, "load_pandas") else source(as_frame=True).frame
    path = tmp_path / f"{name}.csv"
    frame.to_csv(path, index=False)
    table, _ = load(path)
    assert [c.name for c in table.columns] == [str(c) for c in frame.columns]
    for column in table.columns:
        original = frame[column.name]
        cells = table.series(column.name)
        if column.kind.numeric:
            assert np.allclose(cells.cast(float).to_numpy(), original.to_numpy(dtype=float), equal_nan=True)
        else:
            cells = cells.cast(pl.Float64) if column.kind == Kind.YES_NO else cells
            assert cells.cast(str).to_list() == [None if v != v else str(v) for v in original]
        assert column.kind != Kind.TEXT or original.dtype == object
    short = [str(c.kind).replace(" number", "") for c in table.columns]
    if kinds:
        assert short == kinds.split()
