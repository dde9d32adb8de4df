"""Spark, reached by its connect server: tables and views of a catalogue, in a session of one's own."""

from __future__ import annotations

import os
import socket
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlsplit

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.engine import Engine
from night_trail.tables.attached.reaching import MOST_TABLES, PATIENCE, SPARK, away, secret_of
from night_trail.tables.attached.where import Found, Where
from night_trail.tables.models import Database

CATALOGUE, PORT = "spark_catalog", 15002
"""Where tables are that nothing else is said of, and the port the protocol goes by."""

KINDS = {
    *("boolean", "byte", "short", "integer", "long", "float", "double", "string"),
    *("date", "timestamp", "timestamp_ntz"),
}
"""Kinds of columns that are brought as they are."""


class Spark(Engine):
    """A session of Spark: it brings by columns, and breaks off all that it was asked."""

    def _brought(self, expression: Any) -> Any:
        return self._session.sql(self._connection.compile(expression)).toArrow()

    def _written(self, expression: Any, path: Path) -> None:
        import pyarrow.parquet as pq  # noqa: PLC0415  (slow import)

        # its own way of writing writes where the server is
        pq.write_table(self._brought(expression), path)

    def _interrupt(self) -> None:
        self._session.interruptAll()

    @property
    def _session(self) -> Any:
        return self._connection._session


def tables_of(kept: Database) -> list[Found]:
    """Return the tables and views of a catalogue, of all its databases.

    Raises
    ------
    NightTrailError
        Where it does not answer.
    """
    session = _session(kept)
    found: list[Found] = []
    try:
        catalogue = _named(kept.database)
        for schema in session.sql(f"SHOW DATABASES IN {catalogue}").toArrow()[0].to_pylist():
            shown = session.sql(f"SHOW TABLES IN {catalogue}.{_named(schema)}").toArrow().to_pylist()
            # what a session made for itself is of no database
            names = [row["tableName"] for row in shown if not row["isTemporary"]]
            found += [
                Found(Where(kept.name, schema, name, kept.pk or 0), "a table or a view") for name in names
            ]
            if len(found) >= MOST_TABLES:
                break
    except Exception as error:
        raise away(error, kept) from None
    finally:
        session.stop()
    return found[:MOST_TABLES]


def rows_in(kept: Database, where: Where) -> tuple[Any, Any]:
    """Return a session, and a table of it as an expression."""
    import ibis  # noqa: PLC0415  (slow import)
    from pyspark.errors import AnalysisException  # noqa: PLC0415  (slow import)

    session = _session(kept)
    named = ".".join(map(_named, (kept.database, where.path, where.table)))
    try:
        told = ", ".join(map(_bearable, session.table(named).schema.fields))
        connection = ibis.pyspark.connect(session)
        return connection, connection.sql(f"SELECT {told} FROM {named}")  # noqa: S608  (all names are quoted)
    except AnalysisException:
        session.stop()
        raise NightTrailError(
            "This table is not there any more", where.words, "Look at what there is."
        ) from None
    except Exception as error:
        session.stop()
        raise away(error, kept) from None


def _session(kept: Database) -> Any:
    from pyspark.sql import SparkSession  # noqa: PLC0415  (slow import)
    from pyspark.sql.connect.client.retries import DefaultPolicy  # noqa: PLC0415  (slow import)

    # what its channel has to say goes to no log
    os.environ.setdefault("GRPC_VERBOSITY", "NONE")
    secret = secret_of(kept)
    server = urlsplit(kept.server)
    try:
        # its own client would try for ten minutes
        socket.create_connection((server.hostname or "", server.port or PORT), PATIENCE).close()
        said = {"user_id": kept.user, "token": secret}
        own = server.path.strip("/;")
        given = [own, *(f"{name}={quote(value, safe='')}" for name, value in said.items() if value)]
        address = f"{SPARK}{server.netloc}/;{';'.join(filter(None, given))}"
        session = SparkSession.builder.remote(address).create()
        session.client.set_retry_policies([DefaultPolicy(max_retries=3, max_backoff=1_000)])
        # sessions share what takes up broken answers, and lock each other out where one is collected
        session.client.disable_reattachable_execute()
        session.conf.set("spark.sql.session.timeZone", "UTC")
    except Exception as error:
        raise away(error, kept) from None
    return session


def _named(name: str) -> str:
    return "`" + name.replace("`", "``") + "`"


def _bearable(field: Any) -> str:
    """Return a column as something that can be brought: what no table has, as lists and spans, is text."""
    name, kind = _named(field.name), field.dataType.typeName()
    if kind.startswith("decimal"):
        return f"CAST({name} AS DOUBLE) AS {name}"
    return name if kind in KINDS else f"CAST({name} AS STRING) AS {name}"
