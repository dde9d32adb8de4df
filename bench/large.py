"""Attached rows by the hundred million: ``python -m bench.large [--spark] [rows …]``.

With ``--spark`` they are asked through a Spark of one's own, of one worker and then of two.

For each turn: from the part at once, counted over all rows, counted with a third of them lit.

The rows are made once below the system's folder for temporary files, as Parquet, and taken away after.
"""

from __future__ import annotations

import json
import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "night_trail.site.settings.test")
ROOT = Path(__file__).resolve().parents[1]
A_PART = 5_000_000
TURNS = {
    "an average by group": "average wait_min by stop",
    "a sum by group": "sum of fare by line",
    "an average across two categories": "average wait_min by line and ticket as a heat grid",
    "a sum month by month": "sum of fare by month",
    "an average month by month for each line": "average wait_min by month for each line",
    "an average through the week": "wait_min through the week",
    "what goes with what": "which line goes with which ticket",
    "what makes it up": "what makes up fare by line › stop",
    "a histogram": "wait_min",
}


def write(folder: Path, rows: int) -> None:
    """Write rows of six columns in parts: a time, three categories, two measures."""
    import numpy as np
    import polars as pl

    folder.mkdir(parents=True)
    stops = [f"stop {i:02d}" for i in range(40)]
    for at in range(0, rows, A_PART):
        n, rng = min(A_PART, rows - at), np.random.default_rng(at)
        stop = rng.integers(0, 40, n)
        began = np.datetime64("2022-01-01", "s") + rng.integers(0, 3 * 365 * 86_400, n)
        pl.DataFrame(
            {
                "tapped_at": began.astype("datetime64[us]"),
                "line": pl.Series([f"N{i + 1}" for i in range(14)]).gather(stop % 14),
                "stop": pl.Series(stops).gather(stop),
                "ticket": pl.Series(["single", "day", "pass"]).gather(rng.integers(0, 3, n)),
                "fare": np.round(rng.gamma(3, 0.8, n), 2),
                "wait_min": np.round(rng.gamma(2, 2.2, n) + (stop == 7), 1),
            }
        ).write_parquet(folder / f"{at // A_PART:03d}.parquet")


def measured(root: Path, server: str = "") -> dict[str, Any]:
    """Return what attaching and asking take, in seconds, and the peak of memory in GB without a server's."""
    import django

    os.environ |= {"NIGHT_TRAIL_ATTACH": str(root), "NIGHT_TRAIL_ATTACH_SERVERS": server}
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from django.contrib.auth.models import User

    from night_trail.core.attached.answering import is_scaled, part_answer, roll_for, whole_answer
    from night_trail.core.conditions import OneOf
    from night_trail.core.questions.registry import answer
    from night_trail.core.rows import Rows
    from night_trail.core.sentence import read
    from night_trail.tables.arrivals import read_arrival
    from night_trail.tables.attached.attaching import attach
    from night_trail.tables.attached.drawing import attachment_of
    from night_trail.tables.attached.servers import keep
    from night_trail.tables.attached.telling import ask, told
    from night_trail.tables.attached.where import Where
    from night_trail.tables.services import core_table

    owner, where = User.objects.create_user("bench"), Where(root.name, "taps")
    if server:
        where = Where("spark", "default", "taps", keep(owner, "spark", server, "", "", "").pk)
    arrival = attach(owner, where)
    began = time.monotonic()
    read_arrival(arrival)
    found: dict[str, Any] = {"attach": time.monotonic() - began}
    assert arrival.table is not None, arrival.said
    version = arrival.table.latest
    part, attachment = core_table(version), attachment_of(version)
    assert attachment is not None
    passes = OneOf("ticket", ("pass",))
    at_once: dict[str, float] = {}
    exact: dict[str, list[float]] = {name: [] for name in TURNS}
    for lit in (None, passes):
        for name, words in TURNS.items():
            question, only = read(words, part)
            rows = Rows(part, only, lit)
            began = time.monotonic()
            if is_scaled(question):
                part_answer(question, rows, attachment.rows)
            else:
                answer(question, rows)
            at_once[name] = time.monotonic() - began
            roll = roll_for(question, rows)
            began = time.monotonic()
            ask(version, attachment, part, roll, lambda: True)
            cells = told(version, roll)
            assert cells is not None
            whole_answer(question, rows, roll, cells)
            exact[name].append(time.monotonic() - began)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    return found | {"at once": at_once, "exact": exact, "peak": peak, "rows": attachment.rows}


