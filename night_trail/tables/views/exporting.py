"""A table, its survey and its recipe as files."""

from __future__ import annotations

import json
import tempfile

from django.conf import settings
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET

from night_trail.tables import recipes
from night_trail.tables.cells import csv_pieces, write_parquet, write_xlsx
from night_trail.tables.services import core_table
from night_trail.tables.views import seen_table
from night_trail.tables.views.surveying import survey_context
from night_trail.web.downloads import download, file_name

_STYLES = ("css/tokens.css", "css/theme.css", "../../draw/style/picture.css", "css/survey-page.css")


@require_GET
def export(request: HttpRequest, pk: int, form: str) -> HttpResponse | StreamingHttpResponse | FileResponse:
    """Give a table as CSV, Parquet or a workbook."""
    table = seen_table(request, pk)
    core = core_table(table.latest)
    if form == "csv":
        response = StreamingHttpResponse(csv_pieces(core), content_type="text/csv; charset=utf-8")
        return download(response, table.name, form)
    writers = {"parquet": write_parquet, "xlsx": write_xlsx}
    if form not in writers:
        raise Http404
    target = tempfile.NamedTemporaryFile(dir=settings.INCOMING, suffix=f".{form}")  # noqa: SIM115  (closed by the response)
    writers[form](core, target.name)
    target.seek(0)
    return FileResponse(target, as_attachment=True, filename=file_name(table.name, form))


@require_GET
def survey_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Give the survey as one HTML page that stands alone."""
    table = seen_table(request, pk)
    here = settings.PACKAGE / "site" / "static"
    styles = "\n".join((here / path).resolve().read_text() for path in _STYLES)
    context = survey_context(table, request.GET.get("order", "odd")) | {"styles": styles}
    response = HttpResponse(render_to_string("tables/survey_page.html", context))
    return download(response, f"survey of {table.name}", "html")


@require_GET
def recipe(request: HttpRequest, pk: int) -> HttpResponse:
    """Give the recipe: how the file is read and what is done to it."""
    table = seen_table(request, pk)
    body = json.dumps(recipes.exported(table.latest), ensure_ascii=False, indent=2)
    response = HttpResponse(body, content_type="application/json; charset=utf-8")
    return download(response, f"{table.name} recipe", "json")
