"""``python -m night_trail.site.serve``: the server with the limits it is meant to have."""

from __future__ import annotations

import argparse
import os
import sys

PROCESSES = 2
THREADS = 12
"""Threads a process has: some may wait for slow bodies while others answer (see ``site.bodies``)."""


def command(host: str, port: int) -> list[str]:
    """Return the command that runs the server."""
    return [
        *(sys.executable, "-m", "granian", "--interface", "wsgi", "--http", "1", "--no-ws"),
        *("--host", host, "--port", str(port)),
        *("--workers", str(PROCESSES), "--blocking-threads", str(THREADS)),
        # what waits beyond this is refused by the system, not piled up here
        *("--backlog", "256", "--backpressure", "64"),
        *("--http1-header-read-timeout", "10000"),
        *("--respawn-failed-workers", "--workers-kill-timeout", "30"),
        *("--log-level", "error"),
        "night_trail.site.wsgi:application",
    ]


def main() -> None:
    """Become the server."""
    parser = argparse.ArgumentParser(description="Serve Night Trail.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    options = parser.parse_args()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")
    os.execv(sys.executable, command(options.host, options.port))  # noqa: S606  (this very program)


if __name__ == "__main__":
    main()
