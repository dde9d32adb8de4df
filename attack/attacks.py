"""The attacks: each tries something many times and counts what came of it."""

from __future__ import annotations

import json
import random
import re
import socket
import sys
import time
import urllib.parse
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from attack.bombs import HOSTILE
from attack.found import Found, a_step, a_tale, first_of
from attack.house import ROOT, House
from attack.person import Person

STEP = {"step": "calculate", "sql": "late_min * 2"}


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
    tale = a_tale(person)
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
    step = a_step(house, person)
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


def two_tabs(house: House, tabs: int = 8) -> Found:
    """Steps taken, notes and measures written in several tabs at once."""
    found, person = Found("several tabs at once"), house.analyst()
    table = first_of(house, person, "/", r"/tables/\d+/")
    step = a_step(house, person)

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


def load(house: House, readers: int, analysts: int, seconds: float) -> tuple[Found, Found]:
    """Many people at once: readers walk a tale, analysts take turns."""
    reading = Found(f"{readers} readers for {seconds:.0f} s")
    turning = Found(f"{analysts} analysts beside them")
    person = house.analyst()
    tale = a_tale(person)
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
        step = a_step(house, mine)
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
