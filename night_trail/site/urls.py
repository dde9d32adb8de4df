"""All addresses, and the pages shown when something is not there."""

from django.urls import include, path

from night_trail.demo.feed import next_month
from night_trail.site.health import health
from night_trail.site.sharing import share

urlpatterns = [
    path("health/", health, name="health"),
    path("demo/next-month/<int:table>/", next_month, name="next-month"),
    path("share/<slug:kind>/<int:pk>/", share, name="share"),
    path("", include("night_trail.people.urls")),
    path("", include("night_trail.tables.urls")),
    path("", include("night_trail.trails.urls")),
    path("", include("night_trail.tales.urls")),
]

handler400 = "night_trail.site.errors.bad_request"
handler403 = "night_trail.site.errors.forbidden"
handler404 = "night_trail.site.errors.not_found"
handler500 = "night_trail.site.errors.server_error"
