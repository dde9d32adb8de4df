"""Tables of nothing but noise, of twenty mixed columns: hardly anything may be claimed of them.

``make bench`` does not run this; ``NOISE_TABLES=30`` makes as many tables of 500 and of 5,000 rows.
"""

from __future__ import annotations

import datetime as dt
import os
from collections import Counter
from collections.abc import Iterator

import numpy as np

from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.reading.summing import related
from night_trail.core.rows import Rows
from night_trail.core.survey import survey
from night_trail.core.table import Table
from tests.core.tables import table_of

TABLES = int(os.environ.get("NOISE_TABLES", "1"))
NUMBERS = ("norm0", "logn0", "unif0", "counts0", "whole", "holes")
GROUPS = ("few", "some", "many", "hundreds", "uneven")


def noise(n: int, seed: int) -> Table:
    rng = np.random.default_rng(1_000 * n + seed)
    columns: dict[str, object] = {f"norm{i}": rng.normal(50, 10, n) for i in range(3)}
    columns |= {f"logn{i}": rng.lognormal(2, 1, n) for i in range(3)}
    columns |= {f"unif{i}": rng.uniform(0, 1, n) for i in range(2)}
    columns |= {f"counts{i}": rng.poisson(4, n) for i in range(2)}
    columns |= {"rare": rng.random(n) < 0.03, "half": rng.random(n) < 0.5}
    for name, k in zip(GROUPS, (3, 8, 40, 200), strict=False):
        columns[name] = [f"{name} {j:03d}" for j in rng.integers(0, k, n)]
    columns["uneven"] = [f"u{j}" for j in rng.choice(12, n, p=rng.dirichlet(np.full(12, 0.3)))]
    first = dt.date(2021, 1, 1)
    columns["day"] = [first + dt.timedelta(days=int(d)) for d in np.sort(rng.integers(0, 700, n))]
    columns["whole"] = rng.integers(0, 1_000, n)
    columns["holes"] = np.where(rng.random(n) < 0.2, np.nan, rng.normal(size=n))
    return table_of(**columns)


def looked_at(table: Table) -> Iterator[tuple[str, bool]]:
    """What is looked at, and whether something is claimed of it."""
    rows = Rows(table)

    def said(question: object) -> tuple[str, list[str]]:
        words = words_of(answer(question, rows), table)
        return plain(words.headline), list(words.cautions)

    for name in (*NUMBERS, "rare"):
        if name != "rare":
            headline, cautions = said(Spread(name))
            yield "humps", "humps" in headline
            yield "shape", any("depends on the width" in c for c in cautions)
        for across in GROUPS:
            for aggregate in ("mean",) if name == "rare" else ("mean", "median"):
                headline, _ = said(Compare(Measure(aggregate, name), across))
                yield f"{aggregate}s differ", "The groups differ" in headline
                yield "gap", "wide gap" in headline
    for a, b in (("norm0", "logn0"), ("unif0", "counts0"), ("norm1", "holes"), ("whole", "norm2")):
        yield "turning", any("turn" in c.lower() for c in said(Relate(a, b))[1])
    yield "together", not said(Correlations())[0].startswith("No pair")
    for a, b in (("few", "some"), ("some", "uneven"), ("many", "few")):
        yield "goes", "chance" not in said(Crosstab(a, b))[0]
    for name in ("norm0", "logn0", "counts0"):
        for grain in ("day", "week", "month"):
            found = answer(Decomposition(Measure("mean", name), "day", grain), rows)
            if found.parts is not None:
                yield "season", bool(found.parts.periods)
                yield "trend", found.parts.moves
                yield "change", bool(found.parts.changes)
                for stands_out in found.parts.spikes:
                    yield "spike", bool(stands_out)
                yield "reason", any(spike.different for spike in found.spikes)
        over = answer(OverTime(Measure("mean", name), "day", "month"), rows)
        yield "shift", over.shifted is not None
    for finding in survey(table, dt.date(2026, 1, 1)).findings:
        yield "finding", finding.odd
    for column in related(table.columns, lambda i: table.series_at(i), table.height):
        yield "total", column.sure and column.additive


def test_of_noise_hardly_anything_is_claimed() -> None:
    looked: Counter[str] = Counter()
    claimed: Counter[str] = Counter()
    for n in (500, 5_000):
        for seed in range(TABLES):
            for kind, claims in looked_at(noise(n, seed)):
                looked[kind] += 1
                claimed[kind] += claims
    # one in twenty, and two for the chance of few
    wrong = {k: (claimed[k], looked[k]) for k in looked if claimed[k] > 0.05 * looked[k] + 2}
    assert not wrong
    assert len(looked) >= 15 and claimed["spike"] <= 0.005 * looked["spike"]
