"""Work done at once gives what it gives one after the other, and never waits for itself."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from night_trail.core import abreast
from night_trail.core.conditions import Between
from night_trail.core.questions.registry import answer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.rows import Rows
from tests.core.tables import table_of


def test_two_threads_work_and_small_work_stays_here() -> None:
    here = threading.get_ident()
    assert abreast.abreast(10, threading.get_ident, threading.get_ident) == (here, here)
    meet = threading.Barrier(2, timeout=10)  # passed only where both run at once
    first, second = abreast.abreast(abreast.MANY, lambda: meet.wait() >= 0, lambda: meet.wait() >= 0)
    assert first and second


def test_work_within_work_ends_though_all_threads_are_busy() -> None:
    def deep(levels: int) -> int:
        if not levels:
            return 1
        return sum(abreast.abreast(abreast.MANY, lambda: deep(levels - 1), lambda: deep(levels - 1)))

    found: list[int] = []
    callers = [threading.Thread(target=lambda: found.append(deep(5)), daemon=True) for _ in range(6)]
    for one in callers:
        one.start()
    for one in callers:
        one.join(timeout=20)
    assert found == [32] * 6


@pytest.mark.parametrize("which", [0, 1])
def test_what_goes_wrong_on_either_thread_is_said(which: int) -> None:
    def wrong() -> int:
        raise ArithmeticError("no")

    works = [lambda: 1, lambda: 1]
    works[which] = wrong
    with pytest.raises(ArithmeticError):
        abreast.abreast(abreast.MANY, works[0], works[1])


def test_points_are_placed_alike_on_one_thread_and_on_two(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(3)
    x = rng.gamma(2, 3, 5_000)
    table = table_of(x=[None if i % 50 == 0 else v for i, v in enumerate(x)], y=x + rng.normal(0, 1, 5_000))
    question, lit = Relate("y", "x"), Between("x", 2.0, 5.0)
    alone = answer(question, Rows(table, lit=lit))
    monkeypatch.setattr(abreast, "MANY", 0)
    together = answer(question, Rows(table, lit=lit))
    assert alone.panels[0].cells == together.panels[0].cells and alone.correlation == together.correlation
    assert alone.panels[0].points.row.tolist() == together.panels[0].points.row.tolist()


def test_two_at_once_come_in_order_and_what_nobody_takes_any_more_is_left() -> None:
    assert list(abreast.two_at_once(10, str, range(3))) == ["0", "1", "2"]
    assert list(abreast.two_at_once(abreast.MANY, str, range(9))) == [str(k) for k in range(9)]
    began: list[int] = []
    go_on = threading.Event()

    def make(k: int) -> int:
        began.append(k)
        assert k == 0 or go_on.wait(10)
        return k

    made = abreast.two_at_once(abreast.MANY, make, range(50))
    assert next(made) == 0
    threading.Timer(0.1, go_on.set).start()
    made.close()
    assert len(began) <= 4


def test_two_at_once_say_what_went_wrong() -> None:
    with pytest.raises(ZeroDivisionError):
        list(abreast.two_at_once(abreast.MANY, lambda k: 1 // k, [1, 0, 2]))
