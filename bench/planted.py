"""How often what is planted is found, and noise left in peace; written into docs/accuracy.md.

The tables are those of the tests, on seeds that no test uses.
"""

from __future__ import annotations

import datetime as dt
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np

from night_trail.core.conditions import Between, mask
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.changed.answer import changed
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.drivers.answer import drives
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.held.answer import held
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stands.answer import stands_out
from night_trail.core.questions.stands.question import Stands
from night_trail.core.rows import Rows
from night_trail.core.signposts import search

FIRST_SEED = 1_000
STANDS, CHANGES, DRIVERS, NOISE, NOISE_DRIVERS, CONFOUNDED = 100, 100, 100, 100, 100, 100

Line = tuple[str, str, str]


def _table(cells: dict[str, Any]) -> Any:
    from tests.core.tables import table_of

    return table_of(**cells)


def standing() -> list[Line]:
    """Recall and precision of each kind of what stands out."""
    from tests.core.test_stands import made

    found: Counter[str] = Counter()
    told: Counter[str] = Counter()
    for seed in range(FIRST_SEED, FIRST_SEED + STANDS):
        cells, truth = made(seed)
        table = _table(cells)
        hit: set[str] = set()
        for finding in stands_out(Stands(), Rows(table)).findings:
            rows = set(np.flatnonzero(mask(finding.condition, table)).tolist())
            name = max(truth, key=lambda k: len(rows & truth[k]) / len(rows | truth[k]))
            right = finding.sort == "gap" or len(rows & truth[name]) > 0.5 * len(rows)
            told["right" if right else "wrong"] += 1
            if finding.sort == "gap":
                hit.add("gap")
            elif len(rows & truth[name]) > 0.5 * len(rows | truth[name]):
                hit.add(name)
        found.update(hit)
    names = {
        "slip": "slips by ten within their own line", "typed": "999 typed for want of a value",
        "above": "an order broken by six rows", "odd": "three rows off a relation of two numbers",
        "district": "three lines in another district", "crew": "a crew spelt otherwise twice",
        "block": "a block of twenty rows pasted", "gap": "a fortnight without rows",
    }  # fmt: skip
    lines: list[Line] = [
        (f"stands out: {said}", f"{found[name]} of {STANDS}", "") for name, said in names.items()
    ]
    everything = told["right"] + told["wrong"]
    return [
        *lines,
        ("of all that is said to stand out there, planted", f"{told['right']} of {everything}", ""),
    ]


def changes() -> list[Line]:
    """How often the planted part of a change is the first one."""
    from tests.core.test_changed import cells, march

    before, after = Between("day", "2024-02-01", "2024-03-01"), Between("day", "2024-03-01", "2024-04-01")
    plants = (
        ("a part that doubled", 6_000, (("c1", "11"),), 2.0),
        ("a part of two columns that fell to a fifth", 12_000, (("c0", "01"), ("c1", "12")), 0.2),
        (
            "a small part of two columns, 1 in 35 rows, that grew fourfold",
            6_000,
            (("c1", "11"), ("c2", "22")),
            4.0,
        ),
    )
    lines: list[Line] = []
    adding = 0
    for name, n, parts, times in plants:
        first = 0
        for seed in range(FIRST_SEED, FIRST_SEED + CHANGES):
            made = cells(seed, n)
            part = march(made)
            for column, value in parts:
                part &= np.array(made[column]) == value
            made["x"] = np.where(part, made["x"] * times, made["x"])
            answer = changed(Changed(Measure("sum", "x"), before, after), Rows(_table(made)))
            told = [s for s in answer.segments if s.unexpected]
            best = max(told, key=lambda s: abs(s.off), default=None)
            first += best is not None and set(best.label.split(" · ")) == {value for _, value in parts}
            off = sum(s.change for s in answer.segments) - (answer.after - answer.before)
            adding += abs(off) < 1e-6 * abs(answer.before)
        lines.append((f"{name}, told first", f"{first} of {CHANGES}", "95 %"))
    return [*lines, ("parts that add up to the change", f"{adding} of {len(plants) * CHANGES}", "all")]


def drivers() -> list[Line]:
    """How often true drivers stand before all noise, and noise above what chance reaches."""
    from tests.core.test_drivers import TRUE, made

    before = above = 0
    for seed in range(FIRST_SEED, FIRST_SEED + DRIVERS):
        answer = drives(Drivers("y"), Rows(_table(made(seed))))
        true = TRUE | {"a", "b"}
        before += {d.columns[0] for d in answer.drivers[: len(true)]} == true
        above += not {d.columns[0] for d in answer.found} <= true
    return [
        ("true drivers before all noise, 2,000 rows", f"{before} of {DRIVERS}", "95 %"),
        ("noise above what chance reaches beside them", f"{above} of {DRIVERS}", "5 %"),
    ]


def confounded() -> list[Line]:
    """How often the sign is right with the others held fixed."""
    from tests.core.test_held import confounded as made

    right = 0
    for seed in range(FIRST_SEED, FIRST_SEED + CONFOUNDED):
        first = held(Held("riders", "heat"), Rows(_table(made(seed)))).shown[0]
        right += first.plain > 0 > first.held + first.held_half
    return [("the sign of a confounded effect, held fixed", f"{right} of {CONFOUNDED}", "")]


def noise() -> list[Line]:
    """How many tables of nothing but noise have something said of them."""
    from tests.core.test_signposts import noise as made

    odd = posts = driven = 0
    for seed in range(FIRST_SEED, FIRST_SEED + NOISE):
        cells = made(seed, 500 if seed % 2 else 5_000, mixed=seed % 3 == 0)
        rows = Rows(_table(cells))
        odd += bool(stands_out(Stands(), rows).findings)
        posts += bool(search(Scene(main=Spread("y")), rows).found)
        if seed < FIRST_SEED + NOISE_DRIVERS:
            if cells["y"][0] in ("a", "b", "c"):
                cells["y"] = [value == "a" for value in cells["y"]]
            driven += bool(drives(Drivers("y"), Rows(_table(cells))).found)
    return [
        ("tables of 20 columns of noise where something stands out", f"{odd} of {NOISE}", "5 %"),
        ("tables of noise with a signpost", f"{posts} of {NOISE}", "5 %"),
        ("tables of noise with a driver", f"{driven} of {NOISE_DRIVERS}", "5 %"),
    ]


def write(path: Path) -> None:
    """Measure, and write what was found."""
    lines = [*standing(), *changes(), *confounded(), *drivers(), *noise()]
    text = [
        "# How often it is right", "",
        "Written by `make bench`; do not edit by hand. What is planted in made tables, and what is said of",
        "noise; each table another seed, none of which a test uses (`bench/planted.py`).", "",
        "| what | found | promised |", "|---|---|---|",
        *(f"| {' | '.join(line)} |" for line in lines),
    ]  # fmt: skip
    path.write_text("\n".join([*text, ""]))


if __name__ == "__main__":
    started = dt.datetime.now()
    write(Path(__file__).resolve().parents[1] / "docs" / "accuracy.md")
    print(dt.datetime.now() - started)
