"""Files on their way in: limited in size, streamed to disk, never held in memory."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.files.uploadhandler import FileUploadHandler, SkipFile


class LimitedUpload(FileUploadHandler):
    """Stops taking a file's bytes once it is larger than allowed; the form then says so."""

    def new_file(self, *args: Any, **kwargs: Any) -> None:
        """Begin counting."""
        super().new_file(*args, **kwargs)
        self._taken = 0

    def receive_data_chunk(self, raw_data: bytes, start: int) -> bytes:
        """Count, and stop where it is too much."""
        self._taken += len(raw_data)
        if self._taken > settings.UPLOAD_LIMIT:
            if self.request is not None:
                self.request.META["night_trail.too_large"] = True
            raise SkipFile
        return raw_data

    def file_complete(self, file_size: int) -> None:
        """Leave the file to the next handler."""
        return
