"""Scales that words are known to have: weekdays, sizes, grades, agreement, education, ranges, numbers."""

from __future__ import annotations

import re

_SCALES = [
    "mon monday|tue tues tuesday|wed weds wednesday|thu thur thurs thursday|fri friday|sat saturday"
    "|sun sunday",
    "jan january|feb february|mar march|apr april|may|jun june|jul july|aug august|sep sept september"
    "|oct october|nov november|dec december",
    "q1|q2|q3|q4",
    "spring|summer|autumn fall|winter",
    "xxs|xs|s|m|l|xl|xxl 2xl|xxxl 3xl",
    "very_small tiny extra_small|small|medium medium_size mid_size midsize|large big"
    "|very_large extra_large huge",
    "none no|very_low lowest minimal|low|medium med moderate mid middle average normal|high|very_high highest"
    "|urgent critical extreme",
    "child infant kid|teen teenager youth adolescent|young|young_adult|adult middle middle_aged"
    "|senior old elderly",
    "none no absent|mild slight minor|moderate|severe serious major|critical fatal",
    "never|rarely seldom hardly_ever|sometimes occasionally|often frequently usually|very_often|always",
    "hourly|daily every_day|weekly every_week|biweekly fortnightly every_two_weeks|monthly every_month"
    "|quarterly every_three_months|yearly annually every_year",
    "very_poor very_bad terrible awful|poor bad weak|fair ok okay average acceptable satisfactory typical"
    "|good|very_good great|excellent outstanding|perfect",
    "po|fa|ta|gd|ex",
    "fair|good|very_good|premium|ideal",
    "strongly_disagree totally_disagree|disagree|somewhat_disagree slightly_disagree"
    "|neutral neither undecided neither_agree_nor_disagree neither_agree_or_disagree"
    "|somewhat_agree slightly_agree|agree|strongly_agree totally_agree",
    "very_dissatisfied very_unsatisfied|dissatisfied unsatisfied|neutral neither"
    " neither_satisfied_nor_dissatisfied|satisfied|very_satisfied",
    "very_unlikely|unlikely|neutral neither possible|likely|very_likely|certain",
    "not_important not_at_all_important unimportant|slightly_important|moderately_important|important"
    "|very_important|extremely_important",
    "very_negative|negative|neutral|positive|very_positive",
    "none no_formal_education no_schooling|primary primary_school elementary elementary_school basic"
    "|less_than_high_school below_high_school some_high_school"
    "|high_school high_school_graduate secondary secondary_school hs"
    "|some_college below_college|associate associates associate_degree|college"
    "|bachelor bachelors bachelor_degree bachelors_degree undergraduate|graduate graduation postgraduate"
    "|master masters master_degree masters_degree|doctor doctorate phd ph_d doctoral",
    "freshman|sophomore|junior|senior",
    "intern trainee|junior entry entry_level|mid mid_level intermediate|senior senior_level|lead|executive",
    "beginner novice|elementary|intermediate|advanced|expert professional master",
    "underweight|normal normal_weight healthy|overweight|obese",
    "bronze|silver|gold|platinum|diamond",
    "freezing|cold|cool|mild|warm|hot",
    "short|medium|long|very_long",
    "slow|medium|fast|very_fast",
    "very_light|light|medium moderate|heavy|very_heavy",
    "rare|uncommon|common|very_common",
    "bad|ok okay|good",
    "early_morning|morning|noon midday|afternoon|evening|night|midnight",
    "first 1st|second 2nd|third 3rd|fourth 4th|fifth 5th|sixth 6th",
    "economy basic|standard|business premium|first first_class deluxe luxury",
]
_LEVELS = [
    {word: level for level, words in enumerate(scale.split("|")) for word in words.split()}
    for scale in _SCALES
]
_GRADES = [g + sign for g in "abcdef" for sign in ("+", "", "-")]
_GRADED = re.compile(r"grade|mark|rating|rank|band|tier|score|class", re.IGNORECASE)
_ASIDE = {"unknown", "other", "not_stated", "dont_know", "no_answer", "refused", "undefined", "unspecified"}
"""What may stand beside a scale without belonging to it; it comes last."""

