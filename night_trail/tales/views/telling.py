"""What a stop says: bound figures, proposed words, a claim; and what was done to it, undone."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from night_trail.core.bound import Length, bind, followed, proposed, typed
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.questions.registry import words_of
from night_trail.tales.deeds import deed, redo, undo
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Stop
from night_trail.tales.page import chips_offered
from night_trail.tales.services import twice as add_twice
from night_trail.tales.views.writing import may_vary, must_vary, stop_of, writable, written
from night_trail.trails.claims import claim_context, take_claim
from night_trail.trails.models import Step, Trail
from night_trail.trails.pictures import Desk
from night_trail.web.asking import for_a_part

MOST_CHIPS = 8
LENGTHS: dict[str, Length] = {"brief": "brief", "full": "full", "points": "points"}


def _back(stop: Stop) -> HttpResponse:
    return redirect("tales:stop", stop.tale_id, stop.pk)


def _kept(request: HttpRequest, stop: Stop, text: str, said: str) -> HttpResponse:
    if len(text) > 20_000:
        raise NightTrailError("The text of a stop has at most 20,000 characters", "", "Shorten it first.")
    with deed(stop.tale, request.user, said):
        stop.text = text
        stop.save(update_fields=["text"])
    return _back(stop)


@require_POST
def bind_one(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Bind a figure that was typed by hand to the picture's own."""
    found = stop_of(request, tale, stop)
    start = whole(request.POST.get("start", ""), 20_000)
    figures, _ = figures_of(found)
    for one in typed(found.text, figures):
        if (
            one.start == start
            and one.text == request.POST.get("text")
            and one.known.id == request.POST.get("figure")
        ):
            bound = bind(found.text, one.start, one.end, one.known)
            return _kept(request, found, bound, f"bound {one.text}")
    raise NightTrailError("The text has changed meanwhile", "", "Reload the page, then bind it.")


@require_POST
def agree(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Agree to the figures as they are now: none is marked as changed any more."""
    found = stop_of(request, tale, stop)
    return _kept(request, found, followed(found.text, figures_of(found)[0]), "agreed to new figures")


@require_POST
def propose(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Put the picture's own words behind the text, their figures bound."""
    found = stop_of(request, tale, stop)
    scene = found.shown_scene()
    if found.step is None or scene.main is None:
        raise NightTrailError("This stop has no picture to speak of", "", "Collect a cairn first.")
    desk = Desk(found.step.trail.version, scene)
    words = words_of(desk.answer(scene.main), desk.table, scene.only)
    made = proposed(words, figures_of(found)[0], LENGTHS.get(request.POST.get("length", ""), "brief"))
    text = f"{found.text.rstrip()}\n\n{made}" if found.text.strip() else made
    return _kept(request, found, text, "took proposed words")


@require_http_methods(["GET", "POST"])
def claim(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Show what a stop claims and what becomes of it, or keep another claim."""
    found = stop_of(request, tale, stop)
    scene = found.shown_scene()
    if found.step is None:
        raise NightTrailError("This stop has no picture to claim something of", "", "Collect a cairn first.")
    desk = Desk(found.step.trail.version, scene)
    may = may_vary(request, found)
    if request.method == "POST":
        must_vary(request, found)
        with deed(found.tale, request.user, "changed what is claimed"):
            take_claim(request, found, desk)
        if not for_a_part(request):
            return _back(found)
    context = claim_context(found, desk, proposes=may)
    context["claim_address"] = reverse("tales:claim", args=[tale, stop]) if may else ""
    return render(request, "trails/_claim.html", context)


@require_POST
def ways(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Say how a stop shows: following new rows or not, one figure large, a second picture beside it."""
    found = stop_of(request, tale, stop)
    large = request.POST.get("large", "")[:8]
    if large and all(figure.id != large for figure in figures_of(found)[0]):
        raise NightTrailError("The picture has no such figure", "", "Choose one of the list.")
    beside = None
    if chosen := whole(request.POST.get("beside", ""), LARGEST_KEY):
        visible = Trail.objects.visible_to(request.user)
        beside = get_object_or_404(Step.objects.filter(trail__in=visible), pk=chosen)
    chips = _chips(request, found)
    with deed(found.tale, request.user, "changed how a stop shows"):
        found.large, found.beside, found.frozen = large, beside, bool(request.POST.get("frozen"))
        found.chips = chips
        found.save(update_fields=["large", "beside", "frozen", "chips"])
    return written(request, tale, stop) if for_a_part(request) else _back(found)


def _chips(request: HttpRequest, stop: Stop) -> list[str]:
    """Return the columns that readers may narrow a stop's picture by, as they were ticked."""
    if "chips" not in request.POST:
        return list(stop.chips)
    ticked = set(request.POST.getlist("chip"))
    able = [name for name, _ in chips_offered(stop)]
    chips = [name for name in able if name in ticked]
    if ticked - set(able):
        raise NightTrailError("Readers cannot choose from this column", "", "Choose one of the list.")
    if len(chips) > MOST_CHIPS:
        raise NightTrailError(f"At most {MOST_CHIPS} columns can be chosen from", "", "Untick some.")
    if set(chips) - set(stop.chips):
        must_vary(request, stop)
    return chips


@require_POST
def twice(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Put a copy of a stop behind it."""
    found = stop_of(request, tale, stop)
    with deed(found.tale, request.user, f"doubled {found.heading}"):
        made = add_twice(found)
    return redirect("tales:stop", tale, made.pk)


@require_POST
def take_back(request: HttpRequest, tale: int) -> HttpResponse:
    """Take back what the visitor did last to a tale's stops."""
    return _moved(request, tale, again=False)


@require_POST
def do_again(request: HttpRequest, tale: int) -> HttpResponse:
    """Do again what the visitor took back last."""
    return _moved(request, tale, again=True)


def _moved(request: HttpRequest, tale: int, again: bool) -> HttpResponse:
    found = writable(request, tale)
    (redo if again else undo)(found, request.user)
    stop = whole(request.POST.get("stop", ""), LARGEST_KEY)
    if stop is not None and found.stops.filter(pk=stop).exists():
        return redirect("tales:stop", tale, stop)
    return redirect("tales:write", tale)
