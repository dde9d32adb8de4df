"""Put into the lock files the hashes of every file of each pinned version: ``python tools/lock_hashes.py``.

Change a pin by hand first. The package index is the one that pip is set to use (``PIP_INDEX_URL``),
or pip's own. With hashes, an index that hands out anything else is refused while installing.
"""

from __future__ import annotations

import json
import os
import re
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from pip._internal.models.index import PyPI

ROOT = Path(__file__).resolve().parents[1]
LOCKS = ("requirements.lock", "requirements-dev.lock")
INDEX = os.environ.get("PIP_INDEX_URL", PyPI.simple_url).rstrip("/")


def plain(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def hashes(pin: tuple[str, str]) -> list[str]:
    """Return the SHA-256 of every file of a version."""
    name, version = pin
    request = urllib.request.Request(
        f"{INDEX}/{plain(name)}/", headers={"Accept": "application/vnd.pypi.simple.v1+json"}
    )
    with urllib.request.urlopen(request, timeout=60) as answer:
        files = json.load(answer)["files"]
    found = set()
    for file in files:
        told = re.match(r"(.+?)-(\d[^-]*)(-.*\.whl|\.tar\.gz|\.zip)$", file["filename"])
        if told and plain(told[1]) == plain(name) and told[2] == version:
            found.add(file["hashes"]["sha256"])
    if not found:
        raise SystemExit(f"{name} {version} is not at {INDEX}.")
    return sorted(found)


def main() -> None:
    for lock in LOCKS:
        text = (ROOT / lock).read_text()
        pins = re.findall(r"^([A-Za-z0-9._-]+)==([^\s\\]+)", text, re.MULTILINE)
        with ThreadPoolExecutor(8) as pool:
            every = list(pool.map(hashes, pins))
        lines = [line for line in text.splitlines() if line.startswith("#")]
        for (name, version), known in zip(pins, every, strict=True):
            lines.append(" \\\n    ".join([f"{name}=={version}", *(f"--hash=sha256:{h}" for h in known)]))
        (ROOT / lock).write_text("\n".join(lines) + "\n")
        print(f"{lock}: {len(pins)} pins, {sum(map(len, every))} hashes")


if __name__ == "__main__":
    main()
