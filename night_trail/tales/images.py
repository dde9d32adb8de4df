"""Images of a writer's own: read as pixels and written anew."""

from __future__ import annotations

import io
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpResponse

from night_trail.core.errors import NightTrailError
from night_trail.tables import quota
from night_trail.tales.models import Image, Tale
from night_trail.web.pixels import MOST_BYTES, opened, refused

LONGEST = 1_600
"""Pixels of the longer side that are kept: wider than any page shows it."""

MOST_KEPT = 1_200_000
"""Bytes of a PNG beyond which it is kept as JPEG, where nothing shines through it."""

MOST_IMAGES = 200
ENDINGS = {"image/png": "png", "image/jpeg": "jpg"}


def read_image(data: bytes) -> tuple[bytes, str, int, int]:
    """Return an image written anew, its type, and its width and height in pixels.

    Raises
    ------
    NightTrailError
        Where it is neither PNG nor JPEG, is broken, or has too many bytes or pixels.
    """
    return _written(opened(data))


def _written(found: Any) -> tuple[bytes, str, int, int]:
    through = "A" in found.getbands() or "transparency" in found.info
    made = found.convert("RGBA" if through else "RGB")
    made.thumbnail((LONGEST, LONGEST))
    out = io.BytesIO()
    made.save(out, "PNG", optimize=True)
    kind = "image/png"
    if out.tell() > MOST_KEPT and not through:
        out = io.BytesIO()
        made.save(out, "JPEG", quality=85, optimize=True)
        kind = "image/jpeg"
    return out.getvalue(), kind, made.width, made.height


def take_image(tale: Tale, file: object) -> Image:
    """Keep an uploaded image with a tale; raises as ``read_image`` does, and where nothing was chosen."""
    if not isinstance(file, UploadedFile):
        raise NightTrailError("No image was chosen", "", "Choose a PNG or JPEG.")
    if (file.size or 0) > MOST_BYTES:
        raise refused(f"it has more than {MOST_BYTES // 1_000_000} MB")
    return keep_image(tale, file.read())


def keep_image(tale: Tale, data: bytes) -> Image:
    """Keep an image with a tale; raises as ``read_image`` does."""
    if tale.images.count() >= MOST_IMAGES:
        raise NightTrailError(f"A tale holds at most {MOST_IMAGES} images", "", "Begin a second tale.")
    made, kind, width, height = read_image(data)
    quota.check_room(tale.owner, len(made))
    return Image.objects.create(tale=tale, data=made, kind=kind, width=width, height=height)


def seen_image(tale: Tale, pk: int) -> Image:
    """Return an image that a stop of a tale shows, now or before it went over to newer rows; else none."""
    shown = tale.stops.filter(image=pk).exists() or any(
        stop.get("image_id") == pk for edition in tale.editions.all() for stop in edition.stops
    )
    found = tale.images.filter(pk=pk).first() if shown else None
    if found is None:
        raise Http404
    return found


def served(image: Image) -> HttpResponse:
    """Return an image as an answer; it never changes."""
    response = HttpResponse(bytes(image.data), content_type=image.kind)
    response["X-Content-Type-Options"] = "nosniff"
    response["Cache-Control"] = "private, max-age=86400"
    return response
