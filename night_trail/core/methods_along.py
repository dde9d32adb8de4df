"""The statistics behind a picture as plain Python files that go along with a notebook.

They are the modules that figure the pictures too, so that both say the same:
numpy, scipy, statsmodels and scikit-learn, without anything else of ours.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from importlib import metadata
from pathlib import Path

FOLDER = "methods"
_HERE = Path(__file__).parent / "stats"
_OURS = re.compile(r"night_trail\.core\.stats\.(\w+)")
_ASKED = re.compile(rf"^from {FOLDER}\.(\w+) import", re.MULTILINE)
_TABLE = "night_trail.core.table"
_ARRAYS = '''"""The arrays that methods take and return."""

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
'''
_NEEDED = {
    "msgspec": "msgspec",
    "numpy": "numpy",
    "pandas": "pandas",
    "scipy": "scipy",
    "sklearn": "scikit-learn",
    "statsmodels": "statsmodels",
    "threadpoolctl": "threadpoolctl",
}


def files_for(code: Iterable[str]) -> dict[str, str]:
    """Return the files that pieces of code ask for, by their path beside it.

    >>> sorted(files_for(["from methods.contrast import distance"]))
    ['methods/__init__.py', 'methods/arrays.py', 'methods/contrast.py']
    """
    waiting = [name for piece in code for name in _ASKED.findall(piece)]
    found: dict[str, str] = {}
    while waiting:
        name = waiting.pop()
        path = f"{FOLDER}/{name}.py"
        if path not in found:
            text = (_HERE / f"{name}.py").read_text("utf-8")
            waiting += _OURS.findall(text)
            found[path] = _OURS.sub(rf"{FOLDER}.\1", text).replace(_TABLE, f"{FOLDER}.arrays")
    if found:
        found[f"{FOLDER}/__init__.py"] = '"""Methods of statistics, each with its source."""\n'
        found[f"{FOLDER}/arrays.py"] = _ARRAYS
    return found


def packages_for(code: Iterable[str]) -> list[str]:
    """Return the packages that code needs, each in the version in which its figures were made.

    >>> packages_for(["import polars as pl"])[0].split("==")[0]
    'polars'
    """
    text = "\n".join(code)
    used = ["polars", *(package for name, package in _NEEDED.items() if re.search(rf"\b{name}\b", text))]
    return [f"{package}=={metadata.version(package)}" for package in used]
