"""Addresses of tales: writing, walking, passing on."""

from django.urls import path

from night_trail.tales.views import drafting, links, walking, writing

app_name = "tales"
urlpatterns = [
    path("tales/", writing.index, name="index"),
    path("tales/new/", writing.new, name="new"),
    path("tales/draft/<int:trail>/<int:step>/", drafting.draft, name="draft"),
    path("tales/draft/<int:table>/", drafting.draft_table, name="draft-table"),
    path("tales/<int:tale>/", writing.write, name="write"),
    path("tales/<int:tale>/title/", writing.rename, name="rename"),
    path("tales/<int:tale>/readers/", writing.readers, name="readers"),
    path("tales/<int:tale>/delete/", writing.delete, name="delete"),
    path("tales/<int:tale>/collect/", writing.collect, name="collect"),
    path("tales/<int:tale>/order/", writing.order, name="order"),
    path("tales/<int:tale>/stops/<int:stop>/", writing.write, name="stop"),
    path("tales/<int:tale>/stops/<int:stop>/edit/", writing.edit, name="edit"),
    path("tales/<int:tale>/stops/<int:stop>/remove/", writing.remove, name="remove"),
    path("tales/<int:tale>/stops/<int:stop>/annotations/", writing.annotate, name="annotate"),
    path("tales/<int:tale>/stops/<int:stop>/picture/", writing.picture, name="picture"),
    path("tales/<int:tale>/links/", links.make, name="link"),
    path("tales/<int:tale>/links/<int:link>/revoke/", links.revoke, name="revoke"),
    path("tales/<int:tale>/walk/", walking.own, name="own-walk"),
    path("tales/<int:tale>/walk/<int:number>/", walking.own, name="own-walk-stop"),
    path("walk/<str:token>/", walking.shared, name="walk"),
    path("walk/<str:token>/<int:number>/", walking.shared, name="walk-stop"),
]
