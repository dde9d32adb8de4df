"""What people say whatever the question: figures, links, amounts, what is to be done with the picture."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from night_trail.core.moments import GRAINS
from night_trail.core.questions.registry import KINDS
from night_trail.core.questions.shared.phrase import Phrase
from night_trail.core.words_in.tokens import stem

NUMBERS = {
    word: i
    for i, word in enumerate(
        "zero one two three four five six seven eight nine ten eleven twelve".split(), start=0
    )
} | {"fifteen": 15, "twenty": 20, "thirty": 30, "fifty": 50, "hundred": 100}  # fmt: skip
TIMES = {"k": 1e3, "thousand": 1e3, "million": 1e6, "mio": 1e6, "billion": 1e9, "bn": 1e9}

Effect = tuple[str, Phrase]
"""A kind's tag, and what a phrase puts into one of its slots."""


@dataclass(frozen=True)
class Pattern:
    """The words of a phrase and what they stand for: a role with a value, or effects on kinds of questions."""

    symbols: tuple[str, ...]
    role: str
    value: Any = None
    effects: tuple[Effect, ...] = ()


_FIGURES: tuple[tuple[str, str, Any], ...] = (
    ("average|mean|avg|average of|mean of|on average|the average|averages|ave", "figure", "mean"),
    ("median|median of|middle|medians", "figure", "median"),
    ("total|sum|sum of|total of|totals|altogether|in total|overall|how much|total amount of", "figure", "sum"),
    ("how many|number of|count of|count|counts|counts of|numbers of|amount of|no. of|tally of", "figure", "count"),
    (
        "number of different|how many different|number of distinct|distinct|number of unique|unique"
        "|count of different|how many unique|how many distinct|different",
        "figure", "distinct",
    ),
    (
        "share of|percentage of|proportion of|fraction of|percent of|share|percentage|proportion|fraction"
        "|percent|percent with|share with|percentage with|what share of|what percentage of|what proportion of",
        "figure", "share",
    ),
    ("ratio of|ratio", "figure", "ratio"),
    ("# percentile|# percentile of|# % quantile of|# % quantile|# quantile of|# quantile|# % percentile", "quantile", None),
    ("lower quartile|first quartile|bottom quartile|lower quartile of|first quartile of", "figure", ("quantile", 25.0)),
    ("upper quartile|third quartile|top quartile|upper quartile of|third quartile of", "figure", ("quantile", 75.0)),
    ("maximum|max|minimum|min|maximum of|max of|minimum of|min of|peak|extremes", "figure", "extreme"),
    ("standard deviation|sd|deviation|variance|std|std dev|standard deviation of|sd of|variability", "figure", "sd"),
)  # fmt: skip
_LINKS: tuple[tuple[str, str, Any], ...] = (
    ("and|&|,|plus|as well as|together with|also", "and", None),
    ("or", "or", None),
    (
        "not|without|except|except for|exclude|hide|skip|excluding|but not|other than|not in|not on|leaving out|leave out|ignoring"
        "|no|all but|everything but|outside|non|not for|apart from|excl|aside from|never",
        "not", None,
    ),
    ("drop|remove|take away|lift|forget|no longer|take out", "drop", None),
    (
        "only|just|only where|only for|only in|only on|only the|keep only|restricted to|limited to|nothing but"
        "|narrow to|filter to|filter|focus on|only with|show only|only when|keep|only those|only if",
        "only", None,
    ),
    ("where|when|whose|that have|having|for which|that had|if|that are|who are|who have", "where", True),
    ("with|for|of|in|on|at|from|during|among|within|over the|inside", "where", False),
    (
        "by @|per @|for each @|for every @|across @|each @|every @|split by @|broken down by @|grouped by @"
        "|within each @|in each @|split that by @|split it by @|by each @|difference between @|differences between @|for different @|a line for each @"
        "|a line per @|of each @|across all @|over @|group by @|for all @|from each @|at each @|split into @",
        "group", None,
    ),
    ("and by @|and per @|and for each @|then by @|also by @|and also by @|and across @|and split by @", "also", None),
    ("most|highest|largest|biggest|greatest|top|best|leading|more|strongest", "most", "most"),
    ("least|lowest|smallest|fewest|bottom|weakest|less|fewer", "most", "least"),
    ("worst", "most", "worst"),
    ("best #|# best|# of the best", "ends", "best"),
    ("worst #|# worst|# of the worst", "ends", "worst"),
    ("busiest|most frequent|most common|commonest|most often|fullest|most popular", "most", "busiest"),
    ("quietest|least frequent|rarest|least common|emptiest", "most", "quietest"),
    ("other|others|the rest|rest|all others|all other|everything else|the others", "other", None),
    ("which|what|who", "which", None),
    (
        "same again for|same for|same with|same again with|now for|the same for|do the same for|again for|now with"
        "|now|switch to|instead|use|change to|make it|use the|and now for|same again with|rather|how about|what about",
        "same", None,
    ),
    ("too|as well|in addition", "adds", None),
    ("light|light up|highlight|lit|shine on|show me where", "light", None),
    ("zoom to|zoom into|zoom in on|zoom in to|zoom|zoom in", "zoom", None),
    (
        "/ @|divided by @|as a share of @|relative to each @|as % of @|as a percentage of @|as percent of @",
        "divide", None,
    ),
    ("sorted by @|ordered by @|ranked by @|sort by @|order by @", "sorts", None),
    ("@ rate|@ percentage|rate of @", "rate", None),
    ("vs|versus|against|compared with|compared to", "versus", None),
    ("affect|affects|effect of|the effect of|effects of|impact of|the impact of|influence of|make|makes|influence|influences|impact|affecting|matter for|matters for|matter to|matter|matters", "affect", None),
    ("per & |per &|for each &|each &|a &|every &", "per row", None),
    ("missing|is missing|are missing|not known|unknown|blank|without a value|no value|not given", "missing", True),
    ("not missing|is not missing|known|is known|given|present|filled in", "missing", False),
    ("in all|of all|overall", "filler", None),
)  # fmt: skip
_DONE: tuple[tuple[str, str, Any], ...] = (
    ("back|undo|go back|step back|previous|one step back|take that back", "do", "back"),
    (
        "clear|clear all|clear filters|clear the filter|reset|start over|remove all conditions|no conditions"
        "|everything again|lift all|all rows|all rows again|clear everything|remove filters|no filter|no filters",
        "do", "clear",
    ),
    ("lantern out|put out the light|turn off the light|lights off|lights out|put out|put the lantern out|unlight|no light|put it out|light off", "do", "out"),
    ("keep only the lit|only the lit|keep the lit|only what is lit|only lit", "do", "keep lit"),
    ("set the lit aside|without the lit|drop the lit|set aside|set them aside|not the lit", "do", "set aside"),
    ("put beside|beside|put this beside|put it beside|keep beside", "do", "beside"),
    ("zoom out|zoomed out|whole picture", "do", "zoom out"),
)  # fmt: skip
_AMOUNTS: tuple[tuple[str, str, Any], ...] = (
    (
        "over #|above #|more than #|greater than #|higher than #|larger than #|bigger than #|> #|exceeding #"
        "|exceeds #|beyond #|in excess of #|of over #|of more than #|is over #|is above #|is more than #|was over #"
        "|were over #|exceeded #|> than #",
        "amount", "over",
    ),
    (
        "under #|below #|less than #|fewer than #|lower than #|smaller than #|< #|of under #|of less than #"
        "|is under #|is below #|is less than #|not even #",
        "amount", "under",
    ),
    (
        "at least #|>= #|≥ #|no less than #|not under #|not below #|# or more|# and more|# +|of at least #"
        "|minimum of #|# or above|# and above|# and over|# or over|from # on|# upwards|# or older",
        "amount", "least",
    ),
    (
        "at most #|<= #|≤ #|up to #|no more than #|not over #|not above #|# or less|# or fewer|# and less"
        "|maximum of #|# or below|# and under|# or under|# or younger",
        "amount", "most",
    ),
    ("between # and #|from # to #|# to #|of # to #|between # to #|from # until #|in between # and #", "amount", "between"),
    ("is #|= #|equals #|equal to #|exactly #|of exactly #|was #|are #", "amount", "is"),
    ("top # %|highest # %|upper # %|largest # %|best # %|top # percent|highest # percent", "amount", "top"),
    ("bottom # %|lowest # %|lower # %|smallest # %|worst # %|bottom # percent|lowest # percent", "amount", "bottom"),
)  # fmt: skip
COMPARED = {
    "older": "over", "longer": "over", "later": "over", "taller": "over", "heavier": "over", "wider": "over",
    "richer": "over", "warmer": "over", "hotter": "over", "faster": "over", "wetter": "over", "brighter": "over",
    "deeper": "over", "farther": "over", "younger": "under", "shorter": "under", "cheaper": "under",
    "colder": "under", "slower": "under", "narrower": "under", "lighter": "under", "earlier": "under",
}  # fmt: skip
"""Words that name a column and a side at once: older than 30."""


