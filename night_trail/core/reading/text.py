"""Bytes as text: which encoding, strictly."""

from __future__ import annotations

import codecs
import math
import unicodedata
from pathlib import Path

from night_trail.core.errors import Unreadable

CHUNK = 1 << 20
_WAY_ON = "Save the table as CSV or XLSX and choose that."


def encoding_of(path: Path, name: str) -> tuple[str, str]:
    """Return a file's encoding and why: a byte order mark, strict UTF-8, then a guess.

    Raises
    ------
    Unreadable
        Where the bytes are no text.
    """
    with path.open("rb") as file:
        head = file.read(CHUNK)
        for mark, encoding in (
            (codecs.BOM_UTF8, "utf-8-sig"),
            (codecs.BOM_UTF16_LE, "utf-16"),
            (codecs.BOM_UTF16_BE, "utf-16"),
        ):
            if head.startswith(mark):
                return encoding, "it begins with a byte order mark"
        if b"\x00" in head:
            return _two_bytes(head, name), "every other byte is zero"
        decoder = codecs.getincrementaldecoder("utf-8")()
        try:
            piece = head
            while piece:
                decoder.decode(piece)
                piece = file.read(CHUNK)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return _one_byte(path, head, name), "its bytes are no UTF-8"
    return "utf-8", "all of its bytes are valid UTF-8"


def _two_bytes(head: bytes, name: str) -> str:
    even, odd = head[0::2].count(0), head[1::2].count(0)
    half = len(head) / 2
    if odd > 0.7 * half and even < 0.05 * half:
        return "utf-16-le"
    if even > 0.7 * half and odd < 0.05 * half:
        return "utf-16-be"
    raise Unreadable("This is not text", name, _WAY_ON)


def _one_byte(path: Path, head: bytes, name: str) -> str:
    controls = sum(byte < 9 or 13 < byte < 32 for byte in head)
    if controls > len(head) * 0.01:
        raise Unreadable("This is not text", name, _WAY_ON)
    # only lines with such bytes tell anything
    telling = b"\n".join(line for line in head.split(b"\n") if any(b > 127 for b in line))[:100_000]
    ranked = sorted(_ONE_BYTE, key=lambda e: -_plausibility(telling, e))
    for encoding in ranked:
        try:
            with path.open(encoding=encoding) as file:
                while file.read(CHUNK):
                    pass
        except UnicodeDecodeError:
            continue
        return encoding
    return "latin_1"


_ONE_BYTE = ["cp1252", "cp1250", "cp1251", "cp1253", "cp437", "cp866", "mac_roman"]
_MARKS = "“”‘’„–—…€£°·«»§©®½×²³µ"


def _plausibility(data: bytes, encoding: str) -> float:
    """Return how much bytes beyond ASCII look like words and punctuation in an encoding.

    Letters should continue words in their own script and case; signs should
    stand outside of words. On short tables this is surer than letter
    frequencies, which need running text.
    """
    try:
        decoded = data.decode(encoding)
    except UnicodeDecodeError:
        return -math.inf
    score = 0.0
    for at, char in enumerate(decoded):
        if char < "\x80":
            continue
        before = decoded[at - 1] if at else " "
        after = decoded[at + 1] if at + 1 < len(decoded) else " "
        if char.isalpha():
            foreign = before.isascii() and before.isalpha() and unicodedata.name(char, "")[:5] != "LATIN"
            wrong_case = before.isalpha() and char.isupper() and not before.isupper()
            score += -2 if foreign or wrong_case else 1
        elif unicodedata.category(char) in ("Cc", "Co", "So", "Lm"):
            score -= 2
        elif before.isalpha() and after.isalpha():
            score += 1 if char == "’" else -2
        else:
            score += 1 if char in _MARKS else -0.5
    return score


def known(encoding: str, name: str) -> str:
    """Return an encoding chosen by hand, refused where there is none of this name."""
    try:
        return codecs.lookup(encoding).name
    except LookupError:
        raise Unreadable(f"There is no encoding “{encoding[:40]}”", name, "Choose one of the list.") from None


def rows_guess(path: Path, sampled_height: int) -> int:
    """Return about how many rows a text file of this size has."""
    with path.open("rb") as file:
        head = file.read(1_000_000)
    lines = head.count(b"\n")
    return sampled_height if lines == 0 else math.ceil(path.stat().st_size / (len(head) / lines))
