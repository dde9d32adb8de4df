"""Addresses of tables, files on their way in, and the survey."""

from django.urls import path

from night_trail.tables import views

app_name = "tables"
urlpatterns = [
    path("", views.home, name="home"),
    path("tables/bring/", views.bring, name="bring"),
    path("arrivals/<int:pk>/", views.arrival, name="arrival"),
    path("arrivals/<int:pk>/cancel/", views.cancel, name="cancel"),
    path("tables/<int:pk>/", views.survey, name="survey"),
    path("tables/<int:pk>/name/", views.rename, name="rename"),
    path("tables/<int:pk>/delete/", views.delete, name="delete"),
]
