"""The command beside the pages."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from night_trail.cli import main


def test_read(few_buses_csv: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["read", str(few_buses_csv)]) == 0
    assert "late_min: number, min" in capsys.readouterr().out
    assert main(["read", str(few_buses_csv), "--json"]) == 0
    whole = json.loads(capsys.readouterr().out)
    assert whole["one_row"] == "trip" and len(whole["columns"]) == 20


def test_answer_as_words_json_and_picture(
    few_buses_csv: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    question = tmp_path / "q.json"
    question.write_text('{"type": "spread", "column": "late_min", "bins": {"width": 5}}')
    file = str(few_buses_csv)
    assert main(["answer", file, "--question", str(question), "--only", "rain_mm above 2"]) == 0
    assert "only where rain_mm above 2?" in capsys.readouterr().out
    only = '{"type": "one of", "column": "depot", "values": ["Northgate"]}'
    assert main(["answer", file, "--question", "late_min", "--lit", only, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    counts = found["answer"]["groups"][0]["counts"]
    assert sum(counts) == found["answer"]["basis"]["used"] and found["facts"]["lit"] > 0
    assert main(["answer", file, "--question", "late_min by depot as box plots", "--svg"]) == 0
    assert capsys.readouterr().out.startswith("<svg")


@pytest.mark.parametrize(
    "arguments",
    [
        ["read", "nowhere.csv"],
        ["answer", "FILE", "--question", "moon"],
        ["answer", "FILE", "--question", "nowhere.json"],
        ["answer", "FILE", "--question", '{"type":"spread"}'],
        ["answer", "FILE", "--question", "late_min", "--only", "late_min wobbles"],
    ],
)
def test_errors_are_one_sentence_and_status_2(
    few_buses_csv: Path, arguments: list[str], capsys: pytest.CaptureFixture[str]
) -> None:
    assert main([str(few_buses_csv) if a == "FILE" else a for a in arguments]) == 2
    printed = capsys.readouterr()
    assert printed.out == "" and printed.err.count("\n") == 1 and printed.err.strip().endswith((".", "?"))
    with pytest.raises(SystemExit) as stopped:
        main(["answer"])
    assert stopped.value.code == 2
