"""Files made to break whoever reads them."""

from __future__ import annotations

import io
import json
import zipfile

import polars as pl
import xlsxwriter


def far_corner() -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out) as book:
        sheet = book.add_worksheet()
        sheet.write(0, 0, "a")
        sheet.write(1_048_575, 16_383, "z")
    return out.getvalue()


def hidden_corner() -> bytes:
    """Return the same sheet written so that a look at its cells does not find them: limits must."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(far_corner())) as book, zipfile.ZipFile(out, "w") as hidden:
        for member in book.namelist():
            content = book.read(member)
            hidden.writestr(member, content.replace(b'"', b"'") if "worksheets" in member else content)
    return out.getvalue()


def torn(content: bytes) -> bytes:
    middle = len(content) // 2
    return (
        content[:middle]
        + bytes(255 - byte for byte in content[middle : middle + 60])
        + content[middle + 60 :]
    )


def parquet() -> bytes:
    out = io.BytesIO()
    pl.DataFrame({"a": list(range(3_000)), "b": [f"x{i}" for i in range(3_000)]}).write_parquet(out)
    return out.getvalue()


def arrow() -> bytes:
    out = io.BytesIO()
    pl.DataFrame({"a": list(range(3_000)), "b": [f"x{i}" for i in range(3_000)]}).write_ipc(out)
    return out.getvalue()


def lying_zip() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.csv", b"a,b\n" + b"1,2\n" * 5_000_000)
    packed = bytearray(out.getvalue())
    # the directory says ten bytes
    at = packed.rfind(b"PK\x01\x02") + 24
    packed[at : at + 4] = (10).to_bytes(4, "little")
    return bytes(packed)


HOSTILE = {
    "corner.xlsx": far_corner,
    "hidden.xlsx": hidden_corner,
    "keys.json": lambda: json.dumps([{f"k{i}": i} for i in range(10_000)]).encode(),
    "deep.json": lambda: b'{"a":' * 100_000 + b"1" + b"}" * 100_000,
    "surrogate.json": lambda: b'[{"a": "\\ud800", "b": ' + b"9" * 5_000 + b"}]",
    "torn.ndjson": lambda: b'{"a": 1}\n' * 500 + b'{"a": ',
    "commas.csv": lambda: b"," * 20_000_000 + b"\n1\n",
    "columns.csv": lambda: (
        ",".join(f"c{i}" for i in range(100_000)) + "\n" + ",".join("1" * 100_000)
    ).encode(),
    "torn.parquet": lambda: torn(parquet()),
    "torn.arrow": lambda: torn(arrow()),
    "cut.parquet": lambda: parquet()[:-200],
    "lying.zip": lying_zip,
    "zeros.csv": lambda: bytes(5_000_000),
    "quote.csv": lambda: b'a,b\n"' + b"x" * 8_000_000,
}
