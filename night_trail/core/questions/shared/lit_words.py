"""Where lit rows lie, in words that hold for one place, for many, and where none has the most."""

from __future__ import annotations

from collections.abc import Sequence

from night_trail.core.language.spans import Span, spans


def where_lit(lit: int, places: Sequence[tuple[str, int]], plural: str, at: str = "in") -> tuple[Span, ...]:
    """Return a sentence on where the lit rows lie.

    Parameters
    ----------
    lit
        How many rows are lit.
    places
        What the places are called, and how many lit rows each has; together
        fewer than ``lit`` where some lie in none.
    plural
        What the places are, for where several have the most.
    at
        The preposition they go with.

    >>> from night_trail.core.language.spans import plain
    >>> plain(where_lit(3, [("a", 3), ("b", 0)], "groups")).strip()
    'All 3 lit rows are in a.'
    >>> plain(where_lit(3, [("a", 1), ("b", 2)], "groups")).strip()
    'Of the 3 lit rows the most are in b: 2.'
    >>> plain(where_lit(4, [("a", 2), ("b", 2)], "groups")).strip()
    'The 4 lit rows lie in 2 groups, at most 2 in one.'
    """
    has = [(name, n) for name, n in places if n]
    if not has:
        return (Span(" None of the lit rows is among them."),)
    total, most = Span(f"{lit:,}", "lit"), max(n for _, n in has)
    first = [name for name, n in has if n == most]
    if len(has) == 1 and most == lit:
        are = "The {total} lit row is" if lit == 1 else "All {total} lit rows are"
        return spans(f" {are} {at} {{name}}.", total=total, name=first[0])
    count = Span(f"{most:,}", "lit")
    if len(first) == 1:
        text = f" Of the {{total}} lit rows the most are {at} {{name}}: {{n}}."
        return spans(text, total=total, name=first[0], n=count)
    return spans(
        f" The {{total}} lit rows lie in {len(has):,} {plural}, at most {{n}} in one.", total=total, n=count
    )
