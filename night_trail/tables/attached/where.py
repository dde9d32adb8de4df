"""What may be attached: files, folders of parts and databases within the roots that the server names."""

from __future__ import annotations

import hashlib
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import msgspec
from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import counted

FORMS = {
    ".parquet": "Parquet",
    ".arrow": "Arrow",
    ".feather": "Arrow",
    ".ipc": "Arrow",
    ".csv": "CSV",
    ".sqlite": "SQLite",
    ".sqlite3": "SQLite",
    ".db": "SQLite",
    ".duckdb": "DuckDB",
}
DATABASES = ("SQLite", "DuckDB")
DEEPEST, MOST_LISTED, MOST_PARTS, MOST_TABLES = 4, 500, 20_000, 200
WAY_ON = "Ask whoever runs this server which folders may be attached."


class Where(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where rows are: a file or folder below a root, by the root's name, and a table of a database.

    In a database on a ``server``, by the key it is kept under, ``root`` is what the database is called and
    ``path`` a schema of it.
    """

    root: str
    path: str
    table: str = ""
    server: int = 0

    @property
    def words(self) -> str:
        """What it is called on a page."""
        if self.server:
            return f"{self.root}, table {self.path}.{self.table}"
        inner = f", table {self.table}" if self.table else ""
        return f"{self.root}/{self.path}{inner}"

    @property
    def title(self) -> str:
        """What its table is called at first."""
        return self.table or Path(self.path).stem or self.root


@dataclass(frozen=True)
class Found:
    """Something that may be attached, what it is in words, and the files a folder is made of."""

    where: Where
    words: str
    parts: tuple[Found, ...] = ()


def roots() -> dict[str, Path]:
    """Return the folders of which tables may be attached, by the name each goes by."""
    found: dict[str, Path] = {}
    for text in settings.ATTACH_ROOTS:
        path = Path(text).resolve()
        name = path.name or "files"
        while name in found:
            name += "′"
        found[name] = path
    return found


def listed() -> list[Found]:
    """Return what may be attached: folders of parts with their files, single files, tables of databases."""
    found: list[Found] = []
    for name, root in roots().items():
        for folder, names in _folders(root):
            inner = folder.relative_to(root)
            for form, own in _by_form(folder, names).items():
                if len(found) >= MOST_LISTED:
                    return found
                single = [
                    one
                    for path in own[:MOST_LISTED]
                    for one in _listed_file(Where(name, path.relative_to(root).as_posix()), path, form)
                ]
                if form in DATABASES or len(own) == 1:
                    found += single
                else:
                    words = counted(len(own), f"{form} file")
                    found.append(Found(Where(name, inner.as_posix()), words, tuple(single)))
    return found[:MOST_LISTED]


def _listed_file(where: Where, path: Path, form: str) -> list[Found]:
    if form not in DATABASES:
        return [Found(where, form)]
    try:
        names = tables_in(path, form)
    except NightTrailError:
        return []
    return [Found(msgspec.structs.replace(where, table=one), f"a table of {form}") for one in names]


def _folders(root: Path) -> Iterator[tuple[Path, list[str]]]:
    if not root.is_dir():
        return
    for folder, inner, names in os.walk(root, followlinks=False):
        at = Path(folder)
        inner[:] = sorted(n for n in inner if not n.startswith(".") and not (at / n).is_symlink())
        if len(at.relative_to(root).parts) >= DEEPEST:
            inner.clear()
        yield at, sorted(n for n in names if not n.startswith(".") and not (at / n).is_symlink())


def _by_form(folder: Path, names: list[str]) -> dict[str, list[Path]]:
    found: dict[str, list[Path]] = {}
    for name in names:
        form = FORMS.get(Path(name).suffix.lower())
        if form is not None:
            found.setdefault(form, []).append(folder / name)
    return found


def resolved(where: Where) -> Path:
    """Return the file or folder, or say that it is not there, or outside of what may be attached.

    Raises
    ------
    NightTrailError
        Where it lies outside its root, by a link or a path that leads up, or is gone.
    """
    root = roots().get(where.root)
    if root is None:
        raise NightTrailError(f"“{where.root}” is no folder that may be attached", "", WAY_ON)
    try:
        path = (root / where.path).resolve(strict=True)
    except (OSError, ValueError):
        raise NightTrailError("This is not there any more", where.words, "Look at what there is.") from None
    _must_lie_within(path, root, where)
    return path


def _must_lie_within(path: Path, root: Path, where: Where) -> None:
    if not path.is_relative_to(root):
        raise NightTrailError("This lies outside of what may be attached", where.words, WAY_ON)


def parts_of(where: Where) -> tuple[str, list[Path]]:
    """Return the form of files or a database, and the file or the files it is of, in order.

    Every file is followed to where it lies, and must lie within the root.
    """
    path = resolved(where)
    root = roots()[where.root]
    if path.is_file():
        form = FORMS.get(path.suffix.lower())
        if form is None:
            raise NightTrailError("This is no file that can be attached", where.words, "Choose another.")
        return form, [path]
    found: dict[str, list[Path]] = {}
    for folder, names in _folders(path):
        for form, own in _by_form(folder, names).items():
            if form not in DATABASES:
                found.setdefault(form, []).extend(own)
    if len(found) != 1:
        what = "holds no files that can be attached" if not found else "holds files of several kinds"
        raise NightTrailError(f"This folder {what}", where.words, "Choose a file, or a folder of one kind.")
    ((form, parts),) = found.items()
    if len(parts) > MOST_PARTS:
        raise NightTrailError(
            f"This folder holds {len(parts):,} files", where.words, f"At most {MOST_PARTS:,} are read."
        )
    for part in parts:
        _must_lie_within(part.resolve(), root, where)
    return form, parts


def fingerprint(parts: list[Path]) -> str:
    """Return what tells files from what they were: their names, sizes and times."""
    digest = hashlib.sha256()
    for part in parts:
        try:
            seen = part.stat()
        except OSError:
            raise NightTrailError(
                f"{part.name} is not there any more", "", "Look at what there is."
            ) from None
        digest.update(f"{part}\n{seen.st_size}\n{seen.st_mtime_ns}\n".encode())
    return digest.hexdigest()[:20]


def tables_in(path: Path, form: str) -> list[str]:
    """Return the tables and views of a database file."""
    try:
        if form == "SQLite":
            with closing(sqlite3.connect(f"{path.as_uri()}?mode=ro", uri=True)) as database:
                names = database.execute(
                    "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') "
                    "AND name NOT LIKE 'sqlite_%' ORDER BY name"
                )
                return [str(row[0]) for row in names.fetchmany(MOST_TABLES)]
        import duckdb  # noqa: PLC0415  (slow import)

        with duckdb.connect(str(path), read_only=True) as database:
            rows = database.execute("SELECT table_name FROM information_schema.tables ORDER BY 1")
            return [str(row[0]) for row in rows.fetchmany(MOST_TABLES)]
    except Exception as error:
        reason = (str(error).splitlines() or [type(error).__name__])[0][:120]
        raise NightTrailError(
            f"This database cannot be opened ({reason})", path.name, "Choose another."
        ) from None
