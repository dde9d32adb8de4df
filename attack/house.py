"""A Night Trail to attack: the demo, in a folder of its own, with its supervisor."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from attack.person import Person

ROOT = Path(__file__).resolve().parents[1]


class House:
    """A running demo: its folder, its port, its processes."""

    def __init__(self, folder: Path, **settings: str) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])
        self.folder, self.settings = folder, settings
        self.log = folder.parent / f"{folder.name}.log"
        self.environment = os.environ | {
            "NIGHT_TRAIL_VAR": str(folder),
            "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.demo",
            "PORT": str(self.port),
            **settings,
        }

    def manage(self, *command: str) -> None:
        """Run a command of the application's own."""
        subprocess.run(
            [sys.executable, "manage.py", *command],
            cwd=ROOT,
            env=self.environment,
            check=True,
            stdout=subprocess.DEVNULL,
        )

    def open(self) -> None:
        """Prepare and start everything, and wait until it answers."""
        for command in ("migrate --verbosity 0", "collectstatic --noinput --verbosity 0", "prepare_demo"):
            self.manage(*command.split())
        with self.log.open("w") as log:
            self.supervisor = subprocess.Popen(
                [sys.executable, "tools/run_demo.py"], cwd=ROOT, env=self.environment, stdout=log, stderr=log
            )
        until = time.monotonic() + 120
        while "Ctrl-C" not in self.log.read_text():
            if time.monotonic() > until or self.supervisor.poll() is not None:
                raise SystemExit(f"It did not start:\n{self.log.read_text()}")
            time.sleep(0.3)

    def close(self) -> None:
        """Stop everything."""
        self.supervisor.send_signal(signal.SIGINT)
        self.supervisor.wait(timeout=30)

    def analyst(self) -> Person:
        """Return somebody who is signed in as the demo's analyst."""
        return Person(self.port).sign_in("analyst", (self.folder / "demo_password").read_text().strip())

    def processes(self, kind: str) -> list[int]:
        """Return the processes of a kind: ``server``, ``worker`` or ``reader``."""
        wanted = {
            "server": "granian",
            "worker": "manage.py\x00work",
            "reader": "reading.aside",
        }[kind]
        found = []
        for entry in Path("/proc").iterdir():
            if not entry.name.isdigit():
                continue
            with contextlib.suppress(OSError):
                line = (entry / "cmdline").read_bytes().decode(errors="replace")
                home = (entry / "environ").read_bytes().decode(errors="replace")
                if wanted in line and f"NIGHT_TRAIL_VAR={self.folder}\x00" in home + "\x00":
                    found.append(int(entry.name))
        return sorted(found)

    def complaints(self) -> int:
        """Return how many tracebacks the processes have written."""
        return len(re.findall(r"^Traceback", self.log.read_text(errors="replace"), re.MULTILINE))


@contextlib.contextmanager
def running(folder: Path, **settings: str) -> Iterator[House]:
    """Run a house for as long as it is attacked."""
    house = House(folder, **settings)
    house.open()
    try:
        yield house
    finally:
        house.close()
