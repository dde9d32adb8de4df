"""``night-trail``: the core beside the pages, for scripts and for checking figures.

``night-trail read FILE`` says what was understood of a file; ``night-trail
answer FILE --question Q.json`` answers one question; ``backup`` and ``restore``
look after a server's data. Errors go to standard error in one sentence, with
exit status 2.
"""

from __future__ import annotations

import argparse
import dataclasses
import json
import math
import os
import sys
from pathlib import Path
from typing import Any, NoReturn

import msgspec
import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion, NightTrailError
from night_trail.core.language.numbers import listed
from night_trail.core.language.spans import plain
from night_trail.core.question import Question, Scene, decode
from night_trail.core.questions.registry import Answer, answer, words_of
from night_trail.core.reading import ReadingSettings, Understood, load_part, parts
from night_trail.core.recipe import Recipe, apply, decode_recipe
from night_trail.core.rows import Rows
from night_trail.core.sentence import scene_in_words
from night_trail.core.table import Table
from night_trail.core.textbook import all_figures
from night_trail.core.words_in.readings import meant, rows_meant
from night_trail.draw import standalone


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(f"{message[0].upper()}{message[1:]}. See {self.prog} --help.", file=sys.stderr)
        sys.exit(2)


def main(arguments: list[str] | None = None) -> int:
    """Run the command and return its exit status."""
    parser = _Parser(prog="night-trail", description="Read a table and answer questions about it.")
    commands = parser.add_subparsers(dest="command", required=True)
    reading = commands.add_parser("read", help="print what was understood of a file")
    reading.add_argument("file", type=Path)
    reading.add_argument("--json", action="store_true", help="as JSON")
    _add_reading(reading)
    asking = commands.add_parser("answer", help="answer one question about a file")
    asking.add_argument("file", type=Path)
    _add_reading(asking)
    asking.add_argument(
        "--question",
        required=True,
        metavar="Q",
        help="a file with a question as JSON, or the question in words: 'late_min by depot'",
    )
    asking.add_argument(
        "--only", action="append", default=[], metavar="C", help="a condition, as JSON or in words; may recur"
    )
    asking.add_argument("--lit", metavar="C", help="what to light, as JSON or in words")
    form = asking.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true", help="all figures as JSON")
    form.add_argument("--svg", action="store_true", help="the picture")
    form.add_argument("--words", action="store_true", help="the words (the default)")
    saving = commands.add_parser("backup", help="write a checked copy of a server's database")
    saving.add_argument("file", type=Path, help="the copy, a file that does not exist yet")
    bringing = commands.add_parser("restore", help="put a copy in the place of a server's database")
    bringing.add_argument("file", type=Path, help="a copy that backup wrote")
    options = parser.parse_args(arguments)
    doing = {"read": _read, "answer": _answer, "backup": _backup, "restore": _restore}
    try:
        return doing[options.command](options)
    except NightTrailError as error:
        print(error, file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()  # whoever read our output has seen enough
        return 0
    except OSError as error:
        print(f"{error.filename or options.file}: {(error.strerror or str(error)).lower()}.", file=sys.stderr)
        return 2


def _add_reading(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--part", default="", metavar="NAME", help="the sheet, inner table or member to read")
    parser.add_argument(
        "--recipe", type=Path, metavar="FILE", help="an exported recipe to read and treat it by"
    )


def _loaded(options: argparse.Namespace) -> tuple[Table, Understood, Recipe | None]:
    """Return the table of a file, after the recipe where one is given."""
    recipe = decode_recipe(options.recipe.read_bytes()) if options.recipe else None
    settings = recipe.settings if recipe else ReadingSettings()
    part = options.part or (recipe.part if recipe else "")
    loaded = load_part(options.file, settings=settings, part=part)
    if recipe is None or not recipe.steps:
        return loaded.table, loaded.understood, recipe
    return apply(recipe.steps, loaded.table).table(f"{loaded.table.key}:recipe"), loaded.understood, recipe


def _read(options: argparse.Namespace) -> int:
    table, understood, recipe = _loaded(options)
    steps = [step.words() for step in recipe.steps] if recipe else []
    if options.json:
        columns = [
            msgspec.to_builtins(c) | {"role": c.role, "failed_cells": c.failed_cells} for c in table.columns
        ]
        whole = {
            "name": table.name,
            "rows": table.height,
            "one_row": table.row_noun[0],
            **msgspec.to_builtins(understood),
            "notes": understood.notes(),
            "recipe": steps,
            "columns": columns,
        }
        print(json.dumps(whole, ensure_ascii=False, indent=2))
        return 0
    print(f"{table.name}: {table.rows_in_words(table.height)}, {len(table.columns)} columns.")
    if not options.part and len(found := parts(options.file, options.file.name)) > 1:
        print(f"  The file holds {len(found)} tables; choose another with --part: {listed(found)}.")
    for note in (*understood.notes(), *(f"{words}." for words in steps)):
        print(f"  {note}")
    for column in table.columns:
        unit = f", {column.unit_words}" if column.unit_words else ""
        role = f", {column.role}" if column.role else ""
        missing = f"; {column.missing:,} missing" if column.missing else ""
        print(f"  {column.name}: {column.kind}{unit}{role}, because {column.reason}{missing}")
        if column.failed:
            examples = ", ".join(f"“{text}”" for text in column.failed_examples)
            print(f"    {column.failed_words}, counted as missing: {examples}")
    return 0


def _answer(options: argparse.Namespace) -> int:
    table, _, _ = _loaded(options)
    question, conditions, understood = _question(options.question, table)
    only = (*conditions, *(_condition(text, table) for text in options.only))
    lit = _condition(options.lit, table) if options.lit else None
    rows = Rows(table, only, lit)
    found = answer(question, rows)
    scene = Scene(main=question, only=only, lit=lit)
    if options.json:
        figures = _figures(found, scene, table, rows) | ({"understood": understood} if understood else {})
        print(json.dumps(figures, ensure_ascii=False, indent=2))
    elif options.svg:
        print(standalone(found, table, scene_in_words(scene, table, found)))
    else:
        words = words_of(found, table, only)
        print(scene_in_words(scene, table, found))
        for note in understood:
            print(f"  ({note})")
        print(plain(words.headline))
        for fact in words.facts:
            print(f"  {fact.label}: {fact.text}")
        for caution in words.cautions:
            print(f"  ! {caution}")
    return 0


def _question(text: str, table: Table) -> tuple[Question, tuple[Condition, ...], list[str]]:
    """Return the question of a file or of words, its rows, and what words were taken as."""
    path = Path(text)
    if text.endswith(".json") or path.is_file():
        return decode(path.read_bytes(), Question, "question"), (), []
    if text.lstrip().startswith("{"):
        return decode(text, Question, "question"), (), []
    reading = meant(text, table, Scene())
    if reading.scene.main is None:
        raise BadQuestion(f"“{text}” asks for no picture", "", "Begin with a column, like: late_min.")
    return reading.scene.main, reading.scene.only, list(reading.taken)


def _condition(text: str, table: Table) -> Condition:
    if text.lstrip().startswith("{"):
        condition: Condition = decode(text, Condition, "condition")
    else:
        condition = rows_meant(text, table)
    check_condition(condition, table)
    return condition


def _figures(found: Answer, scene: Scene, table: Table, rows: Rows) -> dict[str, Any]:
    words = words_of(found, table, scene.only)
    return {
        "sentence": scene_in_words(scene, table, found),
        "scene": msgspec.to_builtins(scene),
        "answer": _plain(found),
        "figures": [
            {"of": part.title, **{line.label: line.value for line in part.lines}}
            for part in all_figures(found, rows)
        ],
        "words": plain(words.headline),
        "facts": {fact.key: fact.value if math.isfinite(fact.value) else None for fact in words.facts},
        "cautions": list(words.cautions),
    }


def _server() -> None:
    """Get ready to touch a server's own data, which reading and answering never do."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "night_trail.site.settings.production")
    import django  # noqa: PLC0415  (the core needs no web framework)

    django.setup()


def _backup(options: argparse.Namespace) -> int:
    _server()
    from night_trail.site.backup import backup  # noqa: PLC0415

    found = backup(options.file)
    print(f"{options.file}: {listed([f'{n:,} {what}' for what, n in found.items()])}; checked.")
    return 0


def _restore(options: argparse.Namespace) -> int:
    _server()
    from night_trail.site.backup import restore  # noqa: PLC0415

    found, aside = restore(options.file)
    print(f"Restored {listed([f'{n:,} {what}' for what, n in found.items()])}.")
    if aside is not None:
        print(f"What was there before is kept as {aside}.")
    return 0


NOT_PRINTED = ("codes", "question", "paths", "ranking")
"""Fields of answers that are as long as the table, or are there already."""


def _plain(value: Any) -> Any:
    """Return an answer as what JSON holds: arrays as lists, no row-long arrays, NaN as null."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        fields = {f.name: getattr(value, f.name) for f in dataclasses.fields(value)}
        return {k: _plain(v) for k, v in fields.items() if k not in NOT_PRINTED}
    if isinstance(value, msgspec.Struct):
        return msgspec.to_builtins(value)
    if isinstance(value, np.ndarray):
        return [_plain(x) for x in value.tolist()]
    if isinstance(value, tuple | list):
        return [_plain(x) for x in value]
    if isinstance(value, np.generic):
        return _plain(value.item())
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value


if __name__ == "__main__":
    sys.exit(main())
