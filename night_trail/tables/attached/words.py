"""What is said of attached rows: how many, where, as of when, and whether they are others by now."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from night_trail.core.language.numbers import counted
from night_trail.tables.attached.drawing import Attachment, changed_since
from night_trail.tables.models import Version


@dataclass(frozen=True)
class AttachedWords:
    """What a survey says of attached rows; ``rows`` how many they are."""

    rows: int
    said: str
    changed: str


def attached_words(version: Version) -> AttachedWords | None:
    """Return what is said of the attached rows of a version; None where it has none."""
    if not version.attached:
        return None
    root = version.base or version
    found = msgspec.convert(version.attached, Attachment)
    files = "one file" if found.files == 1 else counted(found.files, "file")
    at = found.as_of.strftime("%-d %B %Y %H:%M")
    place = f"the database {found.where.words}" if found.where.server else f"{files} at {found.where.words}"
    said = f"They are in {place}, as of {at} (UTC)."
    if found.where.server:
        said += " Rows that were changed there since, and not added or taken away, are not noticed."
    if found.rows > root.height:
        said += (
            f" What is said here is of a part of {root.height:,} of them, drawn at random once; pictures of "
            "groups and periods are counted over all."
        )
        unseen = [c.name for c in root.column_list() if c.name not in found.fields]
        if unseen:
            names = ", ".join(f"“{name}”" for name in unseen[:5]) + (" and more" if len(unseen) > 5 else "")
            said += f" Read otherwise than they are there, and so told from the part: {names}."
    else:
        said += " There are few enough of them to look at all."
    changed = ""
    if changed_since(found):
        changed = "The rows are others by now, or cannot be reached: what was told of them stays as it was."
    return AttachedWords(found.rows, said, changed)
