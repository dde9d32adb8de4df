"""What came of an attack, and how one begins."""

from __future__ import annotations

import re
import statistics
import urllib.parse
from dataclasses import dataclass, field

from attack.house import House
from attack.person import Answer, Person


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


def a_tale(person: Person) -> str:
    """Return the demo's own tale, the oldest there is."""
    return str(re.findall(r'class="name" href="(/tales/\d+/)"', person.get("/tales/").text)[-1])


def a_step(house: House, person: Person) -> str:
    trail = first_of(house, person, "/trails/", r"/trails/\d+/")
    return urllib.parse.urlsplit(person.get(trail).location).path
