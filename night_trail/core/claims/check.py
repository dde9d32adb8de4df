"""Whether a claim holds on rows, how surely, and on how few of them it rests.

A claim holds where its figure says so and at least 98 of 100 redraws do. Rows
that belong together are drawn together: what is true of one night's trips is
half true of all of them.
"""

from __future__ import annotations

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
from night_trail.core.claims.driving import drives
from night_trail.core.claims.leading import leads
from night_trail.core.claims.moving import moves
from night_trail.core.claims.repeating import repeats
from night_trail.core.claims.sides import ahead, differs, level
from night_trail.core.claims.standing import question_of, stands
from night_trail.core.claims.verdict import Verdict
from night_trail.core.conditions import Condition
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.measures import check_measure
from night_trail.core.questions.stands.answer import check as check_stands
from night_trail.core.rows import Rows
from night_trail.core.table import Kind, Table


def check_fits(claim: Claim, table: Table) -> None:
    """Refuse a claim that this table cannot have.

    Raises
    ------
    BadQuestion
        Where a column is gone or of another kind, naming it.
    """
    for condition in conditions_of(claim):
        check_condition(condition, table)
    match claim:
        case Moves() | Drives():
            _check_columns(claim, table)
        case Leads():
            check_measure(claim.measure, table)
            table.column(claim.across)
        case StandsOut():
            for name in claim.columns:
                table.column(name)
            check_stands(question_of(claim), table)
        case Repeats():
            check_measure(claim.measure, table)
            if not table.column(claim.time).dated:
                raise BadQuestion(f"“{claim.time}” is no time", "claim", "Choose a column of dates.")
        case Differs() | Level() | Ahead():
            check_measure(claim.measure, table)
            if isinstance(claim, Ahead) and claim.low > claim.high:
                raise BadQuestion("The two ends are turned round", "claim", "Swap them.")


def _check_columns(claim: Moves | Drives, table: Table) -> None:
    x, y = (claim.x, claim.y) if isinstance(claim, Moves) else (claim.by, claim.of)
    one, other = table.column(x), table.column(y)
    if x == y:
        raise BadQuestion("A column goes with itself", "claim", "Choose another.")
    able = other.kind.numeric or other.kind == Kind.YES_NO
    numbers = one.kind.measured and other.kind.measured if isinstance(claim, Moves) else able
    if not numbers:
        name = x if isinstance(claim, Moves) and not one.kind.measured else y
        raise BadQuestion(f"“{name}” is no number", "claim", "Claim it of a number.")


def check(claim: Claim, rows: Rows) -> Verdict:
    """Return whether a claim holds on these rows.

    Raises
    ------
    BadQuestion
        Where the table cannot have it.
    """
    check_fits(claim, rows.table)
    return rows.remember(("claim", repr(claim)), lambda: _checked(claim, rows))


def _checked(claim: Claim, rows: Rows) -> Verdict:
    match claim:
        case Differs():
            return differs(claim, rows)
        case Level():
            return level(claim, rows)
        case Leads():
            return leads(claim, rows)
        case Moves():
            return moves(claim, rows)
        case Repeats():
            return repeats(claim, rows)
        case Drives():
            return drives(claim, rows)
        case StandsOut():
            return stands(claim, rows)
        case Ahead():
            return ahead(claim, rows)


def conditions_of(claim: Claim) -> list[Condition]:
    """Return the conditions a claim speaks of; not that of its measure."""
    match claim:
        case Differs(of=of, than=than):
            return [of] if than is None else [of, than]
        case Level(of=of):
            return [] if of is None else [of]
        case Ahead(when=when):
            return [when]
        case _:
            return []
