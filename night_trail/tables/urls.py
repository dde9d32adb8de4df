"""Addresses of tables, files on their way in, and the survey."""

from django.urls import path

from night_trail.tables.views import arriving, attaching, columns, exporting, surveying, together

app_name = "tables"
table = "tables/<int:pk>/"
urlpatterns = [
    path("", arriving.home, name="home"),
    path("tables/bring/", arriving.bring, name="bring"),
    path("tables/attach/", attaching.attach, name="attach"),
    path("tables/attach/database/", attaching.add_database, name="add-database"),
    path("tables/attach/database/<int:pk>/", attaching.database, name="database"),
    path("tables/attach/database/<int:pk>/forget/", attaching.forget_database, name="forget-database"),
    path("arrivals/<int:pk>/", arriving.bundle, name="bundle"),
    path("arrivals/<int:pk>/read/", arriving.read_bundle, name="read"),
    path("arrivals/<int:pk>/cancel/", arriving.cancel, name="cancel"),
    path("arrivals/table/<int:pk>/", arriving.decide, name="decide"),
    path(table, surveying.survey, name="survey"),
    path(table + "name/", surveying.rename, name="rename"),
    path(table + "delete/", surveying.delete, name="delete"),
    path(table + "again/", arriving.again, name="again"),
    path(table + "bring/", arriving.bring, name="deliver"),
    path(table + "look-again/", attaching.look_again, name="look-again"),
    path(table + "finding/<int:at>/", surveying.finding, name="finding"),
    path(table + "step/", surveying.step, name="step"),
    path(table + "step/<int:at>/back/", surveying.take_back, name="take-back"),
    path(table + "use-recipe/", surveying.use_recipe, name="use-recipe"),
    path(table + "column/<int:at>/", columns.column, name="column"),
    path(table + "column/<int:at>/sums/", columns.sums, name="sums"),
    path(table + "column/<int:at>/<slug:action>/", columns.change, name="change"),
    path(table + "calculate/", columns.calculate, name="calculate"),
    path(table + "calculate/preview/", columns.calculate_preview, name="calculate-preview"),
    path(table + "calculate/example/", columns.example, name="example"),
    path(table + "join/", together.join, name="join"),
    path(table + "stack/", together.stack, name="stack"),
    path(table + "export/<slug:form>/", exporting.export, name="export"),
    path(table + "survey.html", exporting.survey_page, name="survey-page"),
    path(table + "recipe.json", exporting.recipe, name="recipe"),
]
