"""Files on their way in: limited in size, streamed to disk, never held in memory."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.core.files.uploadhandler import SkipFile, TemporaryFileUploadHandler
from django.http import HttpRequest
from django.utils.datastructures import MultiValueDict

from night_trail.core.errors import NightTrailError, Unreadable
from night_trail.tables import quota, room

TOO_LARGE = "night_trail.too_large"
NO_ROOM = "night_trail.no_room"
OVER_QUOTA = "night_trail.over_quota"


def files_of(request: HttpRequest) -> MultiValueDict[str, UploadedFile[Any]]:
    """Return the files that came with a request; looking for them is what takes them in.

    Raises
    ------
    NightTrailError
        Where one was not taken, being larger than is taken, than its owner may bring, or than there is room.
    """
    found = request.FILES
    if request.META.get(OVER_QUOTA):
        left = quota.in_words(quota.left_for(request.user))
        raise NightTrailError(
            f"Your tables and images may take {left} more, and this is larger", "", "Delete a table first."
        )
    if request.META.get(NO_ROOM):
        raise NightTrailError(room.FULL, "", "Try again when there is room.")
    if request.META.get(TOO_LARGE):
        most = quota.in_words(settings.UPLOAD_LIMIT)
        raise Unreadable(
            f"The file is larger than the {most} that are taken", "", "Leave out columns or rows."
        )
    return found


class LimitedUpload(TemporaryFileUploadHandler):
    """Takes no more of a file than is allowed and fits on the disk; the form then says so."""

    def new_file(self, *args: Any, **kwargs: Any) -> None:
        """Begin counting."""
        super().new_file(*args, **kwargs)
        self._taken = 0
        person = getattr(self.request, "user", None)
        if person is not None and self._announced() > quota.left_for(person):
            self._refuse(OVER_QUOTA)
        if room.free() < settings.LEAST_ROOM + self._announced():
            self._refuse(NO_ROOM)

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        """Count and keep, and stop where it is too much."""
        self._taken += len(raw_data)
        if self._taken > settings.UPLOAD_LIMIT:
            self._refuse(TOO_LARGE)
        try:
            super().receive_data_chunk(raw_data, start)
        except OSError as error:
            if not room.is_full(error):
                raise
            self._refuse(NO_ROOM)

    def _announced(self) -> int:
        """Return how many bytes the request says it brings, 0 where it does not say."""
        told = self.request.META.get("CONTENT_LENGTH", "") if self.request is not None else ""
        return int(told) if told.isascii() and told.isdigit() else 0

    def _refuse(self, why: str) -> None:
        if self.request is not None:
            self.request.META[why] = True
        self.file.close()
        raise SkipFile
