"""What an installed package brings is a full citizen; one that is broken is left out and said."""

from __future__ import annotations

import json
import logging
import os
import subprocess
import sys
from importlib.metadata import EntryPoint
from pathlib import Path

import pytest

from night_trail.core import outside

HERE = Path(__file__).parent.parent / "outside"

WALKED = """
import json, sys
from night_trail.core.question import Scene, decode, to_json
from night_trail.core.questions.registry import KINDS
from night_trail.core.reading import load
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.turns import Slot, turn
from night_trail.draw import draw
from night_trail.core.questions.registry import answer
from pathlib import Path
table = load(Path(sys.argv[1]))[0]
question, _ = read("between what does moths lie", table)
scene = decode(to_json(Scene(main=question)), Scene, "scene")
other, label = turn(scene, Slot("way", "spread"), table)
back, _ = turn(other, Slot("way", "ends"), table)
svg = draw(answer(question, Rows(table, ())), table)
print(json.dumps({"same": back.main == question, "said": scene_in_words(scene, table), "label": label,
    "marks": svg.count('class="mark"'), "kinds": [k.tag for k in KINDS][-1], "columns": [c.name for c in table.columns]}))
"""


def run(*args: str) -> str:
    """Run Python where the small package is installed."""
    env = os.environ | {"PYTHONPATH": os.pathsep.join([str(HERE), *sys.path])}
    return subprocess.run([sys.executable, *args], capture_output=True, text=True, check=True, env=env).stdout


def test_a_question_a_shape_and_a_reader_of_a_package_work_like_ours(tmp_path: Path) -> None:
    file = tmp_path / "watch.moths"
    file.write_bytes(b"MOTHS1\nnight;moths\n2024-03-01;7\n2024-03-02;31\n2024-03-03;12\n")
    found = json.loads(run("-c", WALKED, str(file)))
    assert found == {
        "same": True, "said": "Between what does moths lie?", "label": "How is moths spread?", "marks": 2, "kinds": "ends",
        "columns": ["night", "moths"],
    }  # fmt: skip
    said = json.loads(
        run(
            "-m",
            "night_trail.cli",
            "answer",
            str(file),
            "--json",
            "--question",
            "between what does moths lie",
        )
    )
    assert (said["answer"]["least"], said["answer"]["most"]) == (7.0, 31.0)
    assert "It lies between 7 and 31" in json.dumps(said)


def test_without_the_package_its_files_and_words_are_no_kind_of_ours(tmp_path: Path) -> None:
    from night_trail.core.questions.registry import KINDS

    assert "ends" not in [kind.tag for kind in KINDS]


def test_a_package_that_cannot_be_loaded_is_left_out_and_said(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    points = (
        EntryPoint("broken", "no_such_module:thing", "night_trail.readers"),
        EntryPoint("fine", "math:pi", "night_trail.readers"),
    )
    monkeypatch.setattr(outside, "entry_points", lambda group: points)
    outside.brought.cache_clear()
    with caplog.at_level(logging.WARNING):
        assert outside.brought("night_trail.readers")[0] > 3
    assert "broken of night_trail.readers was left out" in caplog.text
    outside.brought.cache_clear()
