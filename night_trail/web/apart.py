"""A drawing that somebody brought, as pixels: ``python -m night_trail.web.apart WIDTH FONTS <svg >png``.

It is drawn in a process of its own with little memory and time, for a drawing can ask for more than
there is; what it names elsewhere, on this machine or another, is left out.
"""

from __future__ import annotations

import re
import resource
import sys

from lxml import etree

MEMORY, SECONDS = 2_000_000_000, 15
_OWN = re.compile(r"\s*(#|data:image/(png|jpe?g);base64,)", re.IGNORECASE)


def without_elsewhere(svg: bytes) -> str:
    """Return a drawing that names only its own parts, and images that lie in it.

    Raises
    ------
    ValueError
        Where it is no drawing, or declares entities, which could name files or grow without end.

    >>> without_elsewhere(b'<svg><image href="/etc/secret.png"/><use href="#a"/></svg>')
    '<svg><image/><use href="#a"/></svg>'
    """
    if b"<!ENTITY" in svg.upper():
        raise ValueError("it declares entities")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    try:
        root = etree.fromstring(svg, parser)
    except etree.XMLSyntaxError as error:
        raise ValueError("it is no XML") from error
    for one in root.iter():
        for name, value in list(one.attrib.items()) if isinstance(one.tag, str) else ():
            if etree.QName(name).localname == "href" and not _OWN.match(str(value)):
                del one.attrib[name]
    return str(etree.tostring(root, encoding="unicode"))


def main() -> int:
    """Draw what comes in, as wide as was asked, with the fonts of a folder."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    from resvg_py import svg_to_bytes  # noqa: PLC0415  (with the limits set)

    drawn = svg_to_bytes(
        svg_string=without_elsewhere(sys.stdin.buffer.read()),
        width=int(sys.argv[1]),
        font_dirs=[sys.argv[2]],
        font_family="Figtree",
        sans_serif_family="Figtree",
        serif_family="Literata",
    )
    sys.stdout.buffer.write(bytes(drawn))
    return 0


if __name__ == "__main__":
    sys.exit(main())
