"""The attacks: each tries something many times and counts what came of it."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import threading
import time
import urllib.parse
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from attack.bombs import HOSTILE
from attack.house import ROOT, House, running
from attack.person import Answer, Person

STEP = {"step": "calculate", "sql": "late_min * 2"}


@dataclass
class Found:
    """What came of an attack."""

    name: str
    tried: int = 0
    refused: int = 0
    errors: int = 0
    lost: int = 0
    leaked: int = 0
    deaths: int = 0
    seconds: list[float] = field(default_factory=list)
    note: str = ""

    def take(self, answer: Answer) -> Answer:
        """Count an answer."""
        self.tried += 1
        self.refused += answer.refused
        self.errors += answer.status == 0 or (answer.status >= 500 and not answer.refused)
        self.seconds.append(answer.seconds)
        return answer

    @property
    def p95(self) -> float:
        """Return the seconds within which 95 of 100 answers came."""
        return statistics.quantiles(self.seconds, n=20)[-1] if len(self.seconds) > 1 else 0.0


def first_of(house: House, person: Person, path: str, pattern: str) -> str:
    """Return the first address on a page that looks like this."""
    found = re.search(pattern, person.get(path).text)
    if not found:
        raise SystemExit(f"{path} of the house has no {pattern}")
    return found[0]


def bombs(house: House) -> Found:
    """Files that promise too much or are broken; the servers must be the same ones afterwards."""
    found, person = Found("hostile files"), house.analyst()
    before = house.processes("server")
    for name, make in HOSTILE.items():
        arrived = found.take(person.bring("/tables/bring/", name, make()))
        for _ in range(3):
            if arrived.location:
                found.take(person.get(arrived.location))
    found.deaths = len(set(before) - set(house.processes("server")))
    found.note = f"{len(HOSTILE)} files, each looked at three times"
    return found


def slow_clients(house: House, count: int = 60, looks: int = 40) -> Found:
    """Connections that send a byte a second; everybody else must be answered."""
    found = Found("slow clients")
    held = []
    for i in range(count):
        line = socket.create_connection(("127.0.0.1", house.port))
        length = 5_000 if i % 2 else 900_000
        head = f"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {length}\r\n\r\nusername=a"
        line.sendall(head.encode())
        held.append(line)
    person = Person(house.port)
    for _ in range(looks):
        found.take(person.get("/sign-in/"))
        for line in held:
            try:
                line.sendall(b"x")
            except OSError:
                continue
        time.sleep(0.1)
    for line in held:
        line.close()
    found.note = f"{looks} looks at a page beside {count} of them"
    return found


def oracle(house: House, tries: int) -> Found:
    """Ask a tale's link about cells that no mark shows."""
    found, person = Found("questions by a tale's link"), house.analyst()
    tale = _tale(person)
    link = re.search(r"/walk/[\w-]{20,}/", person.post(f"{tale}links/").text)
    assert link is not None
    reader, rng = Person(house.port), random.Random(1)
    for _ in range(tries):
        column = rng.choice(("trip", "late_min", "boardings", "line", "depot", "crew", "rain_mm"))
        low = rng.uniform(-5, 60)
        condition = rng.choice(
            (
                {"type": "range", "column": column, "low": low, "high": low + 10 ** rng.uniform(-3, 1)},
                {"type": "one of", "column": column, "values": [str(rng.randrange(60_000))]},
                {"type": "missing", "column": column},
            )
        )
        name = rng.choice(("light", "add", "range", "now"))
        asked = urllib.parse.quote(json.dumps(condition))
        answer = found.take(reader.get(f"{link[0]}{rng.randint(1, 3)}/?{name}={asked}"))
        found.leaked += answer.status == 200 and "lit: " in answer.text and "data-reset" in answer.text
    return found


