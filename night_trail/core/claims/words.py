"""Claims said, what became of them, and claims read from what was typed."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from night_trail.core.claims.check import check_fits
from night_trail.core.claims.claim import (
    Ahead,
    Claim,
    Differs,
    Drives,
    Leads,
    Level,
    Moves,
    Repeats,
    StandsOut,
)
from night_trail.core.claims.verdict import Verdict
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import from_words, in_words, take_column
from night_trail.core.language.numbers import MINUS, number, percent
from night_trail.core.measure import Measure
from night_trail.core.questions.shared.measure_slots import leading_measure, measure_from, measure_words
from night_trail.core.questions.shared.measure_words import decimals_of, evened, gap_of
from night_trail.core.questions.shared.measures import is_share
from night_trail.core.questions.stands.words import sort_from, titled
from night_trail.core.table import Table

EXAMPLE = "the average of late_min is higher where depot is Tallow Lane than elsewhere"


def in_sentence(claim: Claim, table: Table) -> str:
    """Return a claim as a sentence without its end; ``claim_from`` reads it back."""
    match claim:
        case Differs(measure, of, than, lower, least):
            by = f", by at least {_written(least, measure, table)}" if least else ""
            against = "elsewhere" if than is None else f"where {in_words(than, table)}"
            how = "lower" if lower else "higher"
            return f"{measure_words(measure, table)} is {how} where {in_words(of, table)} than {against}{by}"
        case Level(measure, at, of, below):
            where = f" where {in_words(of, table)}" if of is not None else ""
            how = "most" if below else "least"
            return f"{measure_words(measure, table)} is at {how} {_written(at, measure, table)}{where}"
        case Leads(measure, across, group, lowest):
            how = "lowest" if lowest else "highest"
            return f"{measure_words(measure, table)} is {how} for {group} of all {across}"
        case Moves(x, y, down, least):
            by = f", with a correlation of at least {number(least)}" if least else ""
            return f"{y} {'falls' if down else 'rises'} with {x}{by}"
        case Repeats(measure, time, every):
            return f"{measure_words(measure, table)} over {time} repeats every {every}"
        case Drives(of, by, first):
            return f"{by} is among the first {first} that {of} goes with"
        case StandsOut(sort, columns, of, within, least):
            where = of or "the whole table"
            apart = f" within each {within}" if within else ""
            rows = f", in at least {table.rows_in_words(least)}" if least > 1 else ""
            return f"“{titled(sort, columns)}” stands out in {where}{apart}{rows}"
        case Ahead(measure, when, low, high):
            ends = f"{_written(low, measure, table)} and {_written(high, measure, table)}"
            return f"{measure_words(measure, table)} lies between {ends} once {in_words(when, table)}"


def _written(at: float, measure: Measure, table: Table) -> str:
    """Return a figure as it can be read back: not rounded, a share as per cent."""
    column = _column(measure, table)
    shown = f"{100 * at:,.10g}" if is_share(measure, column) else f"{at:,.10g}"
    unit = "" if column is None or measure.aggregate in ("count", "distinct", "ratio") else column.unit
    return shown.replace("-", MINUS) + (" %" if is_share(measure, column) else f" {unit}" if unit else "")


def _column(measure: Measure, table: Table) -> Any:
    return None if measure.column is None else table.column(measure.column)


def verdict_words(claim: Claim, verdict: Verdict, table: Table) -> str:
    """Return what became of a claim: its figure, how many redraws hold, on how few rows it rests."""
    if verdict.state == "open":
        return "It cannot be checked yet: the rows of that time have not come."
    if not math.isfinite(verdict.figure):
        return "It does not hold: there are no rows to hold against each other."
    said = _figures(claim, verdict, table)
    begin = {"holds": "Holds", "weak": "Holds here, but weakly", "fails": "Does not hold"}[verdict.state]
    redrawn = ""
    if verdict.redraws is not None:
        of = {"rows": table.row_noun[1], "years": "years", "weeks": "weeks", "days": "days"}.get(
            verdict.drawn
        )
        what = of or f"{table.row_noun[1]}, those of one {_day_of(verdict.drawn, table)} together"
        redrawn = f", in {verdict.redraws} of 100 redraws of {what}"
    few = ""
    if verdict.turns is not None and verdict.turns <= max(1, verdict.n // 100):
        noun = table.rows_in_words(verdict.turns)
        few = f" It rests on few: without {noun} of {verdict.n:,} it would not hold."
    return f"{begin}: {said}{redrawn}.{few}"


def _day_of(column: str, table: Table) -> str:
    return "day" if column in table and table.column(column).kind.temporal else column


def _figures(claim: Claim, verdict: Verdict, table: Table) -> str:  # noqa: C901  (one case a claim)
    """Return the figure of a claim with where it may lie."""
    match claim:
        case Differs(lower=lower):
            if verdict.figure == 0:
                return "there is no difference"
            gap = _said_of(claim.measure, verdict, table, gap=True)
            if (verdict.figure < 0) != lower:
                return f"it is {'higher' if lower else 'lower'} by {gap(abs(verdict.figure))}"
            sign = -1 if lower else 1
            return f"by {gap(sign * verdict.figure)}{_ends(verdict, gap, sign)}"
        case Level(measure) | Ahead(measure):
            said = _said_of(measure, verdict, table)
            return f"it is {said(verdict.figure)}{_ends(verdict, said)}"
        case Leads(measure, _, group, lowest):
            said = _said_of(measure, verdict, table)
            if verdict.state == "fails" and verdict.other:
                ahead = f"is {'lower' if lowest else 'higher'}"
                ahead = "is the same" if verdict.than == verdict.figure else ahead
                return (
                    f"{group} has {said(verdict.figure)}, {verdict.other} {ahead} with {said(verdict.than)}"
                )
            next_ = f", the next, {verdict.other}, has {said(verdict.than)}" if verdict.other else ""
            return f"it has {said(verdict.figure)}{next_}"
        case Moves():
            return f"correlation {number(verdict.figure, 2)}{_ends(verdict, lambda at: number(at, 2))}"
        case Repeats():
            if not verdict.figure:
                return "no such season shows"
            return f"the season is {percent(verdict.figure)} of what it and the rest vary together"
        case StandsOut():
            if not verdict.figure:
                return "nothing of this kind stands out"
            return f"{table.rows_in_words(int(verdict.figure))} of {verdict.n:,}: {verdict.other}"
        case Drives(of):
            if verdict.figure <= 0:
                return f"it tells nothing of {of}"
            place = "it comes first" if verdict.than <= 1 else f"it comes as number {number(verdict.than)}"
            return f"{place} and goes with {percent(verdict.figure)} of the differences of {of}"


def _said_of(measure: Measure, verdict: Verdict, table: Table, gap: bool = False) -> Callable[[float], str]:
    """Return how a figure is written, with no more decimals than redraws support."""
    column = _column(measure, table)
    if gap and is_share(measure, column):
        return gap_of(measure, column)
    half = [(verdict.high - verdict.low) / 2] if math.isfinite(verdict.low) else []
    decimals = decimals_of([v for v in (verdict.figure, verdict.than) if math.isfinite(v)], half)
    plain = evened(measure, column, decimals)
    rough = gap_of(measure, column) if gap else plain
    return plain if decimals is not None else rough


def _ends(verdict: Verdict, said: Callable[[float], str], sign: int = 1) -> str:
    """Return where redraws lie, counted in the direction that was claimed; the unit stands once."""
    if not math.isfinite(verdict.low):
        return ""
    low, high = sorted((sign * verdict.low, sign * verdict.high))
    first, last = (f"{MINUS if at < 0 else ''}{said(abs(at))}" for at in (low, high))
    unit = re.search(r"[^\d.,]*$", last)
    if unit and unit[0] and first.endswith(unit[0]):
        first = first.removesuffix(unit[0])
    return f" ({first} to {last})"


def claim_from(text: str, table: Table) -> Claim:
    """Return the claim that was typed.

    Raises
    ------
    BadQuestion
        Where it cannot be read, with an example of how one is written.
    """
    said = " ".join(text.replace("\u00a0", " ").replace("\u2009", " ").split()).rstrip(".!")
    for read in (_stands, _moves, _drives, _repeats, _ahead, _leads, _level, _differs):
        found = read(said, table)
        if found is not None:
            check_fits(found, table)
            return found
    raise BadQuestion(
        f"“{said[:120]}” is not a claim that can be checked", "claim", f"Write it like: {EXAMPLE}."
    )


def _moves(said: str, table: Table) -> Claim | None:
    column, rest = take_column(said, table)
    found = re.match(
        r"(rises|falls|moves) with (.+?)(?:,? (?:with )?(?:a )?correlation (?:of )?at least ([\d.]+))?$",
        rest.strip(),
    )
    if column is None or found is None:
        return None
    other, behind = take_column(found[2], table)
    if other is None or behind.strip():
        return None
    least = real(found[3], "claim") if found[3] else 0.0
    if not 0 <= least <= 1:
        raise BadQuestion("A correlation lies between 0 and 1", "claim", "Write it like 0.3.")
    return Moves(other.name, column.name, found[1] == "falls", least)


def _drives(said: str, table: Table) -> Claim | None:
    column, rest = take_column(said, table)
    found = re.match(r"is among the first (\d{1,2}) (?:columns )?that (.+) goes with$", rest.strip())
    if column is None or found is None:
        return None
    of, behind = take_column(found[2], table)
    if of is None or behind.strip() or not 1 <= int(found[1]) <= 20:
        return None
    return Drives(of.name, column.name, int(found[1]))


def _stands(said: str, table: Table) -> Claim | None:
    found = re.fullmatch(r"[“\"](.+)[”\"] stands? out in (.+?)(?:, in at least ([\d,]+) \S+)?", said)
    if found is None:
        return None
    told = sort_from(found[1])
    if told is None:
        raise BadQuestion(
            f"“{found[1][:80]}” is no sort of what stands out", "claim", "Name it as the picture does."
        )
    least = int(found[3].replace(",", "")) if found[3] else 1
    where, _, within = found[2].partition(" within each ")
    return StandsOut(told[0], told[1], None if where == "the whole table" else where, within or None, least)


def _repeats(said: str, table: Table) -> Claim | None:
    found = re.fullmatch(r"(.+?) over (.+) repeats every (year|week|day)", said)
    if found is None:
        return None
    time, behind = take_column(found[2], table)
    if time is None or behind.strip():
        return None
    return Repeats(measure_from(found[1], table), time.name, found[3])  # type: ignore[arg-type]


def _ahead(said: str, table: Table) -> Claim | None:
    found = re.fullmatch(
        r"(.+?) (?:lies|will lie) between (.+?) and (.+?) (?:once|where|in the time) (.+)", said
    )
    if found is None:
        return None
    measure = measure_from(found[1], table)
    low, high = (_number(found[i], measure, table) for i in (2, 3))
    return Ahead(measure, from_words(found[4], table), low, high)


def _leads(said: str, table: Table) -> Claim | None:
    found = re.fullmatch(r"(.+?) is (highest|lowest) (?:for|in|at) (.+) of all (.+)", said)
    if found is None:
        return None
    across, behind = take_column(found[4], table)
    if across is None or behind.strip():
        return None
    labels = list(table.coded(across.name).labels)
    group = next((label for label in labels if label.casefold() == found[3].strip("“”").casefold()), None)
    if group is None:
        raise BadQuestion(f"{across.name} has no “{found[3]}”", "claim", "Name one of its values.")
    return Leads(measure_from(found[1], table), across.name, group, found[2] == "lowest")


def _level(said: str, table: Table) -> Claim | None:
    started = _measure_then(said, table, r"is at (least|most) ")
    if started is None:
        return None
    measure, found, rest = started
    figure, _, where = rest.partition(" where ")
    of = from_words(where, table) if where else None
    return Level(measure, _number(figure, measure, table), of, found[1] == "most")


def _differs(said: str, table: Table) -> Claim | None:
    started = _measure_then(said, table, r"is (higher|lower) (?:where|when|if) ")
    if started is None:
        return None
    measure, found, rest = started
    least = 0.0
    if by := re.search(r",? by at least (.+)$", rest):
        least, rest = _number(by[1], measure, table), rest[: by.start()]
    # behind the last "than": a condition may say "later than"
    of, than, against = rest.rpartition(" than ")
    if not than:
        of, against = rest, "elsewhere"
    others = None
    if not re.fullmatch(r"elsewhere|else|(?:all )?(?:the )?(?:others?|rest)", against.strip()):
        others = from_words(re.sub(r"^(?:where|when|if) ", "", against.strip()), table)
    return Differs(measure, from_words(of, table), others, found[1] == "lower", least)


def _measure_then(said: str, table: Table, verb: str) -> tuple[Measure, re.Match[str], str] | None:
    """Return the measure a text begins with, the verb behind it, and the rest."""
    for found in re.finditer(rf" {verb}", said):
        try:
            measure = measure_from(said[: found.start()], table)
        except BadQuestion:
            continue
        return measure, found, said[found.end() :]
    at = re.search(rf" {verb}", said)
    if at is not None and leading_measure(said[: at.start()], table) is None:
        column, behind = take_column(said[: at.start()], table)
        if column is not None and not behind.strip():
            raise BadQuestion(
                f"“{column.name}” is a column, not a measure",
                "claim",
                f"Write: the average of {column.name}.",
            )
    return None


def _number(text: str, measure: Measure, table: Table) -> float:
    """Return a typed figure, a share from per cent; its unit may stand behind it."""
    column = _column(measure, table)
    bare = text.strip().replace(",", "").replace(MINUS, "-").removeprefix("+")
    unit = "" if column is None else column.unit
    per_cent = bare.endswith("%")
    bare = bare.removesuffix("%").removesuffix(" percentage points").strip()
    if unit:
        bare = bare.removesuffix(unit).strip()
    at = real(bare, "claim")
    return at / 100 if per_cent and is_share(measure, column) else at


def instead(claim: Claim, verdict: Verdict) -> Claim | None:  # noqa: C901  (one case a claim)
    """Return a claim of the same kind that may hold where this one does not; None where none is near."""
    match claim:
        case Differs(lower=lower, least=least):
            if not math.isfinite(verdict.figure) or not verdict.figure:
                return None
            if (verdict.figure < 0) != lower:
                return replace(claim, lower=not lower, least=0.0)
            if least:
                return replace(claim, least=0.0)
            return None
        case Moves(down=down, least=least):
            if not math.isfinite(verdict.figure) or not verdict.figure:
                return None
            if (verdict.figure < 0) != down:
                return replace(claim, down=not down, least=0.0)
            return replace(claim, least=0.0) if least else None
        case Leads() if verdict.other and verdict.than != verdict.figure:
            return replace(claim, group=verdict.other)
        case Level(below=below) if math.isfinite(verdict.low):
            at = rounded_outwards(verdict.high if below else verdict.low, up=below)
            return replace(claim, at=at) if at != claim.at else None
        case StandsOut(least=least) if 0 < verdict.figure < least:
            return replace(claim, least=1)
        case Drives(first=first) if verdict.than > first and verdict.figure > 0 and verdict.than <= 20:
            return replace(claim, first=int(verdict.than))
        case _:
            return None


def rounded_outwards(at: float, up: bool) -> float:
    """Return a figure with two digits, moved away from what it bounds.

    >>> rounded_outwards(12.37, up=True), rounded_outwards(12.37, up=False)
    (13.0, 12.0)
    """
    return rounded_to(at, 2, up)


def rounded_to(at: float, digits: int, up: bool) -> float:
    """Return a figure with so many digits, moved up or down to them."""
    if not at or not math.isfinite(at):
        return at
    step = 10.0 ** (math.floor(math.log10(abs(at))) - digits + 1)
    return round((math.ceil(at / step) if up else math.floor(at / step)) * step, 12)
