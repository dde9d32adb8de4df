"""Images that were brought: read as nothing but PNG or JPEG, and turned upright.

What a file holds beside its pixels (where and when it was taken, by which camera, whatever
else was put in) does not come along.
"""

from __future__ import annotations

import io
import warnings
from typing import TYPE_CHECKING

from night_trail.core.errors import NightTrailError

if TYPE_CHECKING:
    from PIL.Image import Image

MOST_BYTES = 12_000_000
MOST_PIXELS = 40_000_000


def opened(data: bytes) -> Image:
    """Return an image turned upright.

    Raises
    ------
    NightTrailError
        Where it is neither PNG nor JPEG, is broken, or has too many bytes or pixels.
    """
    from PIL import Image as Pixels  # noqa: PLC0415  (slow import, only here)
    from PIL import ImageOps  # noqa: PLC0415

    if len(data) > MOST_BYTES:
        raise refused(f"it has more than {MOST_BYTES // 1_000_000} MB")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Pixels.DecompressionBombWarning)
            with Pixels.open(io.BytesIO(data), formats=("PNG", "JPEG")) as found:
                if found.width * found.height > MOST_PIXELS:
                    raise refused(f"it has more than {MOST_PIXELS // 1_000_000} million pixels")
                found.load()
                return ImageOps.exif_transpose(found)
    except NightTrailError:
        raise
    except (OSError, ValueError, SyntaxError, Warning, Pixels.DecompressionBombError):
        raise refused("it is neither PNG nor JPEG, or broken") from None


def refused(why: str) -> NightTrailError:
    """Return what is said of an image that is not taken."""
    return NightTrailError(f"This image was not taken: {why}", "", "Choose a PNG or JPEG.")
