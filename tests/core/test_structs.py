"""What several threads decode at once when a process has just started."""

from __future__ import annotations

import subprocess
import sys

import pytest

FIRST = """
import sys, threading
import msgspec
from {module} import {name}
sys.setswitchinterval(1e-6)
together = threading.Barrier(8)
def decode():
    together.wait()
    for _ in range(2):
        try:
            msgspec.convert({value}, {name})
        except msgspec.ValidationError:
            pass
threads = [threading.Thread(target=decode) for _ in range(8)]
for thread in threads: thread.start()
for thread in threads: thread.join()
print("whole")
"""


@pytest.mark.parametrize(
    ("module", "name", "value"),
    [
        ("night_trail.core.question", "Scene", '{"main": {"type": "spread", "column": "a"}}'),
        ("night_trail.core.turns", "Change", '{"turn": "slot", "slot": "shape", "value": "bars"}'),
        ("night_trail.core.recipe.steps", "Step", '{"step": "rename", "column": "a", "name": "b"}'),
    ],
)
def test_the_first_of_a_kind_may_come_to_several_threads(module: str, name: str, value: str) -> None:
    # without ``looked_through`` eight in ten of these end with a segmentation fault
    code = FIRST.format(module=module, name=name, value=value)
    for _ in range(3):
        ran = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
        assert (ran.returncode, ran.stdout) == (0, "whole\n"), ran.stderr[-500:]