def _grains() -> list[tuple[str, str, Any]]:
    adverbs = {
        "hour": "hourly", "day": "daily|nightly|each night|per night|by night|every night|night by night|a day|a night",
        "week": "weekly|a week", "month": "monthly|a month", "quarter": "quarterly|a quarter",
        "year": "yearly|annual|annually|per annum|a year",
    }  # fmt: skip
    return [
        (
            f"{g} by {g}|{g} for {g}|by {g}|per {g}|each {g}|every {g}|by the {g}|{g} after {g}|{adverbs[g]}|over the {g}s"
            f"|across {g}s|{g} on {g} figures|for each {g}|from {g} to {g}|in {g}s|and {g}|and by {g}|then by {g}",
            "grain", g,
        )
        for g in GRAINS
    ]  # fmt: skip


@cache
def patterns() -> dict[str, tuple[Pattern, ...]]:
    """Return all patterns by their first symbol; a word by its stem."""
    found: dict[tuple[str, ...], list[Pattern]] = {}
    general = (*_FIGURES, *_LINKS, *_DONE, *_AMOUNTS, *_grains())
    for said, role, value in general:
        for symbols in _forms(said):
            found.setdefault(symbols, []).append(Pattern(symbols, role, value))
    effects: dict[tuple[str, ...], list[Effect]] = {}
    for kind in KINDS:
        for phrase in kind.phrases:
            for symbols in _forms(phrase.said):
                effects.setdefault(symbols, []).append((kind.tag, phrase))
    for symbols, its in effects.items():
        found.setdefault(symbols, []).append(Pattern(symbols, "wish", None, tuple(its)))
    by_first: dict[str, list[Pattern]] = {}
    for its_patterns in found.values():
        for pattern in its_patterns:
            by_first.setdefault(pattern.symbols[0], []).append(pattern)
    return {first: tuple(its) for first, its in by_first.items()}


@cache
def spoken() -> list[str]:
    """Return the words of all phrases that are long enough to be mistyped."""
    forms = (form for its in (*_FIGURES, *_LINKS, *_DONE, *_AMOUNTS, *_grains()) for form in its[0].split())
    said = (form for kind in KINDS for phrase in kind.phrases for form in phrase.said.split())
    words = {word for form in (*forms, *said) for word in form.split("|")}
    return sorted(word for word in words if word.isalpha() and len(word) >= 5)


@cache
def reserved() -> frozenset[str]:
    """Return the words that are phrases by themselves: they are no abbreviations of names."""
    return frozenset(p.symbols[0] for its in patterns().values() for p in its if len(p.symbols) == 1)


@cache
def binding() -> frozenset[str]:
    """Return the words that bind others together: over, by, than. They mean no name that only begins so."""
    said = (word for its in (*_LINKS, *_AMOUNTS) for form in its[0].split("|") for word in form.split())
    return frozenset(word for word in said if word.isalpha()) - COMPARED.keys() - {"rate", "percentage"}


def _forms(said: str) -> list[tuple[str, ...]]:
    return [
        tuple(s if not s.isalpha() or s.endswith("est") else stem(s) for s in form.split())
        for form in said.split("|")
    ]
