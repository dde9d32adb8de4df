"""Run the demo: the worker and the production server, on this machine only, until Ctrl-C.

Started by ``make demo``, which has installed and prepared everything before.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable

HOST = "127.0.0.1"
PORT = int(os.environ.get("PORT", "8000"))
SAY_EVERY = 5.0


def main() -> int:
    with socket.socket() as probe:
        if probe.connect_ex((HOST, PORT)) == 0:
            print(f"Port {PORT} is taken. Choose another: PORT={PORT + 1} make demo", file=sys.stderr)
            return 2
    key = secrets.token_urlsafe(16)
    environment = os.environ | {
        "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.demo",
        "NIGHT_TRAIL_DEMO_KEY": key,
        "OPENBLAS_NUM_THREADS": "1",
    }
    commands = [
        [sys.executable, "manage.py", "work"],
        [
            *(sys.executable, "-m", "granian", "--interface", "wsgi", "--host", HOST, "--port", str(PORT)),
            *(
                "--workers",
                "2",
                "--blocking-threads",
                "4",
                "--respawn-failed-workers",
                "--log-level",
                "warning",
            ),
            "night_trail.site.wsgi:application",
        ],
    ]
    # a session of their own, so that Ctrl-C reaches them once and through us
    running = [subprocess.Popen(c, env=environment, start_new_session=True) for c in commands]
    stopping = False

    def stop(*_: object) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGINT, stop)
    signal.signal(signal.SIGTERM, stop)
    address = f"http://{HOST}:{PORT}/enter/{key}/"
    if _answers(running, lambda: stopping):
        print("\nNight Trail is running. Open this address, it signs you in:")
        print(f"\n  {address}\n\nCtrl-C stops it.", flush=True)
    while not stopping and all(process.poll() is None for process in running):
        time.sleep(0.2)
    for process in running:
        _signal(process, signal.SIGTERM)
    for process in running:
        try:
            process.wait(timeout=6)
        except subprocess.TimeoutExpired:
            _signal(process, signal.SIGKILL)
    return 0 if stopping else 1


def _answers(running: list[subprocess.Popen[bytes]], stopping: Callable[[], bool]) -> bool:
    """Wait until the server answers, as long as its processes live: a slow or busy machine takes its time."""
    began, said = time.monotonic(), 0.0
    while not stopping() and all(process.poll() is None for process in running):
        try:
            urllib.request.urlopen(f"http://{HOST}:{PORT}/sign-in/", timeout=10)
            return True
        except OSError:
            waited = time.monotonic() - began
            if waited >= said + SAY_EVERY:
                said = waited
                print(f"Waiting for the server to answer on port {PORT}, {waited:.0f} s so far …", flush=True)
            time.sleep(0.2)
    if not stopping():
        print("The server ended before it answered; what it said stands above.", file=sys.stderr, flush=True)
    return False


def _signal(process: subprocess.Popen[bytes], number: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, number)


if __name__ == "__main__":
    sys.exit(main())
