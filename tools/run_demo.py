"""Run the demo: the worker and the production server, on this machine only, until Ctrl-C.

Started by ``make demo``, which has installed and prepared everything before. A part
that ends is started again, after a pause that grows while it keeps ending.
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
from pathlib import Path

HOST = "127.0.0.1"
PORT = int(os.environ.get("PORT", "8000"))
VAR = Path(os.environ.get("NIGHT_TRAIL_VAR") or Path(__file__).resolve().parents[1] / "var")
SAY_EVERY = 5.0
LONGEST_PAUSE = 30.0
STEADY = 60.0
"""A part that lived so many seconds is started again at once."""
TRIES = 3
"""A part that never came up is given up after so many tries, so that its message is the last thing said."""


class Part:
    """A process that is kept running."""

    def __init__(self, name: str, command: list[str], environment: dict[str, str]) -> None:
        self.name, self.command, self.environment = name, command, environment
        self.pause, self.again_at, self.ends = 0.5, 0.0, 0
        self._start()

    def _start(self) -> None:
        self.began = time.monotonic()
        # a session of its own, so that Ctrl-C reaches it once and through us
        self.process: subprocess.Popen[bytes] | None = subprocess.Popen(
            self.command, env=self.environment, start_new_session=True
        )

    def keep(self) -> None:
        """Start the part again where it ended and its pause is over."""
        if self.process is None:
            if time.monotonic() >= self.again_at:
                self._start()
        elif (status := self.process.poll()) is not None:
            _signal(self.process, signal.SIGKILL)  # what it started must not hold its port
            lived = time.monotonic() - self.began
            self.pause = 0.5 if lived >= STEADY else min(LONGEST_PAUSE, self.pause * 2)
            self.ends = 0 if lived >= STEADY else self.ends + 1
            self.again_at, self.process = time.monotonic() + self.pause, None
            print(f"The {self.name} ended ({status}); it starts again in {self.pause:g} s.", flush=True)

    def stop(self) -> None:
        """End the part, kindly and then not."""
        if self.process is None:
            return
        _signal(self.process, signal.SIGTERM)
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(timeout=6)
        _signal(self.process, signal.SIGKILL)


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
        "OMP_WAIT_POLICY": "PASSIVE",
    }
    server = [sys.executable, "-m", "night_trail.site.serve", "--host", HOST, "--port", str(PORT)]
    parts = [
        Part("worker", [sys.executable, "manage.py", "work"], environment),
        Part("server", server, environment),
    ]
    stopping = False

    def stop(*_: object) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGINT, stop)
    signal.signal(signal.SIGTERM, stop)
    up = _answers(parts, lambda: stopping)
    if up:
        print("\nNight Trail is running. Open this address, it lets you in once:")
        print(f"\n  http://{HOST}:{PORT}/enter/{key}/")
        if (password := VAR / "demo_password").is_file():
            print(f"\nLater, sign in as analyst with the password {password.read_text().strip()}")
        print("\nCtrl-C stops it.", flush=True)
    while up and not stopping:
        for part in parts:
            part.keep()
        time.sleep(0.2)
    for part in parts:
        part.stop()
    return 0 if stopping else 1


def _answers(parts: list[Part], stopping: Callable[[], bool]) -> bool:
    """Wait until the server answers, however slow the machine, as long as its parts can be started."""
    began, said = time.monotonic(), 0.0
    while not stopping() and all(part.ends < TRIES for part in parts):
        for part in parts:
            part.keep()
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