def main(sizes: list[int], spark: bool = False) -> None:
    """Measure each size and print it; through Spark with one worker and with two."""
    folder = Path(tempfile.mkdtemp(prefix="night-trail-large-"))
    try:
        for rows in sizes:
            root = folder / f"rows-{rows}"
            began = time.monotonic()
            write(root / "taps", rows)
            size = sum(p.stat().st_size for p in root.rglob("*.parquet")) / 1e9
            print(f"{rows:,} rows written in {time.monotonic() - began:.0f} s, {size:.2f} GB", flush=True)
            if spark:
                through_spark(root, rows)
            elif found := apart(root):
                say(found, f"{rows:,} × 6 attached")
            shutil.rmtree(root)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def apart(root: Path, server: str = "") -> dict[str, Any] | None:
    """Measure in a process of its own; None where it fails, which is printed."""
    kept = tempfile.mkdtemp(dir=root.parent)
    done = subprocess.run(
        [sys.executable, "-m", "bench.large", "--measure", str(root), server],
        cwd=ROOT, capture_output=True, text=True, check=False, env=os.environ | {"NIGHT_TRAIL_VAR": kept},
    )  # fmt: skip
    if done.returncode:
        print(done.stderr[-2_000:])
        return None
    found: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return found


def through_spark(root: Path, rows: int) -> None:
    """Measure the same rows through Spark with one worker and with two, and how much quicker two are."""
    from bench.spark import running, session

    medians = []
    for workers in (1, 2):
        with running(workers, briefly=False) as server:
            with session(server) as made:
                made.sql(f"CREATE TABLE taps USING parquet LOCATION '{root / 'taps'}'")
            found = apart(root, server)
        if found is None:
            return
        say(found, f"{rows:,} × 6 through Spark, {workers} worker{'s' * (workers > 1)}")
        medians.append(statistics.median(one[0] for one in found["exact"].values()))
    print(
        f"| {rows:,} × 6 through Spark: two workers are quicker | {medians[0] / medians[1]:.1f} × | |",
        flush=True,
    )


def say(found: dict[str, Any], rows: str) -> None:
    """Print what was measured as lines of a table."""
    at_once, exact = found["at once"], found["exact"]
    print(f"| {rows}: until the survey stands | {found['attach']:.1f} s | |")
    for name, (plain, lit) in exact.items():
        print(f"| {rows}: {name} | {at_once[name] * 1000:.0f} ms, {plain:.1f} s, {lit:.1f} s | |")
    once = statistics.median(at_once.values())
    plain, lit = (statistics.median(one[i] for one in exact.values()) for i in (0, 1))
    print(f"| {rows}: median of these | {once * 1000:.0f} ms, {plain:.1f} s, {lit:.1f} s | 300 ms, 3 s |")
    print(f"| {rows}: memory at its peak | {found['peak']:.1f} GB | 4 GB |", flush=True)


if __name__ == "__main__":
    if sys.argv[1:2] == ["--measure"]:
        print(json.dumps(measured(Path(sys.argv[2]), *sys.argv[3:])))
    else:
        asked = [text for text in sys.argv[1:] if text != "--spark"]
        sizes = [int(text.replace("_", "")) for text in asked] or [10_000_000, 100_000_000]
        main(sizes, "--spark" in sys.argv)
