"""Engines that hold attached rows, opened to read only."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached import postgres, spark
from night_trail.tables.attached.engine import Engine, said
from night_trail.tables.attached.reaching import is_spark
from night_trail.tables.attached.servers import database_of
from night_trail.tables.attached.where import Where, parts_of


@contextlib.contextmanager
def opened(where: Where) -> Iterator[Engine]:
    """Open the engine that holds rows, to read them only."""
    kind = Engine
    if where.server:
        kept = database_of(where)
        of_spark = is_spark(kept.server)
        kind = spark.Spark if of_spark else Engine
        door: Callable[[], tuple[Any, Any]] = partial((spark if of_spark else postgres).rows_in, kept, where)
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
            raise said(error, where) from None
        try:
            yield kind(hand, connection, rows, where)
        finally:
            hand.submit(connection.disconnect)


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


_DOORS: dict[str, Callable[[list[Path], Where], tuple[Any, Any]]] = {
    "Parquet": _parquet,
    "CSV": _csv,
    "Arrow": _arrow,
    "DuckDB": _database,
    "SQLite": _sqlite,
}
