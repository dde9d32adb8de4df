"""Hostile files end the process that reads them, in one sentence, and nothing else."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import polars as pl
import pytest

from attack.bombs import HOSTILE
from night_trail.core.errors import NightTrailError, Unreadable
from night_trail.core.reading import ReadingSettings, Understood, load, preview
from night_trail.core.reading.aside import Aside, Limits
from night_trail.core.reading.read import Shown, TypedColumn


@pytest.fixture(scope="module")
def aside() -> Iterator[Aside]:
    # as much memory as a page may take, and time for a machine that is busy
    made = Aside(Limits(memory=6_000_000_000, cpu=60, seconds=60.0))
    yield made
    made.end()


def written(tmp_path: Path, content: bytes, name: str) -> Path:
    path = tmp_path / name
    path.write_bytes(content)
    return path


def test_what_is_read_aside_is_what_is_read_here(aside: Aside, few_buses_csv: Path) -> None:
    settings = ReadingSettings()
    here, there = preview(few_buses_csv, "b.csv", settings), aside.preview(few_buses_csv, "b.csv", settings)
    assert (there.names, there.columns, there.height, there.records) == (
        here.names,
        here.columns,
        here.height,
        here.records,
    )
    assert all(there.cells[name].equals(cells) for name, cells in here.cells.items())
    table = load(few_buses_csv)[0]
    total, *columns, understood = aside.read(few_buses_csv, "b.csv", settings)
    assert total == len(columns) == len(table.columns) and isinstance(understood, Understood)
    for one, column in zip(columns, table.columns, strict=True):
        assert isinstance(one, TypedColumn) and one.column.name == column.name
        assert one.cells.equals(table.series(column.name))


def test_of_a_wide_file_only_what_is_shown_is_looked_at(aside: Aside, few_buses_csv: Path) -> None:
    settings = ReadingSettings()
    whole = preview(few_buses_csv, "b.csv", settings)
    for shown in (Shown(3), Shown(40, "MIN"), Shown(40, "nowhere")):
        found = aside.preview(few_buses_csv, "b.csv", settings, shown=shown)
        wanted = {whole.names[0], *(whole.names[i] for i in shown.of(whole.names))}
        assert set(found.columns) == wanted and found.names == whole.names and found.height == whole.height
        assert all(found.columns[name] == whole.columns[name] for name in wanted)
    assert Shown(40, "MIN").of(whole.names) == [i for i, n in enumerate(whole.names) if "min" in n] != []


def test_refusals_keep_their_sentence(aside: Aside, tmp_path: Path) -> None:
    path = written(tmp_path, b"", "empty.csv")
    with pytest.raises(Unreadable, match=r"empty\.csv: the file is empty"):
        aside.preview(path, "empty.csv", ReadingSettings())


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_read_or_refused_in_a_sentence(aside: Aside, tmp_path: Path, name: str) -> None:
    path = written(tmp_path, HOSTILE[name](), name)
    began = time.monotonic()
    try:
        found = aside.parts(path, name)
        aside.preview(path, name, ReadingSettings(), found[0])
    except NightTrailError as refusal:
        said = str(refusal)
        assert (name in said or "columns" in said) and len(said) < 400 and str(tmp_path) not in said
    # looking at it ends, and the next file is looked at as ever
    assert time.monotonic() - began < 90
    good = written(tmp_path, b"a,b\n1,2\n3,4\n", "good.csv")
    assert aside.preview(good, "good.csv", ReadingSettings()).height == 2


def test_a_reader_that_dies_or_hangs_ends_in_a_sentence(tmp_path: Path) -> None:
    short = Aside(Limits(memory=6_000_000_000, cpu=60, seconds=8.0))
    good = written(tmp_path, b"a,b\n1,2\n", "good.csv")
    short.warm_up()
    os.kill(short._idle[0]._running.pid, signal.SIGKILL)
    short._idle[0]._running.wait()
    assert short.parts(good, "good.csv") == [""]
    os.kill(short._idle[0]._running.pid, signal.SIGSTOP)
    with pytest.raises(Unreadable, match="took longer than 8 s"):
        short.parts(good, "good.csv")
    # a few kilobytes that hold half a gigabyte
    small = Aside(Limits(memory=1_000_000_000, cpu=60, seconds=20.0))
    large = tmp_path / "large.parquet"
    pl.select(a=pl.repeat(1, 49_000_000, dtype=pl.Int64)).write_parquet(large)
    assert large.stat().st_size < 1_000_000
    with pytest.raises(Unreadable, match="the file cannot be read"):
        list(small.read(large, "large.parquet", ReadingSettings()))
    assert small.parts(good, "good.csv") == [""]
    short.end()
    small.end()


def test_who_stops_listening_stops_the_reading_and_many_may_ask_at_once(
    aside: Aside, few_buses_csv: Path
) -> None:
    reading = aside.read(few_buses_csv, "b.csv", ReadingSettings())
    next(reading)
    reading.close()
    heights: list[int] = []
    threads = [
        threading.Thread(
            target=lambda: heights.append(aside.preview(few_buses_csv, "b.csv", ReadingSettings()).height)
        )
        for _ in range(6)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(120)
    assert len(heights) == 6 and len(set(heights)) == 1
    assert len(aside._idle) <= 2
