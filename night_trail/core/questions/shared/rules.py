"""Marking figures above or below one: said, read and offered."""

from __future__ import annotations

import re
from typing import Any, cast

from night_trail.core.hand import real
from night_trail.core.language.numbers import number
from night_trail.core.question import decode, to_json
from night_trail.core.questions.compare.question import Rule
from night_trail.core.questions.shared.offers import Offer

_READS = re.compile(r"(?:marking )?(?:what is )?(above|below) (all together|[-−\d.,]+)", re.IGNORECASE)


def rule_words(rule: Rule) -> str:
    """Return which figures a rule marks.

    >>> rule_words(Rule("above", 5.0)), rule_words(Rule("below"))
    ('above 5', 'below all together')
    """
    return f"{rule.side} {'all together' if rule.at is None else number(rule.at, 6)}"


def read_rule(text: str) -> tuple[Rule, str] | None:
    """Return the rule that words begin with, and what follows; None where they begin with none."""
    found = _READS.match(text)
    if found is None:
        return None
    at = None if found[2].lower() == "all together" else real(found[2].rstrip(".,"), "rule")
    return Rule(cast(Any, found[1].lower()), at), text[found.end() :]


def changed_rule(value: Any) -> tuple[Rule | None, str]:
    """Return the rule a choice stands for, None for none, and the change in a few words."""
    rule = decode(value, Rule, "rule") if value else None
    return rule, f"marking {rule_words(rule)}" if rule else "nothing marked"


def rule_offers(present: Rule | None) -> list[Offer]:
    """Return the choices of a slot that marks figures."""
    made = [Rule("above"), Rule("below")]
    if present is not None and present not in made:
        made.append(present)
    return [
        Offer("nothing marked", None, present is None),
        *(Offer(f"marking what is {rule_words(r)}", to_json(r), r == present) for r in made),
    ]
