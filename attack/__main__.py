"""Attack a house of our own on this machine, and write what came of it into docs/reliability.md."""

from __future__ import annotations

import argparse
import datetime as dt
import platform
import tempfile
import time
from pathlib import Path

from attack import attacks, falls
from attack.found import Found
from attack.house import ROOT, running

PAGE = ROOT / "docs" / "reliability.md"
START, END = "<!-- table -->", "<!-- end -->"


def line(found: Found) -> str:
    """Return a line of the table."""
    p95 = f"{found.p95:.2f} s" if found.seconds else "—"
    return (
        f"| {found.name} | {found.tried:,} | {found.refused:,} | {found.errors} "
        f"| {found.deaths} | {found.lost} | {found.leaked} | {p95} | {found.note} |"
    )


def main() -> int:
    """Attack, say what came of it, and return 0 where nothing broke."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--short", action="store_true", help="a minute instead of ten, and no page written")
    options = parser.parse_args()
    few = options.short
    began, results, tracebacks = time.monotonic(), [], 0

    def told(*found: Found) -> None:
        for one in found:
            results.append(one)
            print(line(one), flush=True)

    with tempfile.TemporaryDirectory(prefix="night-trail-attack-") as made:
        folder = Path(made)
        (folder / "house").mkdir()
        with running(folder / "house") as house:
            told(*attacks.load(house, 20 if few else 100, 4 if few else 10, 10 if few else 120))
            told(attacks.slow_clients(house, looks=10 if few else 60))
            told(attacks.two_tabs(house))
            told(attacks.oracle(house, 60 if few else 2_000))
            told(attacks.fuzz(house, 60 if few else 1_500))
            told(attacks.bombs(house))
            told(falls.kills(house, 5 if few else 50))
            tracebacks = house.complaints()
            if tracebacks:
                print(house.log.read_text()[-4_000:])
        told(falls.full_disk(folder))
        if not few:
            told(falls.upgrades(folder))
    bad = sum(f.errors + f.deaths + f.lost + f.leaked for f in results)
    print(f"{tracebacks} tracebacks; {time.monotonic() - began:.0f} s.")
    if not few:
        head = "| what | tried | refused in words | errors | dead servers | lost | leaked | p95 | |"
        rows = "\n".join([head, "|---" * 9 + "|", *map(line, results)])
        when = (
            f"{dt.date.today():%d %B %Y}, {platform.system()}, Python {platform.python_version()}, two cores "
            f"that the attackers share with the server; {tracebacks} tracebacks in its log."
        )
        text = PAGE.read_text()
        before, after = text.split(START)[0], text.split(END)[1]
        PAGE.write_text(f"{before}{START}\n{when}\n\n{rows}\n{END}{after}")
    return 1 if bad or tracebacks else 0


if __name__ == "__main__":
    raise SystemExit(main())