_AMOUNT = r"[$€£]? ?(\d[\d,]*(?:\.\d+)?) ?(?:k|m|%|[a-z]{1,8})?"
_RANGE = re.compile(
    rf"^(?P<open>under|below|less than|up to|over|above|more than|at least|[<>≤≥]=?)? ?{_AMOUNT}"
    rf"(?: ?(?:-|–|—|to|and) ?{_AMOUNT})?(?P<more> ?\+| plus"
    r"| and (?:more|over|above|older|up)| or (?:more|over|older))?(?: [a-z]{1,10}){0,2}$",
    re.IGNORECASE,
)
_NUMBERED = re.compile(r"^\(?(\d{1,2})\)? ?[:.)=–-] ?\D")


def known_order(labels: list[str], name: str = "") -> list[str] | None:
    """Return labels in the order their words have, None where they have none.

    >>> known_order(["high", "low", "medium"]), known_order(["31-40", "5-10"]), known_order(["a", "b"])
    (['low', 'medium', 'high'], ['5-10', '31-40'], None)
    >>> known_order(["2: fair", "1: poor"]), known_order(["B", "A", "C"], "grade")
    (['1: poor', '2: fair'], ['A', 'B', 'C'])
    """
    plain = {label: _plain(label) for label in labels}
    aside = [label for label in labels if plain[label] in _ASIDE][:1]
    rest = [label for label in labels if label not in aside]
    if len(rest) < 2:
        return None
    order = _by_words(rest, plain) or _by_number(rest) or _by_range(rest) or _by_grade(rest, name)
    return None if order is None else [*order, *aside]


def _plain(label: str) -> str:
    text = re.sub(r"['’.]", "", label.strip().lower())
    text = re.sub(r"[\s_/-]+", "_", text)
    return re.sub(r"_(?:degree|school_degree|education)$", "", text) if text.count("_") else text


def _by_words(labels: list[str], plain: dict[str, str]) -> list[str] | None:
    words = [plain[label] for label in labels]
    for levels in _LEVELS:
        # two spellings of one level have no order between them
        if all(word in levels for word in words) and len({levels[word] for word in words}) == len(words):
            return sorted(labels, key=lambda label: levels[plain[label]])
    return None


def _by_number(labels: list[str]) -> list[str] | None:
    found = {label: _NUMBERED.match(label.strip()) for label in labels}
    numbers = [int(match[1]) for match in found.values() if match]
    if len(numbers) < len(labels) or len(set(numbers)) < len(labels):
        return None
    return sorted(labels, key=lambda label: int(_NUMBERED.match(label.strip())[1]))  # type: ignore[index]


def _by_range(labels: list[str]) -> list[str] | None:
    keys: dict[str, tuple[float, int]] = {}
    for label in labels:
        found = _RANGE.match(label.strip())
        if found is None or not (found["open"] or found["more"] or found[3]):
            return None
        low = float(found[2].replace(",", ""))
        # 02139-1234 is a code: ranges ascend, and no amount begins with a 0 before other digits
        if re.match(r"0\d", found[2]) or (found[3] and float(found[3].replace(",", "")) < low):
            return None
        below = (found["open"] or "").lower() in ("under", "below", "less than", "up to", "<", "≤", "<=")
        above = bool(found["more"]) or bool(found["open"] and not below)
        keys[label] = (low, -1 if below else 1 if above else 0)
    return sorted(labels, key=lambda label: keys[label])


def _by_grade(labels: list[str], name: str) -> list[str] | None:
    lower = {label: label.strip().lower().replace("−", "-") for label in labels}
    if len(labels) < 3 or not _GRADED.search(name) or not set(lower.values()) <= set(_GRADES):
        return None
    return sorted(labels, key=lambda label: _GRADES.index(lower[label]))
