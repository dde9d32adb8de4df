"""Falls: processes killed at random moments, a full disk, databases of earlier commits."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import threading
import time
import urllib.parse
from dataclasses import dataclass, field
from pathlib import Path

from attack.found import Found, a_step, a_tale, first_of
from attack.house import ROOT, House, running

ROWS = 60_000
FILE = b"a,b\n" + b"".join(b"%d,%d\n" % (n, n % 7) for n in range(ROWS))


@dataclass
class Acknowledged:
    """What a house said it has kept: stops of a tale, steps, bundles of files to read."""

    tale: str
    stops: list[str] = field(default_factory=list)
    steps: list[str] = field(default_factory=list)
    bundles: list[str] = field(default_factory=list)


def kills(house: House, times: int) -> Found:
    """Kill processes at random moments of work; look for what was acknowledged."""
    found, rng, over = Found("kills at random moments"), random.Random(3), threading.Event()
    person = house.analyst()
    kept = Acknowledged(a_tale(person))
    table = first_of(house, person, "/", r"/tables/\d+/")
    hands = [threading.Thread(target=work, args=(house, kept, over)) for work in (_works, _imports)]
    for hand in hands:
        hand.start()
    for i in range(times):
        # each kill meets a house that works, or one that is just rising again
        until = time.monotonic() + 20
        while rng.random() < 0.9 and person.get("/sign-in/").status != 200 and time.monotonic() < until:
            time.sleep(0.3)
        time.sleep(rng.uniform(0.2, 2.5))
        found.tried += 1
        if i % 10 == 9:
            found.lost += _half_a_backup(house, house.folder / f"copy{i}.sqlite3", rng)
        else:
            _kill_one(house, rng)
    over.set()
    for hand in hands:
        hand.join()
    until = time.monotonic() + 90
    while person.get("/health/").status != 200 and time.monotonic() < until:
        time.sleep(0.5)
    _look_for(house, kept, found, rng)
    found.errors += house.analyst().get(table).status != 200
    found.note = (
        f"{len(kept.steps)} turns, {len(kept.stops)} stops, {len(kept.bundles)} files to read acknowledged "
        "meanwhile; backups beside them"
    )
    return found


def _works(house: House, kept: Acknowledged, over: threading.Event) -> None:
    """Take turns and write stops until it is over."""
    mine, i = house.analyst(), 0
    step = a_step(house, mine)
    while not over.is_set():
        i += 1
        change = {"turn": "slot", "slot": "bins", "value": str(round(0.1 + 0.01 * (i % 900), 2))}
        say = {"turn": "say", "words": f"late_min by depot where late_min above {i / 1000}"}
        answer = mine.post(f"{step}turn/", swap=True, change=json.dumps(say if i % 3 else change))
        if answer.status == 200 and answer.location:
            kept.steps.append(urllib.parse.urlsplit(answer.location).path)
        made = mine.post(f"{kept.tale}collect/")
        if made.status == 302:
            heading = f"stop {i}"
            if mine.post(f"{made.location}edit/", heading=heading, text=f"text {i}").status == 302:
                kept.stops.append(heading)
            if len(kept.stops) % 20 == 19:
                time.sleep(0.1)


def _imports(house: House, kept: Acknowledged, over: threading.Event) -> None:
    """Bring files and have them read until it is over."""
    mine, i = house.analyst(), 0
    while not over.is_set():
        i += 1
        arrived = mine.bring("/tables/bring/", f"import{i}.csv", FILE)
        if arrived.location and mine.post(f"{arrived.location}read/").status == 302:
            kept.bundles.append(arrived.location)
        time.sleep(1.5)


def _half_a_backup(house: House, copy: Path, rng: random.Random) -> bool:
    """Kill a backup in the middle; return whether half a copy was left under its name."""
    saving = subprocess.Popen(
        [sys.executable, "-m", "night_trail.cli", "backup", str(copy)],
        cwd=ROOT,
        env=house.environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    time.sleep(rng.uniform(0.5, 9.0))
    if saving.poll() is None:
        os.killpg(saving.pid, signal.SIGKILL)
    saving.wait()
    return copy.exists() and saving.returncode != 0


def _kill_one(house: House, rng: random.Random) -> None:
    victims = house.processes(rng.choice(("server", "server", "worker", "reader")))
    if victims:
        try:
            os.kill(rng.choice(victims), signal.SIGKILL)
        except ProcessLookupError:
            return  # it ended by itself in this moment


def _look_for(house: House, kept: Acknowledged, found: Found, rng: random.Random) -> None:
    """Count what was acknowledged and is not there, and files that became half a table or wait for ever."""
    person = house.analyst()
    written = person.get(kept.tale).text
    found.lost += sum(f">{heading}<" not in written for heading in kept.stops)
    some = rng.sample(kept.steps, min(60, len(kept.steps)))
    found.lost += sum(found.take(person.get(path)).status != 200 for path in some)
    until = time.monotonic() + 120
    for bundle in kept.bundles:
        while "<progress" in (page := found.take(person.get(bundle))).text and time.monotonic() < until:
            time.sleep(0.5)
        whole = f"{ROWS:,} rows" in person.get(page.location).text if page.location else False
        found.lost += not whole and "was interrupted" not in page.text


def full_disk(folder: Path) -> Found:
    """Fill a small disk under a house, free it, and see that work goes on."""
    found = Found("a full disk")
    disk = folder / "small"
    disk.mkdir()
    if subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=90m", "tmpfs", str(disk)], check=False, stderr=subprocess.DEVNULL
    ).returncode:
        found.note = "not tried: a small disk can only be mounted by root"
        return found
    try:
        with running(disk, NIGHT_TRAIL_LEAST_ROOM="1000000") as house:
            person = house.analyst()
            tale = a_tale(person)
            before = house.processes("server")
            ballast = disk / "ballast"
            with ballast.open("wb") as file:
                try:
                    while True:
                        file.write(bytes(65_536))
                        file.flush()
                except OSError:
                    pass
            rows = b"a,b\n" + b"".join(b"%d,%d\n" % (n, n * 7) for n in range(200_000))
            for _ in range(6):
                found.take(person.bring("/tables/bring/", "more.csv", rows))
                found.take(person.post(f"{tale}collect/"))
                found.take(person.get(tale))
            found.deaths = len(set(before) - set(house.processes("server")))
            ballast.unlink()
            time.sleep(1.0)
            made = person.post(f"{tale}collect/")
            arrived = person.bring("/tables/bring/", "later.csv", rows[:200_000])
            person.post(f"{arrived.location}read/")
            until = time.monotonic() + 60
            while "survey" not in person.get(arrived.location).location and time.monotonic() < until:
                if re.search(r"/tables/\d+/", person.get(arrived.location).location):
                    break
                time.sleep(0.5)
            else:
                found.lost += 1
            found.lost += made.status != 302
            found.note = "pages answer, writes are refused in words, and work goes on when there is room"
    finally:
        subprocess.run(["umount", str(disk)], check=False)
        shutil.rmtree(disk, ignore_errors=True)
    return found


def upgrades(folder: Path) -> Found:
    """Databases written by earlier commits: all their pictures must open with the code of today."""
    found = Found("databases of earlier commits")
    told = subprocess.run(
        ["git", "log", "--format=%h", "--", "night_trail/*/migrations/*"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    commits = told.stdout.split()
    for commit in commits:
        tree, data = folder / f"tree-{commit}", folder / f"data-{commit}"
        environment = os.environ | {
            "NIGHT_TRAIL_VAR": str(data),
            "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.demo",
        }
        data.mkdir()
        subprocess.run(["git", "worktree", "add", "-q", "--detach", str(tree), commit], cwd=ROOT, check=True)
        try:
            for command in ("migrate --verbosity 0", "prepare_demo"):
                subprocess.run(
                    [sys.executable, "manage.py", *command.split()],
                    cwd=tree,
                    env=environment | {"PYTHONPATH": str(tree)},
                    check=True,
                    stdout=subprocess.DEVNULL,
                )
        finally:
            subprocess.run(["git", "worktree", "remove", "--force", str(tree)], cwd=ROOT, check=True)
        subprocess.run(
            [sys.executable, "manage.py", "migrate", "--verbosity", "0"],
            cwd=ROOT,
            env=environment,
            check=True,
        )
        code = (
            "import django, json; django.setup()\n"
            "from night_trail.site.backup import pictures\n"
            "from night_trail.trails.models import Step\n"
            "print(json.dumps([len(pictures(10_000)), sum(s.is_pictured() for s in Step.objects.all())]))"
        )
        drawn = subprocess.run(
            [sys.executable, "-c", code],
            cwd=ROOT,
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )
        found.tried += 1
        made, wanted = json.loads(drawn.stdout) if not drawn.returncode else (0, 1)
        found.errors += made != wanted or not made
        if drawn.returncode:
            print(commit, drawn.stderr[-500:])
    found.note = f"{len(commits)} commits that changed what is kept, each with the demo it wrote"
    return found