def fuzz(house: House, tries: int) -> Found:
    """Random values in every address and form."""
    sys.path.insert(0, str(ROOT))
    from night_trail.core.turns import Change
    from tests.fuzz import TEXTS, Fuzz

    found, person, rng = Found("random turns and forms"), house.analyst(), random.Random(2)
    step = _step(house, person)
    table = first_of(house, person, "/", r"/tables/\d+/")
    drawn = Fuzz(rng, ["late_min", "boardings", "depot", "line", "day", "rain_mm", "Tallow Lane", "mean"])
    pages = (
        "rows/",
        "numbers/",
        "figures/",
        "groups/",
        "picture/",
        "row/",
        "slot/bins/",
        "only/found/",
        "figure.png",
    )
    for _ in range(tries):
        if rng.random() < 0.5:
            answer = found.take(
                person.post(f"{step}turn/", swap=True, change=json.dumps(drawn.value(Change)))
            )
            if answer.status == 200 and "/steps/" in answer.location and rng.random() < 0.7:
                step = urllib.parse.urlsplit(answer.location).path
        elif rng.random() < 0.5:
            query = urllib.parse.urlencode(
                {k: rng.choice(TEXTS)[:300] for k in ("size", "sort", "find", "at", "q", "row")}
            )
            found.take(person.get(f"{step}{rng.choice(pages)}?{query}", swap=rng.random() < 0.5))
        else:
            form = {
                k: rng.choice(TEXTS)
                for k in rng.sample(("name", "step", "sql", "words", "title", "back", "saw"), 3)
            }
            path = rng.choice(
                (
                    f"{table}name/",
                    f"{table}step/",
                    f"{table}calculate/",
                    f"{table}column/1/describe/",
                    "/theme/",
                )
            )
            found.take(person.post(path, **form))
    return found


def _tale(person: Person) -> str:
    """Return the demo's own tale, the oldest there is."""
    return str(re.findall(r'class="name" href="(/tales/\d+/)"', person.get("/tales/").text)[-1])


def _step(house: House, person: Person) -> str:
    trail = first_of(house, person, "/trails/", r"/trails/\d+/")
    return urllib.parse.urlsplit(person.get(trail).location).path


def two_tabs(house: House, tabs: int = 8) -> Found:
    """Steps taken, notes and measures written in several tabs at once."""
    found, person = Found("several tabs at once"), house.analyst()
    table = first_of(house, person, "/", r"/tables/\d+/")
    step = _step(house, person)

    def in_a_tab(work: Callable[[Person, int], bool]) -> int:
        people = [house.analyst() for _ in range(tabs)]
        with ThreadPoolExecutor(tabs) as hands:
            return sum(hands.map(lambda i: work(people[i], i), range(tabs)))

    def takes(tab: Person, i: int) -> bool:
        body = json.dumps(STEP | {"name": f"tab {i}"})
        return found.take(tab.post(f"{table}step/", step=body)).status == 302

    acknowledged = in_a_tab(takes)
    survey = person.get(table).text
    found.lost += acknowledged - sum(f"tab {i} " in survey or f"tab {i}<" in survey for i in range(tabs))

    def names(tab: Person, i: int) -> bool:
        return (
            found.take(
                tab.post(f"{step}measure/", swap=True, name=f"measure {i}", words="mean of late_min")
            ).status
            < 400
        )

    acknowledged = in_a_tab(names)
    person.post(f"{step}cairn/")
    saw = person.saw(step, "cairn")

    def notes(tab: Person, i: int) -> bool:
        title = re.search(r'id="cairn-title" value="([^"]*)"', tab.get(step).text)
        form = {**saw, "title": title[1] if title else "x", "note": f"note of tab {i}"}
        return (
            found.take(tab.ask("POST", f"{step}cairn/edit/", urllib.parse.urlencode(form).encode())).status
            == 302
        )

    # one of them is kept, the others are shown both texts
    found.lost += max(0, in_a_tab(notes) - 1)
    found.note = f"{tabs} tabs: steps, measures, notes; of notes one is kept, the others see both texts"
    return found


