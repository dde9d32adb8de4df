"""Engines that hold attached rows, opened to read only; what they are asked ends when nobody waits."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor, wait
from functools import partial
from pathlib import Path
from typing import Any

import polars as pl
from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.servers import away, database_of, reached
from night_trail.tables.attached.where import Where, parts_of
from night_trail.tables.models import Database

LOOKED = 0.5
"""Seconds between two looks whether somebody still waits; an answer that comes is taken at once."""


class Stopped(NightTrailError):
    """Nobody waits for what an engine was asked any more."""


class Engine:
    """An engine with the rows it was opened for, as an expression."""

    def __init__(self, hand: ThreadPoolExecutor, connection: Any, rows: Any, where: Where) -> None:
        self._hand, self._connection, self.rows, self._where = hand, connection, rows, where

    def run(self, expression: Any, waits: Callable[[], bool] = lambda: True) -> pl.DataFrame:
        """Return what an expression gives; it is broken off when nobody ``waits``, or after the time allowed.

        Raises
        ------
        Stopped
            Where nobody waits any more.
        NightTrailError
            Where the engine fails, or takes longer than is allowed.
        """
        found = self._asked(lambda: self._connection.to_pyarrow(expression), waits)
        frame = pl.from_arrow(found)
        assert isinstance(frame, pl.DataFrame)  # noqa: S101  (a table was asked for)
        return frame

    def write(self, expression: Any, path: Path, waits: Callable[[], bool] = lambda: True) -> None:
        """Write what an expression gives to a Parquet file."""
        self._asked(lambda: self._connection.to_parquet(expression, path), waits)

    def _asked(self, ask: Callable[[], Any], waits: Callable[[], bool]) -> Any:
        until = time.monotonic() + settings.ATTACH_SECONDS
        answer = self._hand.submit(ask)
        while not answer.done():
            wait([answer], LOOKED)
            if answer.done():
                break
            try:
                if time.monotonic() > until:
                    raise self._late()
                if not waits():
                    raise Stopped("It was stopped", self._where.words)
            except BaseException:
                self._break_off(answer)
                raise
        if (error := answer.exception()) is not None:
            raise _said(error, self._where) from None
        return answer.result()

    def _late(self) -> NightTrailError:
        return NightTrailError(
            f"The engine took longer than the {settings.ATTACH_SECONDS:,} s that are allowed",
            self._where.words,
            "Keep only a part of the rows.",
        )

    def _break_off(self, answer: Future[Any]) -> None:
        # what is asked between two pieces of an answer meets an idle engine, and is not heard
        while not answer.done():
            with contextlib.suppress(Exception):
                held = self._connection.con
                (held.cancel if hasattr(held, "cancel") else held.interrupt)()
            wait([answer], LOOKED)


@contextlib.contextmanager
def opened(where: Where) -> Iterator[Engine]:
    """Open the engine that holds rows, to read them only."""
    if where.server:
        door: Callable[[], tuple[Any, Any]] = partial(_served, database_of(where), where)
    else:
        form, parts = parts_of(where)
        door = partial(_DOORS[form], parts, where)
    # some engines want to be asked by the one thread that opened them
    with ThreadPoolExecutor(1, thread_name_prefix="engine") as hand:
        try:
            connection, rows = hand.submit(door).result()
        except NightTrailError:
            raise
        except Exception as error:
            raise _said(error, where) from None
        try:
            yield Engine(hand, connection, rows, where)
        finally:
            hand.submit(connection.disconnect)


def _said(error: BaseException, where: Where) -> NightTrailError:
    reason = (str(error).splitlines() or [""])[0].strip()[:160] or type(error).__name__
    return NightTrailError(
        f"The engine could not read it ({reason.rstrip('.')})", where.words, "Look at what there is."
    )


def _duckdb(path: str | None = None) -> Any:
    import ibis  # noqa: PLC0415  (slow import)

    spilled = settings.VAR / "spilled"
    spilled.mkdir(parents=True, exist_ok=True)
    kept = {} if path is None else {"database": path, "read_only": True}
    return ibis.duckdb.connect(
        **kept,
        memory_limit=f"{settings.ATTACH_MEMORY // 1_000_000}MB",
        temp_directory=str(spilled),
        autoinstall_known_extensions=False,
        autoload_known_extensions=False,
    )


def _parquet(parts: list[Path], where: Where) -> tuple[Any, Any]:
    connection = _duckdb()
    return connection, connection.read_parquet([str(p) for p in parts], union_by_name=len(parts) > 1)


def _csv(parts: list[Path], where: Where) -> tuple[Any, Any]:
    connection = _duckdb()
    return connection, connection.read_csv([str(p) for p in parts], union_by_name=len(parts) > 1)


def _arrow(parts: list[Path], where: Where) -> tuple[Any, Any]:
    import pyarrow.dataset as ds  # noqa: PLC0415  (slow import)

    connection = _duckdb()
    found = ds.dataset([str(p) for p in parts], format="ipc")
    connection.con.register("attached", found)
    return connection, connection.table("attached")


def _table(connection: Any, where: Where) -> Any:
    if where.table not in connection.list_tables():
        raise NightTrailError(f"There is no table “{where.table}”", where.words, "Look at what there is.")
    return connection.table(where.table)


def _database(parts: list[Path], where: Where) -> tuple[Any, Any]:
    connection = _duckdb(str(parts[0]))
    return connection, _table(connection, where)


def _sqlite(parts: list[Path], where: Where) -> tuple[Any, Any]:
    import ibis  # noqa: PLC0415  (slow import)

    connection = ibis.sqlite.connect(str(parts[0]))
    connection.con.execute("PRAGMA query_only = ON")
    return connection, _table(connection, where)


def _served(kept: Database, where: Where) -> tuple[Any, Any]:
    import ibis  # noqa: PLC0415  (slow import)

    how = reached(kept, settings.ATTACH_SECONDS)
    try:
        connection = ibis.postgres.connect(database=kept.database, **how)
    except Exception as error:
        raise away(error, kept) from None
    if where.table not in connection.list_tables(database=where.path):
        raise NightTrailError("This table is not there any more", where.words, "Look at what there is.")
    return connection, _bearable(connection, connection.table(where.table, database=where.path), where)


NO_CELLS = ("uuid", "inet", "macaddr", "geospatial", "unknown")
"""Types of a database that no table has."""

MONEY = """
SELECT column_name FROM information_schema.columns
WHERE table_schema = %s AND table_name = %s AND data_type = 'money'
"""


def _bearable(connection: Any, rows: Any, where: Where) -> Any:
    """Return the rows of a database with each column as something that can be brought.

    Exact decimals are numbers like others, moments beyond the calendar are missing, and what no table
    has, as addresses and points, is text.
    """
    import ibis  # noqa: PLC0415  (slow import)

    with connection.con.cursor() as cursor:
        money = {name for (name,) in cursor.execute(MONEY, [where.path, where.table]).fetchall()}
    first, last = (ibis.timestamp(end) for end in ("0001-01-01 00:00:00", "9999-12-31 23:59:59.999999"))
    told = {}
    for name, kind in rows.schema().items():
        cell = rows[name]
        if name in money or any(getattr(kind, f"is_{one}")() for one in NO_CELLS):
            told[name] = cell.cast("string")
        elif kind.is_decimal():
            told[name] = cell.cast("float64")
        elif kind.is_timestamp() or kind.is_date():
            ends = (first, last) if kind.is_timestamp() else (first.date(), last.date())
            told[name] = ibis.ifelse(cell.between(*ends), cell, ibis.null(kind))
    return rows.mutate(**told)


_DOORS: dict[str, Callable[[list[Path], Where], tuple[Any, Any]]] = {
    "Parquet": _parquet,
    "CSV": _csv,
    "Arrow": _arrow,
    "DuckDB": _database,
    "SQLite": _sqlite,
}
