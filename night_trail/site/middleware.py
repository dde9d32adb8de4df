"""What the core refuses becomes one sentence, never an error page."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers

from night_trail.core.errors import NightTrailError
from night_trail.site.errors import sentence_page
from night_trail.tables import room
from night_trail.web.writing import Moved, moved_page


class PlainErrors:
    """Turns ``NightTrailError`` into its sentence with status 422."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on; pages differ for whole loads and for swaps."""
        response = self.get_response(request)
        patch_vary_headers(response, ("HX-Request",))
        # a page holds somebody's data: no cache between, and none of the browser's own after sign-out
        response.headers.setdefault("Cache-Control", "private, no-cache")
        return response

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """Answer a refusal of the core with its sentence, and what two wrote with both texts."""
        if isinstance(exception, Moved):
            return moved_page(request, exception)
        if room.is_full(exception):
            return sentence_page(request, f"{room.FULL}. Try again when there is room.", 507)
        if room.is_busy(exception):
            return sentence_page(
                request, "Others are writing just now, and nothing of this was kept. Try again.", 503
            )
        if isinstance(exception, NightTrailError):
            return sentence_page(request, str(exception), 422)
        return None