def kills(house: House, times: int) -> Found:
    """Kill processes at random moments of work; look for what was acknowledged."""
    found, rng = Found("kills at random moments"), random.Random(3)
    person = house.analyst()
    tale = _tale(person)
    table = first_of(house, person, "/", r"/tables/\d+/")
    stops: list[str] = []
    steps: list[str] = []
    over = threading.Event()

    def works() -> None:
        mine, i = house.analyst(), 0
        step = _step(house, mine)
        while not over.is_set():
            i += 1
            change = {"turn": "slot", "slot": "bins", "value": str(round(0.1 + 0.01 * (i % 900), 2))}
            say = {"turn": "say", "words": f"late_min by depot where late_min above {i / 1000}"}
            answer = mine.post(f"{step}turn/", swap=True, change=json.dumps(say if i % 3 else change))
            if answer.status == 200 and answer.location:
                steps.append(urllib.parse.urlsplit(answer.location).path)
            made = mine.post(f"{tale}collect/")
            if made.status == 302:
                heading = f"stop {i}"
                if mine.post(f"{made.location}edit/", heading=heading, text=f"text {i}").status == 302:
                    stops.append(heading)
                if len(stops) % 20 == 19:
                    time.sleep(0.1)

    def imports() -> None:
        mine, i = house.analyst(), 0
        content = b"a,b\n" + b"".join(b"%d,%d\n" % (n, n % 7) for n in range(60_000))
        while not over.is_set():
            i += 1
            arrived = mine.bring("/tables/bring/", f"import{i}.csv", content)
            if arrived.location:
                mine.post(f"{arrived.location}read/")
            time.sleep(1.5)

    hands = [threading.Thread(target=work) for work in (works, imports)]
    for hand in hands:
        hand.start()
    broken = 0
    for i in range(times):
        # each kill meets a house that works, or one that is just rising again
        until = time.monotonic() + 20
        while rng.random() < 0.9 and person.get("/sign-in/").status != 200 and time.monotonic() < until:
            time.sleep(0.3)
        time.sleep(rng.uniform(0.2, 2.5))
        if i % 10 == 9:
            copy = house.folder / f"copy{i}.sqlite3"
            saving = subprocess.Popen(
                [sys.executable, "-m", "night_trail.cli", "backup", str(copy)],
                cwd=ROOT,
                env=house.environment,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )
            time.sleep(rng.uniform(0.5, 9.0))
            os.killpg(saving.pid, signal.SIGKILL) if saving.poll() is None else None
            saving.wait()
            broken += copy.exists() and saving.returncode != 0
        else:
            victims = house.processes(rng.choice(("server", "server", "worker", "reader")))
            if victims:
                try:
                    os.kill(rng.choice(victims), signal.SIGKILL)
                except ProcessLookupError:
                    continue
        found.tried += 1
    over.set()
    for hand in hands:
        hand.join()
    until = time.monotonic() + 90
    while person.get("/health/").status != 200 and time.monotonic() < until:
        time.sleep(0.5)
    person = house.analyst()
    written = person.get(tale).text
    found.lost += sum(f">{heading}<" not in written for heading in stops)
    found.lost += sum(
        found.take(person.get(path)).status != 200 for path in rng.sample(steps, min(60, len(steps)))
    )
    found.lost += broken
    found.errors += person.get(table).status != 200
    found.note = (
        f"{len(steps)} turns, {len(stops)} stops acknowledged meanwhile; imports and backups beside them"
    )
    return found


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
            tale = _tale(person)
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


def load(house: House, readers: int, analysts: int, seconds: float) -> tuple[Found, Found]:
    """Many people at once: readers walk a tale, analysts take turns."""
    reading = Found(f"{readers} readers for {seconds:.0f} s")
    turning = Found(f"{analysts} analysts beside them")
    person = house.analyst()
    tale = _tale(person)
    link = re.search(r"/walk/[\w-]{20,}/", person.post(f"{tale}links/").text)
    assert link is not None
    signed_in = [house.analyst() for _ in range(min(analysts, 3))]
    over = time.monotonic() + seconds

    def reads(i: int) -> None:
        reader, rng = Person(house.port), random.Random(i)
        time.sleep(rng.uniform(0, 5.0))
        while time.monotonic() < over:
            reading.take(reader.get(f"{link[0]}{rng.randint(1, 3)}/", swap=rng.random() < 0.7))
            time.sleep(rng.uniform(3.0, 8.0))  # whoever reads, reads

    def turns(i: int) -> None:
        mine, rng = signed_in[i % len(signed_in)], random.Random(1_000 + i)
        step = _step(house, mine)
        columns = ("late_min", "boardings", "rain_mm")
        while time.monotonic() < over:
            words = rng.choice(
                (
                    f"{rng.choice(columns)} by {rng.choice(('depot', 'line', 'district'))}",
                    f"{rng.choice(columns)} where rain_mm above {rng.randint(0, 9)}",
                    "sum of boardings by month",
                    "late_min vs rain_mm",
                )
            )
            turning.take(
                mine.post(f"{step}turn/", swap=True, change=json.dumps({"turn": "say", "words": words}))
            )
            time.sleep(rng.uniform(1.0, 4.0))

    with ThreadPoolExecutor(readers + analysts) as crowd:
        done = [crowd.submit(reads, i) for i in range(readers)] + [
            crowd.submit(turns, i) for i in range(analysts)
        ]
        for one in done:
            one.result()
    reading.note = "a page every 3 to 8 s each"
    turning.note = "a turn every 1 to 4 s each"
    return reading, turning
