"""A tale as Markdown with its pictures as SVG, in one zip."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator

from night_trail.core.bound import escaped, unbound
from night_trail.tales.export.gathered import Part, told
from night_trail.tales.images import ENDINGS
from night_trail.tales.models import Tale


def markdown(tale: Tale) -> bytes:
    """Return the zip: ``tale.md`` and a folder of pictures."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        lines = [f"# {escaped(tale.title)}", ""]
        chapter = ""
        for one in told(tale):
            if one.chapter and one.chapter != chapter:
                chapter = one.chapter
                lines += [f"## {escaped(chapter)}", ""]
            lines += [f"### {escaped(one.heading)}", ""]
            if one.large is not None:
                lines += [f"**{escaped(one.large.text)}** {escaped(one.large.label)}", ""]
            if one.text.strip():
                lines += [unbound(one.text).strip(), ""]
            if one.claim:
                lines += [f"> {escaped(one.claim)}", ""]
            parts = one.parts + ((one.beside,) if one.beside is not None else ())
            for at, part in enumerate(parts, 1):
                name = f"pictures/stop-{one.number}-{at}.svg"
                made.writestr(name, part.alone())
                lines += _shown(part, name)
            if one.image is not None:
                name = f"pictures/image-{one.number}.{ENDINGS[one.image.kind]}"
                made.writestr(name, bytes(one.image.data), zipfile.ZIP_STORED)
                lines += [f"![{escaped(one.alt)}]({name})", ""]
            if one.unreadable:
                lines += ["*The picture of this stop cannot be drawn any more.*", ""]
        made.writestr("tale.md", "\n".join(lines))
    return out.getvalue()


def _shown(part: Part, name: str) -> Iterator[str]:
    if part.words:
        yield from (f"*{escaped(part.words)}*", "")
    yield from (f"![{escaped(part.sentence)}]({name})", "")
    for caution in part.cautions:
        yield from (f"- ! {escaped(caution)}", "")
