"""All groups behind a picture that draws only some: ranked, searched, in pages."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Question, to_json
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.questions.shared.ranking import Ranked, Ranking, gathered_groups, ranked_by, ranking
from night_trail.core.turns import Light
from night_trail.tables.cells import neutral
from night_trail.trails.pictures import Desk

PAGE = 50
MOST_FIND = 200


@dataclass(frozen=True)
class RankLine:
    """One group: its rank, its rows, its figure in words, the turn that lights it."""

    rank: int
    label: str
    rows: int
    figure: str
    bar: int
    light: str


@dataclass(frozen=True)
class RankPage:
    """A page of groups; ``total`` are found, of ``groups`` that are ranked."""

    across: str
    measure: str
    find: str
    lines: list[RankLine]
    total: int
    groups: int
    few: int
    least: int
    page: int
    pages: int


def all_groups(question: Question, answer: Answer, desk: Desk) -> int:
    """Return how many groups a picture has where it does not draw all of them; 0 where it does."""
    found = getattr(answer, "grouping", None)
    if ranked_by(question) is None or not gathered_groups(found):
        return 0
    return len(_ranking(desk, _ranked(question)).present)


def _ranked(question: Question | None) -> Ranked:
    found = None if question is None else ranked_by(question)
    if found is None:
        raise BadQuestion(
            "This picture has no groups that are ranked", "", "Compare a measure across a category."
        )
    return found


def _ranking(desk: Desk, by: Ranked) -> Ranking:
    return ranking(by.measure, desk.rows, by.across, by.least)


def rank_page(desk: Desk, find: str, page: int) -> RankPage:
    """Return a page of all groups of the main picture, highest first; ``find`` is a part of their names."""
    by = _ranked(desk.scene.main)
    ranked = _ranking(desk, by)
    find = find[:MOST_FIND].strip()
    places = np.arange(len(ranked.order))
    if find:
        wanted = find.casefold()
        places = np.array(
            [i for i in places if wanted in ranked.labels[ranked.order[i]].casefold()], dtype=np.int64
        )
    pages = max(1, -(-len(places) // PAGE))
    page = min(max(page, 1), pages)
    column = None if by.measure.column is None else desk.table.column(by.measure.column)
    said, ranks = figure_of(by.measure, column), ranked.ranks()
    top = float(np.abs(ranked.values[ranked.order]).max()) if len(ranked.order) else 1.0
    lines = []
    for place in places[(page - 1) * PAGE : page * PAGE]:
        at = int(ranked.order[place])
        label, figure = ranked.labels[at], float(ranked.values[at])
        light = to_json(Light(OneOf(by.across, (label,))))
        bar = round(20 * abs(figure) / top) if top else 0
        lines.append(RankLine(int(ranks[place]), label, int(ranked.n[at]), said(figure), bar, light))
    return RankPage(
        across=by.across,
        measure=measure_words(by.measure, desk.table),
        find=find,
        lines=lines,
        total=len(places),
        groups=len(ranked.order),
        few=ranked.few,
        least=by.least,
        page=page,
        pages=pages,
    )


def rank_rows(desk: Desk) -> Iterator[list[str | int | float]]:
    """Yield the names, then a row for every ranked group."""
    by = _ranked(desk.scene.main)
    ranked = _ranking(desk, by)
    yield ["rank", neutral(by.across), neutral(measure_words(by.measure, desk.table)), "rows"]
    for rank, at in zip(ranked.ranks(), ranked.order, strict=True):
        yield [int(rank), neutral(ranked.labels[at]), float(ranked.values[at]), int(ranked.n[at])]
