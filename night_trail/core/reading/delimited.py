"""Delimited text: encoding, delimiter, header; cells as text."""

from __future__ import annotations

import contextlib
import csv
import io
import re
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading import grid, text
from night_trail.core.reading.kinds import MISSING
from night_trail.core.reading.settings import ReadingSettings, Understood

DELIMITERS = [",", ";", "\t", "|"]
DELIMITER_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars", " ": "spaces", ":": "colons"}
NO_DELIMITER = "\x1f"
"""Separates nothing: for files of one column, whose commas belong to the text."""

CELLS_AT_ONCE = 24_000_000
"""Text cells held at a time; more columns than fit are read in several passes."""

SAMPLE_RECORDS = 400
SAMPLE_CHARACTERS = 1_000_000
_FIELD_MOST = 10_000_000
csv.field_size_limit(_FIELD_MOST)


class DelimitedSource:
    """A delimited text file; with ``sampled`` only its first records."""

    def __init__(self, path: Path, name: str, settings: ReadingSettings, sampled: bool = False) -> None:
        self._name, self._settings = name, settings
        self.partial = False
        self._temporary = tempfile.TemporaryDirectory(prefix="night-trail-")
        self.understood = Understood(format="delimited text")
        self._path = self._as_plain_text(path, sampled)
        sample = _sample(self._path)
        self._sep_line = bool(re.match(r"^sep=.\r?\n", sample, re.IGNORECASE))
        if self._sep_line:
            self._delimiter = sample[4]
            sample = sample.partition("\n")[2]
            self._path = self._rewritten(self._path, skip=1)
        else:
            self._delimiter = settings.delimiter[:1] or _delimiter(sample)
        if settings.delimiter in ("tab", "\\t"):
            self._delimiter = "\t"
        self._quote, escaped = _quote(sample, self._delimiter)
        if self._delimiter == " " or self._quote != '"' or escaped:
            self._rewrite_as_plain(escaped)
            sample = _sample(self._path)
        self.records = _rows(sample, self._delimiter)[:SAMPLE_RECORDS]
        self.layout = grid.layout(self.records, settings, name)
        self.names, self.units = self.layout.names, self.layout.units
        self.hints = grid.hints(self.records[self.layout.first :], len(self.names), settings)
        self._whole_in_sample = (
            len(sample) >= self._path.stat().st_size * 0.999 and len(self.records) < SAMPLE_RECORDS
        )
        self._footer = 0 if self.partial else self._footers()
        self._describe()

    def _as_plain_text(self, path: Path, sampled: bool) -> Path:
        """Return the file as UTF-8 with plain line ends, written anew only where it is not."""
        if sampled and path.stat().st_size > SAMPLE_CHARACTERS:
            head = self._folder / "head"
            with path.open("rb") as file:
                data = file.read(SAMPLE_CHARACTERS)
            head.write_bytes(data[: data.rfind(b"\n") + 1] or data)
            path, self.partial = head, True
        if self._settings.encoding:
            encoding, reason = text.known(self._settings.encoding, self._name), "chosen by hand"
        else:
            encoding, reason = text.encoding_of(path, self._name)
        self.understood.encoding = encoding
        plain = encoding in ("utf-8", "utf-8-sig")
        self.understood.reasons["encoding"] = f"read as {encoding}, since {reason}"
        sample = ""
        if plain:
            sample = _sample(path)
        if plain and not ("\n" not in sample and "\r" in sample):
            return path
        return self._recoded(path, encoding, newline=None if plain else "")

    @property
    def _folder(self) -> Path:
        return Path(self._temporary.name)

    def _recoded(self, path: Path, encoding: str, newline: str | None) -> Path:
        """Write the file anew as UTF-8, a piece at a time; ``newline`` None turns all line ends into one."""
        recoded = self._folder / "recoded.csv"
        try:
            with (
                path.open(encoding=encoding, newline=newline) as source,
                recoded.open("w", encoding="utf-8", newline="") as target,
            ):
                while piece := source.read(text.CHUNK):
                    target.write(piece)
        except (UnicodeError, LookupError):
            raise Unreadable(
                f"Its bytes cannot be read as {encoding}", self._name, "Choose another encoding."
            ) from None
        if encoding.startswith("utf-16"):
            sample = _sample(recoded)
            if "\n" not in sample and "\r" in sample:
                return self._rewritten(recoded)
        return recoded

    def _rewritten(self, path: Path, skip: int = 0) -> Path:
        """Write the file anew without its first lines, all line ends made one."""
        target = self._folder / "rewritten.csv"
        with (
            path.open(encoding="utf-8-sig", newline=None) as source,
            target.open("w", encoding="utf-8", newline="") as out,
        ):
            for _ in range(skip):
                source.readline()
            while piece := source.read(text.CHUNK):
                out.write(piece)
        return target

    def _rewrite_as_plain(self, escaped: bool) -> None:
        """Write the file anew with commas and plain quotes, where it has spaces, other quotes or escapes."""
        target = self._folder / "plain.csv"
        with (
            self._path.open(encoding="utf-8-sig", newline="") as source,
            target.open("w", encoding="utf-8", newline="") as out,
        ):
            writer = csv.writer(out, lineterminator="\n")
            if self._delimiter == " ":
                records: Iterator[list[str]] = (_by_spaces(line, self._quote) for line in source)
            else:
                records = csv.reader(
                    source,
                    delimiter=self._delimiter,
                    quotechar=self._quote,
                    escapechar="\\" if escaped else None,
                )
            for record in records:
                writer.writerow(record) if record else out.write("\n")
        self._read_delimiter = ","
        self._path = target
        self.understood.delimiter, self.understood.quote = self._delimiter, self._quote
        self._delimiter = ","

    def _footers(self) -> int:
        if self._settings.footer is not None:
            self.understood.leave_out(self._settings.footer, "rows at the end, as chosen by hand")
            return self._settings.footer
        if self._whole_in_sample:
            tail = self.records[self.layout.first :]
        else:
            with self._path.open("rb") as file:
                file.seek(-min(self._path.stat().st_size, 65_536), 2)
                lines = file.read().decode("utf-8", errors="replace").split("\n")[1:]
            tail = _rows("\n".join(lines[-40:]), self._delimiter)
        count, said = grid.footer(tail[-20:], len(self.names))
        if count:
            self.understood.leave_out(
                count, f"rows at the end that are no rows of the table: “{'”, “'.join(said)}”"
            )
        return count

    def _describe(self) -> None:
        found, layout = self.understood, self.layout
        found.delimiter = found.delimiter or (self._delimiter if len(self.names) > 1 else "")
        if found.delimiter:
            by_hand = ", as chosen by hand" if self._settings.delimiter else ""
            found.reasons["delimiter"] = (
                f"cells are separated by {DELIMITER_WORDS.get(found.delimiter, found.delimiter)}{by_hand}"
            )
        describe_layout(found, layout)
        found.decimal = self._settings.decimal or self.hints.decimal
        if found.decimal == ",":
            found.reasons["decimal"] = "decimals follow a comma"

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield wanted columns as text, as many at a time as memory allows."""
        width = len(self.names)
        at, step, drop = 0, self._first_step(), None
        while at < len(wanted):
            group = list(wanted[at : at + step])
            first = at == 0
            frame = self._read([*group, width] if first else group)
            if first:
                drop = self._not_rows(frame, group)
            last = frame.height - self._footer
            frame = frame.slice(self.layout.first, max(0, last - self.layout.first))
            if drop is not None:
                frame = frame.filter(~drop)
            if first:
                extra = frame.to_series(len(group))
                self._too_long(extra)
            yield [(i, frame.to_series(k)) for k, i in enumerate(group)]
            at += len(group)
            # after the first pass the height is known
            step = max(1, CELLS_AT_ONCE // max(frame.height, 1))

    def _first_step(self) -> int:
        """Return how many columns are read at first, when how many rows there are is only guessed."""
        rows = text.rows_guess(self._path, len(self.records))
        return max(1, min(len(self.names), int(CELLS_AT_ONCE / (1.1 * rows + 1))))

    def _not_rows(self, frame: pl.DataFrame, group: list[int]) -> pl.Series | None:
        """Return which records are blank or repeat the names, None where none is; both are counted."""
        body = frame.slice(self.layout.first, max(0, frame.height - self._footer - self.layout.first))
        cells = body.get_columns()[: len(group)]
        blank = body.select(pl.all_horizontal(*(c.is_null() for c in cells))).to_series()
        if blank.any() and len(group) < len(self.names):
            blank = self._blank_everywhere()
        repeated = pl.Series([False]).new_from_index(0, body.height)
        if self.layout.header is not None and len(group) > 1 and not self.layout.units:
            heads = [self.layout.raw_names[i] if i < len(self.layout.raw_names) else "" for i in group]
            if all(heads[:2]):
                # the names of one column tell nearly all rows from names
                for cell, head in zip(cells, heads, strict=True):
                    found = (cell.str.strip_chars() == head.strip()).fill_null(False)
                    repeated = found if cell is cells[0] else repeated & found
                    if not repeated.any():
                        break
        single_blank = int(blank.sum())
        if len(self.names) > 1:
            self.understood.leave_out(single_blank, "blank rows")
        else:
            # a blank line in a single column is a missing cell, except at the end
            present = (~blank).arg_true()
            end = int(present[-1]) + 1 if len(present) else 0
            blank = pl.Series(range(body.height), dtype=pl.Int64) >= end
        self.understood.leave_out(int(repeated.sum()), "rows that repeat the names")
        drop = blank | repeated
        return drop if drop.any() else None

    def _blank_everywhere(self) -> pl.Series:
        scan = pl.scan_csv(self._path, **self._options())  # type: ignore[arg-type]
        blank = scan.select(pl.all_horizontal(pl.all().is_null())).collect(engine="streaming").to_series()
        return blank.slice(self.layout.first, max(0, len(blank) - self._footer - self.layout.first))

    def _too_long(self, extra: pl.Series) -> None:
        longer = (extra.is_not_null() & (extra.str.strip_chars() != "")).arg_true()
        if len(longer):
            examples = ", ".join(str(int(i) + 1) for i in longer.head(3))
            self.understood.leave_out(
                len(longer), f"cells beyond the last column, in rows such as {examples}"
            )

    def _options(self) -> dict[str, object]:
        # records may go on with empty cells behind the last name
        width = max(len(self.names), *map(len, self.records[:SAMPLE_RECORDS])) + 1
        return {
            "separator": self._delimiter,
            "has_header": False,
            "schema": {f"column_{i + 1}": pl.String for i in range(width)},
            "missing_columns": "insert",
            "truncate_ragged_lines": True,
        }

    def _read(self, columns: list[int]) -> pl.DataFrame:
        names = [f"column_{i + 1}" for i in columns]
        for attempt in range(2):
            try:
                return pl.read_csv(self._path, columns=names, **self._options()).select(names)  # type: ignore[arg-type]
            except pl.exceptions.PolarsError as error:
                if attempt:
                    reason = str(error).splitlines()[0].rstrip(".")
                    raise Unreadable(
                        f"The rows cannot be told apart: {reason}",
                        self._name,
                        "Check its quotes and try again.",
                    ) from None
                self._mend_quotes()
        raise AssertionError

    def _ends_with_quote(self) -> bool:
        with self._path.open("rb") as file:
            file.seek(-min(self._path.stat().st_size, 100), 2)
            return file.read().rstrip().endswith(b'"')

    def _mend_quotes(self) -> None:
        """Write the file anew by a reader that takes stray quotes as text; refuse one never closed."""
        target = self._folder / "mended.csv"
        record: list[str] = []
        count = 0
        with (
            self._path.open(encoding="utf-8-sig", newline="") as source,
            target.open("w", encoding="utf-8", newline="") as out,
        ):
            writer = csv.writer(out, lineterminator="\n")
            try:
                for count, record in enumerate(csv.reader(source, delimiter=self._delimiter), start=1):  # noqa: B007
                    writer.writerow(record) if record else out.write("\n")
            except csv.Error as error:
                raise Unreadable(
                    f"The rows cannot be told apart: {error}", self._name, "Check its quotes and try again."
                ) from None
        if record and "\n" in record[-1] and not self._ends_with_quote():
            raise Unreadable(
                f"The rows cannot be told apart: a quote in row {count} is never closed",
                self._name,
                "Check its quotes and try again.",
            )
        self.understood.reasons["quotes"] = "stray quotes are taken as text"
        self._path, self._delimiter = target, ","


def describe_layout(found: Understood, layout: grid.Layout) -> None:
    """Say where names, units and rows were found."""
    found.header_row = None if layout.header is None else layout.header + 1
    found.units_row = None if layout.units_row is None else layout.units_row + 1
    found.reasons["header"] = (
        layout.reason if layout.header is None else f"names stand in row {layout.header + 1}: {layout.reason}"
    )
    if layout.units_row is not None:
        found.reasons["units"] = f"row {layout.units_row + 1} holds units"
    if layout.titles:
        found.leave_out(
            len(layout.titles),
            f"title lines above the names: “{layout.titles[0][:80]}”"
            + ("" if len(layout.titles) == 1 else " and others"),
        )


def _sample(path: Path) -> str:
    """Return the first lines, at most a million characters."""
    with path.open(encoding="utf-8-sig", errors="replace", newline="") as file:
        text_ = file.read(SAMPLE_CHARACTERS)
    if len(text_) == SAMPLE_CHARACTERS:
        text_ = text_[: text_.rfind("\n") + 1] or text_
    return "".join(text_.splitlines(keepends=True)[: 2 * SAMPLE_RECORDS]) if text_.strip() else text_


def _rows(sample: str, delimiter: str, quote: str = '"') -> list[list[str]]:
    """Return the records of a sample, as far as this delimiter makes sense of it."""
    rows: list[list[str]] = []
    # an error is a quote or line end where this delimiter does not expect it
    with contextlib.suppress(csv.Error):
        rows.extend(csv.reader(io.StringIO(sample), delimiter=delimiter, quotechar=quote))
    return rows


def _delimiter(sample: str) -> str:
    """Return the delimiter that cuts the lines most evenly into most cells; clevercsv decides ties."""
    sample = "".join(sample.splitlines(keepends=True)[:200])
    scores: dict[str, tuple[float, int]] = {}
    for delimiter in DELIMITERS:
        widths = [len(row) for row in _rows(sample, delimiter) if any(c.strip() for c in row)]
        common = max(set(widths), key=lambda w: (widths.count(w), w), default=1)
        if common > 1:
            scores[delimiter] = (widths.count(common) / len(widths), common)
    if not scores or max(scores.values())[0] < 0.5:
        if _spaces_separate(sample):
            return " "
        if not scores:
            return NO_DELIMITER
    ranked = sorted(scores, key=lambda d: scores[d], reverse=True)
    if len(ranked) > 1 and scores[ranked[0]][0] - scores[ranked[1]][0] < 0.1:
        import clevercsv  # noqa: PLC0415  (slow import, rarely needed)

        try:
            guess = clevercsv.Sniffer().sniff(sample[:20_000], delimiters=ranked).delimiter
        except (clevercsv.Error, ValueError):
            guess = ""
        if guess in scores:
            return str(guess)
    return ranked[0]


def _by_spaces(line: str, quote: str = '"') -> list[str]:
    """Return the cells of a line whose columns are separated by runs of spaces."""
    stripped = line.strip()
    if not stripped:
        return []
    return [
        a[1:-1] if len(a) > 1 and a[0] == a[-1] == quote else a
        for a in re.findall(rf"{quote}[^{quote}]*{quote}|\S+", stripped)
    ]


def _spaces_separate(sample: str) -> bool:
    """Whether runs of spaces cut the lines evenly, with values in about half of the columns."""
    rows = [row for line in sample.splitlines() if (row := _by_spaces(line))]
    if len(rows) < 2:
        return False
    widths = [len(row) for row in rows]
    common = max(set(widths), key=widths.count)
    if common < 2 or widths.count(common) < 0.9 * len(rows):
        return False
    body = [row for row in rows[1:] if len(row) == common]
    values = sum(
        all(grid.is_value(row[i]) or row[i].lower() in MISSING for row in body) for i in range(common)
    )
    return bool(body) and values >= common / 2


def _quote(sample: str, delimiter: str) -> tuple[str, bool]:
    """Return the quote mark, and whether quotes inside are escaped by a backslash."""
    escaped = bool(re.search(rf'(?:^|{re.escape(delimiter)})"[^"\n]*\\"', sample, re.MULTILINE))
    if '"' not in sample:
        d = re.escape(delimiter)
        single = re.findall(rf"(?:^|{d})'[^'\n]*'(?={d}|\r?$)", sample, re.MULTILINE)
        if len(single) >= 2 and len(single) > sample.count("'") / 4:
            return "'", False
    return '"', escaped
