"""A Spark of one's own for tests and measurements: one process, where Java and its jars are at hand."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
HOME = ROOT / ".venv" / "spark"
COMING = HOME / "coming"
"""There while `make test` fetches the jars beside the tests."""

OPENED = (
    "lang",
    "lang.invoke",
    "lang.reflect",
    "io",
    "net",
    "nio",
    "util",
    "util.concurrent",
    "util.concurrent.atomic",
)
SERVER = "org.apache.spark.sql.connect.service.SparkConnectServer"


class NoSpark(Exception):
    """Something that Spark needs is not here."""


def _jars(patience: float = 240) -> Path | None:
    until = time.monotonic() + patience
    while COMING.exists() and time.monotonic() < until:
        time.sleep(1)
    found = HOME / "jars"
    return found if found.is_dir() and not COMING.exists() else None


@contextlib.contextmanager
def running(workers: int = 1, briefly: bool = True) -> Iterator[str]:
    """A server of Spark with so many workers, as sc://host:port; one that runs ``briefly`` compiles little.

    Raises
    ------
    NoSpark
        Where there can be none.
    """
    java = shutil.which("java")
    if java is None:
        raise NoSpark("Java is not installed here, which Spark needs")
    jars = _jars()
    if jars is None:
        raise NoSpark("the jars of Spark are not here: `make spark-ready` fetches them")
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    folder = Path(tempfile.mkdtemp(prefix="nt-spark-"))
    said = {
        "spark.connect.grpc.binding.port": port,
        "spark.connect.grpc.binding.address": "127.0.0.1",
        "spark.driver.bindAddress": "127.0.0.1",
        "spark.ui.enabled": "false",
        "spark.sql.warehouse.dir": folder / "tables",
        "spark.sql.shuffle.partitions": workers,
        "spark.default.parallelism": workers,
    }
    command = [
        java,
        *("-Xmx1g", *(("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC") if briefly else ())),
        *(f"--add-opens=java.base/java.{name}=ALL-UNNAMED" for name in OPENED),
        *(
            "--add-opens=java.base/sun.nio.ch=ALL-UNNAMED",
            "--add-opens=java.base/sun.util.calendar=ALL-UNNAMED",
        ),
        "-Djdk.reflect.useDirectMethodHandle=false",
        *("-cp", f"{jars}/*", "org.apache.spark.deploy.SparkSubmit", "--class", SERVER),
        *("--master", f"local[{workers}]"),
        *(part for name, value in said.items() for part in ("--conf", f"{name}={value}")),
        "spark-internal",
    ]
    log = (folder / "log").open("w")
    process = subprocess.Popen(
        command,
        cwd=folder,
        stdout=log,
        stderr=log,
        start_new_session=True,
        env=os.environ | {"SPARK_LOCAL_IP": "127.0.0.1"},
    )
    try:
        for _ in range(600):
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
                break
            assert process.poll() is None, (folder / "log").read_text()[-2_000:]
            time.sleep(0.1)
        yield f"sc://127.0.0.1:{port}"
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait(timeout=20)
        log.close()
        shutil.rmtree(folder, ignore_errors=True)


@contextlib.contextmanager
def session(server: str) -> Iterator[Any]:
    """A session of a server, to make tables by; one that is not ended would wait for its server at exit."""
    from pyspark.sql import SparkSession

    made = SparkSession.builder.remote(server).create()
    made.client.disable_reattachable_execute()
    try:
        yield made
    finally:
        made.stop()


@contextlib.contextmanager
def through_a_door(server: str) -> Iterator[tuple[str, Callable[[], None]]]:
    """The same server at another address, and what shuts it for good, in the middle of a word."""
    host, _, port = server.rpartition("/")[2].partition(":")
    listening = socket.create_server(("127.0.0.1", 0))
    held: list[socket.socket] = [listening]

    def pass_on(one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while words := one.recv(65_536):
                other.sendall(words)

    def let_in() -> None:
        with contextlib.suppress(OSError):
            while True:
                inner = listening.accept()[0]
                outer = socket.create_connection((host, int(port)))
                held.extend((inner, outer))
                for pair in ((inner, outer), (outer, inner)):
                    threading.Thread(target=pass_on, args=pair, daemon=True).start()

    def shut() -> None:
        for one in held:
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()

    threading.Thread(target=let_in, daemon=True).start()
    yield f"sc://127.0.0.1:{listening.getsockname()[1]}", shut
    shut()
