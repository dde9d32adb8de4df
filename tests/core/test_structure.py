"""The house holds together: modules import each other in one direction, and reading brings no answers along."""

from __future__ import annotations

import ast
import subprocess
import sys
from graphlib import TopologicalSorter
from pathlib import Path

import night_trail

ROOT = Path(night_trail.__file__).parent


def imported() -> dict[str, set[str]]:
    """Return for each module of the house those it imports, inside functions as well."""
    found = {
        ".".join((ROOT.name, *p.relative_to(ROOT).with_suffix("").parts)).removesuffix(".__init__"): p
        for p in ROOT.rglob("*.py")
    }
    graph: dict[str, set[str]] = {name: set() for name in found}
    for name, path in found.items():
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith(ROOT.name):
                for part in node.names:
                    whole = f"{node.module}.{part.name}"
                    graph[name].add(whole if whole in found else node.module)
        graph[name].discard(name)
    return graph


def test_no_module_imports_itself_by_way_of_others() -> None:
    graph = imported()
    assert len(graph) > 200
    TopologicalSorter(graph).prepare()


def test_reading_a_file_loads_no_question_and_the_core_no_page() -> None:
    loaded = "import sys; import {}; print(' '.join(sys.modules))"
    for module, unwanted in (
        ("night_trail.core.reading", ("night_trail.core.questions.registry", "night_trail.core.question")),
        ("night_trail.core.language.conditions", ("night_trail.core.question",)),
        ("night_trail.core.sentence", ("django", "night_trail.draw")),
        # every process loads every question: what takes a second to come does so when it is called
        ("night_trail.core.questions.registry", ("scipy.stats", "statsmodels", "sklearn", "pandas")),
    ):
        out = subprocess.run(
            [sys.executable, "-c", loaded.format(module)], capture_output=True, text=True, check=True
        ).stdout.split()
        assert module in out and not set(unwanted) & set(out), module


def test_what_takes_arrays_says_their_shape_or_what_becomes_of_what_is_missing() -> None:
    told = ("shape", "nan", "missing", "gaps", "ascend", "sorted", "parameters", "for each")
    arrays = ("Floats", "Ints", "Bools", "Codes", "ndarray")
    seen = 0
    for path in sorted([*(ROOT / "core").rglob("*.py"), *(ROOT / "draw").rglob("*.py")]):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
                continue
            said = ast.get_docstring(node)
            kinds = [ast.unparse(a.annotation) for a in node.args.args if a.annotation]
            # functions inside others are said by those
            if said is None or not any(word in kind for kind in kinds for word in arrays):
                continue
            seen += 1
            assert any(word in said.lower() for word in told), f"{path.relative_to(ROOT)}: {node.name}"
    assert seen > 100
