"""The command beside the pages."""

from __future__ import annotations

import json
import sqlite3
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


TRAPS = "Light traps;;\n\nnight;moths;cover\n03/04/2024;12;20 %\n04/04/2024;9999;x\nTotal;12;\n"
RECIPE = {
    "recipe": 1,
    "settings": {"date_order": "month", "columns": {"cover": {"kind": "share"}}},
    "steps": [
        {"step": "to missing", "column": "moths", "values": [9999]},
        {"step": "calculate", "name": "twice", "sql": "moths * 2"},
    ],
}


def test_read_tells_all_that_was_understood_and_applies_a_recipe(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file, recipe = tmp_path / "traps.csv", tmp_path / "recipe.json"
    file.write_text(TRAPS)
    recipe.write_text(json.dumps(RECIPE))
    assert main(["read", str(file), "--recipe", str(recipe), "--json"]) == 0
    whole = json.loads(capsys.readouterr().out)
    assert {k: whole[k] for k in ("name", "format", "encoding", "delimiter", "header_row", "rows")} == {
        "name": "traps",
        "format": "delimited text",
        "encoding": "utf-8",
        "delimiter": ";",
        "header_row": 3,
        "rows": 2,
    }
    assert [left["count"] for left in whole["left_out"]] == [1, 1] and all(n for n in whole["notes"])
    columns = {c["name"]: c for c in whole["columns"]}
    assert list(columns) == ["night", "moths", "cover", "twice"]
    assert (columns["moths"]["kind"], columns["moths"]["role"]) == ("whole number", "additive")
    assert columns["moths"]["missing"] == 1 and columns["cover"]["failed_cells"] == [[1, "x"]]
    assert all(c["reason"] for c in whole["columns"])
    assert whole["recipe"] == ["in moths 9,999 counts as missing", "twice is calculated as moths * 2"]
    assert main(["read", str(file), "--recipe", str(recipe)]) == 0
    printed = capsys.readouterr().out
    assert "1 cell does not fit, counted as missing: “x”" in printed
    assert "twice is calculated as moths * 2." in printed
    question = ["answer", str(file), "--recipe", str(recipe), "--question", "twice", "--json"]
    assert main(question) == 0
    assert json.loads(capsys.readouterr().out)["answer"]["basis"]["used"] == 1


def test_parts_of_a_file_are_named_and_chosen(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    base = tmp_path / "t.sqlite"
    with sqlite3.connect(base) as made:
        made.executescript("CREATE TABLE a (x INT); CREATE TABLE b (y INT); INSERT INTO b VALUES (3)")
    assert main(["read", str(base)]) == 0
    assert "choose another with --part: a and b" in capsys.readouterr().out
    assert main(["read", str(base), "--part", "b"]) == 0
    assert "y: whole number" in capsys.readouterr().out
    for wrong in (["--part", "c"], ["--recipe", str(base)], ["--recipe", "nowhere.json"]):
        assert main(["read", str(base), *wrong]) == 2
        printed = capsys.readouterr()
        assert printed.out == "" and printed.err.count("\n") == 1 and "Traceback" not in printed.err
