"""Shared by all tests: a small part of the demo's trips, as a file and as a table."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling
from xdist.workermanage import WorkerController

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

from hypothesis import HealthCheck, settings

from night_trail.core.reading import load
from night_trail.core.table import Table
from night_trail.demo.night_buses import write_csv

settings.register_profile(
    "house", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=30
)
settings.load_profile("house")


class _ByFile(LoadScopeScheduling):
    """Keeps files together; one process drives the browser, and is helped when all else is done.

    Two browsers beside each other starve each other on two cores.
    """

    def _split_scope(self, nodeid: str) -> str:
        return nodeid.split("::", 1)[0]

    def _assign_work_unit(self, node: WorkerController) -> None:
        drives = node is self.nodes[0]
        wanted = [path for path in self.workqueue if path.startswith("tests/browser/") == drives]
        if wanted:
            self.workqueue.move_to_end(wanted[0], last=False)
        super()._assign_work_unit(node)


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> LoadScopeScheduling:
    """Hand out the tests by file."""
    return _ByFile(config, log)


@pytest.fixture(scope="session")
def buses_csv(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """All trips of the demo."""
    path = tmp_path_factory.mktemp("data") / "night_buses.csv"
    write_csv(path)
    return path


@pytest.fixture(scope="session")
def few_buses_csv(buses_csv: Path) -> Path:
    """Every twentieth trip, for tests that need a table but not a large one."""
    lines = buses_csv.read_text().splitlines(keepends=True)
    path = buses_csv.parent / "few_buses.csv"
    path.write_text("".join([lines[0], *lines[1::20]]))
    return path


@pytest.fixture(scope="session")
def buses(buses_csv: Path) -> Table:
    return load(buses_csv)[0]
