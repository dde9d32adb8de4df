"""Addresses of trails, steps and what belongs to a step."""

from django.urls import path

from night_trail.trails import views
from night_trail.trails.views import cairns, conditions, looking_on, naming, parts, ranks, together, wording

app_name = "trails"
step = "trails/<int:trail>/steps/<int:step>/"
urlpatterns = [
    path("tables/<int:table>/trail/", views.start, name="start"),
    path("tables/<int:table>/words/", wording.words, name="words"),
    path("tables/<int:table>/words/ask/", wording.ask, name="words-ask"),
    path("tables/<int:table>/words/picture/", wording.picture, name="words-picture"),
    path("tables/<int:table>/words/means/", wording.means, name="words-mean"),
    path("tables/<int:table>/words/favourite/", wording.favourite, name="words-favourite"),
    path("trails/", views.index, name="index"),
    path("trails/<int:trail>/", views.latest, name="latest"),
    path("trails/<int:trail>/title/", views.rename, name="rename"),
    path("trails/<int:trail>/delete/", views.delete, name="delete"),
    path(step, views.desk, name="step"),
    path(step + "turn/", views.turn, name="turn"),
    path(step + "slot/<str:slot>/", parts.slot, name="slot"),
    path(step + "only/", conditions.condition, name="condition"),
    path(step + "only/found/", conditions.found, name="found"),
    path(step + "only/<int:position>/", conditions.reword, name="reword"),
    path(step + "group/", naming.group, name="group"),
    path(step + "part/", naming.part, name="part"),
    path(step + "measure/", naming.measure, name="measure"),
    path(step + "measure/forget/", naming.forget, name="measure-forget"),
    path(step + "signposts/", looking_on.signposts, name="signposts"),
    path(step + "work/", parts.work, name="work"),
    path(step + "picture/", parts.picture, name="picture"),
    path(step + "same-rows/", parts.same_rows, name="same-rows"),
    path(step + "preview/", parts.preview, name="preview"),
    path(step + "figure.svg", parts.figure, name="figure"),
    path(step + "figure.png", parts.figure_png, name="figure-png"),
    path(step + "numbers/", parts.numbers, name="numbers"),
    path(step + "numbers.csv", parts.numbers_csv, name="numbers-csv"),
    path(step + "figures/", parts.figures, name="figures"),
    path(step + "figures.csv", parts.figures_csv, name="figures-csv"),
    path(step + "groups/", ranks.groups, name="groups"),
    path(step + "groups.csv", ranks.groups_csv, name="groups-csv"),
    path(step + "rows/", parts.rows, name="rows"),
    path(step + "beside/", together.others, name="others"),
    path(step + "beside/<int:other>/", together.side_by_side, name="side-by-side"),
    path(step + "row/", parts.row, name="row"),
    path(step + "rows.csv", parts.rows_csv, name="rows-csv"),
    path(step + "cairn/", cairns.leave, name="cairn"),
    path(step + "cairn/edit/", cairns.edit, name="cairn-edit"),
    path(step + "cairn/take/", cairns.take, name="cairn-take"),
    path(step + "annotations/", cairns.annotate, name="annotate"),
]
