"""Addresses of tales: writing, walking, passing on."""

from django.urls import path

from night_trail.tales.views import beats, drafting, links, telling, walking, writing

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
    path("tales/<int:tale>/stops/<int:stop>/thumb/", writing.thumb, name="thumb"),
    path("tales/<int:tale>/stops/<int:stop>/turn/", beats.turn, name="turn"),
    path("tales/<int:tale>/stops/<int:stop>/beats/", beats.add, name="beat-add"),
    path("tales/<int:tale>/stops/<int:stop>/beats/<int:beat>/", beats.edit, name="beat-edit"),
    path("tales/<int:tale>/stops/<int:stop>/beats/<int:beat>/move/", beats.move, name="beat-move"),
    path("tales/<int:tale>/stops/<int:stop>/bind/", telling.bind_one, name="bind"),
    path("tales/<int:tale>/stops/<int:stop>/agree/", telling.agree, name="agree"),
    path("tales/<int:tale>/stops/<int:stop>/propose/", telling.propose, name="propose"),
    path("tales/<int:tale>/stops/<int:stop>/claim/", telling.claim, name="claim"),
    path("tales/<int:tale>/stops/<int:stop>/ways/", telling.ways, name="ways"),
    path("tales/<int:tale>/stops/<int:stop>/twice/", telling.twice, name="twice"),
    path("tales/<int:tale>/undo/", telling.take_back, name="undo"),
    path("tales/<int:tale>/redo/", telling.do_again, name="redo"),
    path("tales/<int:tale>/links/", links.make, name="link"),
    path("tales/<int:tale>/links/<int:link>/revoke/", links.revoke, name="revoke"),
    path("tales/<int:tale>/walk/", walking.own, name="own-walk"),
    path("tales/<int:tale>/walk/<int:number>/", walking.own, name="own-walk-stop"),
    path("walk/<str:token>/", walking.shared, name="walk"),
    path("tales/<int:tale>/walk/<int:number>/explore/", links.explore_own, name="explore-own"),
    path("walk/<str:token>/enter/", links.enter, name="enter"),
    path("walk/<str:token>/<int:number>/explore/", links.explore, name="explore"),
    path("walk/<str:token>/<int:number>/", walking.shared, name="walk-stop"),
]
