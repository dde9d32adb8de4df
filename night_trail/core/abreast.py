"""Two pieces of work at once: numpy lets go of the interpreter while it sorts, compares and gathers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

MANY = 200_000
"""Rows from which on handing work to another thread is worth its while."""

A = TypeVar("A")
B = TypeVar("B")

_beside = ThreadPoolExecutor(2, thread_name_prefix="abreast")


def abreast(rows: int, here: Callable[[], A], there: Callable[[], B]) -> tuple[A, B]:
    """Return what two pieces of work over so many rows make, done at once where there are many.

    Work done ``there`` runs on another thread: it takes arrays along and asks
    for no columns, which may have to come from the database. Where all threads
    are busy it is done here, so that work within work never waits for itself.
    """
    if rows < MANY:
        return here(), there()
    other = _beside.submit(there)
    try:
        first = here()
    except BaseException:
        other.cancel()
        raise
    return first, there() if other.cancel() else other.result()


def two_at_once(rows: int, make: Callable[[A], B], each: Iterable[A]) -> Iterator[B]:
    """Yield what is made of each, in order; two at a time where it is work over so many rows.

    As work ``there``, none of it asks for columns. Where nobody takes any more, what was not begun is left.
    """
    if rows < MANY:
        yield from map(make, each)
        return
    with ThreadPoolExecutor(2, thread_name_prefix="two at once") as pool:
        yield from pool.map(make, each)
