"""Walking a tale: one stop at a time, by its owner or by whoever holds a link."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import urlencode

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from night_trail.core.asking_why import whys
from night_trail.core.beats import MOST
from night_trail.core.conditions import toggle
from night_trail.core.errors import NoLonger
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.overview import narrowed
from night_trail.core.question import Scene
from night_trail.core.questions.registry import figures_of as figures_table
from night_trail.core.sentence import scene_in_words
from night_trail.draw import WALK
from night_trail.draw.small.footpath import WalkStop, walk_path
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tales.comments import shown as shown_comments
from night_trail.tales.differing import differs
from night_trail.tales.figures import bound_in, figures_of
from night_trail.tales.following import stops_of
from night_trail.tales.models import Edition, Link, Stop, Tale
from night_trail.tales.overviews import chips_of, chosen_from, chosen_query, shown
from night_trail.tales.page import BESIDE
from night_trail.tales.prose import pace, prose
from night_trail.tales.reach import Reach, opened, refused, signed
from night_trail.tales.reading import reading
from night_trail.tales.views.links import ask_password, may_enter, open_link
from night_trail.trails.page import numbers_shown
from night_trail.trails.pictures import Desk, size_from
from night_trail.trails.playing import bar, beside_each_other
from night_trail.web.asking import for_a_part, for_a_swap

MOST_LINES = 500
YEAR = 365 * 86_400

Address = Callable[[int, int], str]
"""The address of a stop by its number, and of a beat of it, 0 for the first."""


@require_GET
def own(request: HttpRequest, tale: int, number: int = 1) -> HttpResponse:
    """Walk a tale of one's own, or one that was shared."""
    found = get_object_or_404(Tale.objects.visible_to(request.user), pk=tale)
    may_write = Tale.objects.visible_to(request.user, Role.EXPLORE).filter(pk=tale).exists()

    def address(to: int, beat: int = 0) -> str:
        return with_beat(reverse("tales:own-walk-stop", args=[found.pk, to]), beat)

    leave = reverse("tales:write", args=[found.pk]) if may_write else reverse("tales:index")
    return _walk(request, found, number, address, leave)


@login_not_required
@require_GET
def shared(request: HttpRequest, token: str, number: int = 1) -> HttpResponse:
    """Walk a tale by a link; one that was revoked, or whose time is over, is as if it had never been."""
    link = Link.open_by(token)
    if link is None:
        raise Http404
    if not may_enter(request, link):
        return ask_password(request, link, token)

    def address(to: int, beat: int = 0) -> str:
        return with_beat(reverse("tales:walk-stop", args=[token, to]), beat)

    response = _walk(request, link.tale, number, address, "", link=link, token=token)
    response["Cache-Control"] = "private, no-store"
    if link.sites:
        # pages of these sites may show it within them, by this link alone
        response._csp_replace = {"frame-ancestors": ["'self'", *link.sites.split()]}  # type: ignore[attr-defined]
        response.xframe_options_exempt = True
    if not for_a_part(request) and "now" not in request.GET:
        _count(request, response, link)
    return response


@require_GET
def before(request: HttpRequest, tale: int, edition: int, number: int = 1) -> HttpResponse:
    """Walk a tale as it stood before it went over to newer rows."""
    found = get_object_or_404(Tale.objects.visible_to(request.user), pk=tale)
    earlier = get_object_or_404(found.editions, number=edition)

    def address(to: int, beat: int = 0) -> str:
        return with_beat(reverse("tales:before-stop", args=[found.pk, edition, to]), beat)

    may_write = Tale.objects.sees(request.user, found, Role.EXPLORE)
    stops = stops_of(earlier, still_there=not may_write)
    leave = reverse("tales:own-walk", args=[found.pk])
    return _walk(request, found, number, address, leave, earlier=stops, edition=earlier)


@login_not_required
@require_GET
def shared_before(request: HttpRequest, token: str, edition: int, number: int = 1) -> HttpResponse:
    """Walk a tale by a link, as it stood before it went over to newer rows."""
    link = open_link(token)
    if not may_enter(request, link):
        return ask_password(request, link, token)
    earlier = get_object_or_404(link.tale.editions, number=edition)

    def address(to: int, beat: int = 0) -> str:
        return with_beat(reverse("tales:walk-before", args=[token, edition, to]), beat)

    stops = stops_of(earlier, still_there=True)
    leave = reverse("tales:walk", args=[token])
    response = _walk(request, link.tale, number, address, leave, token=token, earlier=stops, edition=earlier)
    response["Cache-Control"] = "private, no-store"
    return response


def _count(request: HttpRequest, response: HttpResponse, link: Link) -> None:
    """Count an opening once for each browser's visit; nothing is kept of who it was."""
    name = f"opened-{link.pk}"
    if name not in request.COOKIES:
        link.count_opening()
        response.set_cookie(name, "1", httponly=True, samesite="Lax", secure=request.is_secure())


def with_beat(address: str, beat: int) -> str:
    """Return the address of a beat of a stop; the first needs no saying."""
    return f"{address}?beat={beat}" if beat > 1 else address


def _walk(
    request: HttpRequest,
    tale: Tale,
    number: int,
    address: Address,
    leave: str,
    link: Link | None = None,
    token: str = "",
    earlier: list[Stop] | None = None,
    edition: Edition | None = None,
) -> HttpResponse:
    stops = stops_to_walk(tale) if earlier is None else earlier
    if not stops:
        return render(request, "tales/empty_walk.html", {"tale": tale, "leave": leave})
    if not 1 <= number <= len(stops):
        raise Http404
    stop = stops[number - 1]
    beats = len(stop.beats) if stop.step is not None else 0
    beat = min(max(whole(request.GET.get("beat", ""), MOST) or 1, 1), beats) if beats else 0
    figures, source = figures_of(stop, reads=True) if bound_in(stop.text) or stop.large else ((), "")
    context: dict[str, Any] = {
        "tale": tale,
        "stop": stop,
        "number": number,
        "count": len(stops),
        "beat": beat,
        "beats": range(1, beats + 1),
        "path": walk_path([WalkStop(s.heading, address(i, 0)) for i, s in enumerate(stops, 1)], number - 1),
        "address": address(number, beat),
        "back": _before(stops, number, beat, address),
        "on": _behind(stops, number, beat, beats, address),
        "prose": prose(stop.text, figures, source),
        "large": next((figure for figure in figures if figure.id == stop.large), None),
        "chapter": next((s.chapter for s in reversed(stops[:number]) if s.chapter), ""),
        "leave": leave,
        "table_address": _asking(address(number, beat), "table=1"),
        "alone_address": address(number, beat),
        "panels_address": _asking(address(number, beat), "panels=1"),
        "explore_address": "" if edition else _explores(request, stop, number, link, token),
        "earlier": edition,
        "presented": not token and edition is None,
    }
    if edition is None:
        where = [token, stop.pk] if token else [tale.pk, stop.pk]
        context["comments"] = shown_comments(stop)
        context["comment_address"] = reverse(
            "tales:comment-by-link" if token else "tales:comment", args=where
        )
        context["guest"] = _guest(request)
    if stop.image is not None:
        named = ("tales:image-by-link", [token]) if token else ("tales:image", [tale.pk])
        context["image_address"] = reverse(named[0], args=[*named[1], stop.image.pk])
    if edition is None:
        context |= _told_of_editions(request, tale, token)
    context |= _shown(request, stop, beat, bool(context["explore_address"]))
    if context.get("chosen"):
        for name in ("table_address", "alone_address", "panels_address"):
            context[name] = _asking(context[name], context["chosen"])
    here = context["table_address"] if context.get("numbers") else context["alone_address"]
    # what stands there now: as it is drawn anew for another room, and as a trail of one's own begins with it
    now = urlencode({"now": context.get("lit_signed", "")})
    context["here_address"] = _asking(here, now)
    context["carried"] = _asking(f"?{now}", context["chosen"]) if context.get("chosen") else f"?{now}"
    words = context.get("beat_words", "") if beat > 1 else stop.text
    context["pace"] = pace(words, stop.heading if beat < 2 else "")
    swap = for_a_swap(request)
    response = render(request, "tales/_walk.html" if swap else "tales/walk.html", context)
    if number == len(stops) and edition is None and tale.editions.exists():
        # who came to the end has read this edition; the browser keeps it, not we
        read = str(context["newest"].number)
        response.set_cookie(f"read-{tale.pk}", read, max_age=YEAR, httponly=True, samesite="Lax")
    return response


def _asking(address: str, query: str) -> str:
    return f"{address}{'&' if '?' in address else '?'}{query}"


def _explores(request: HttpRequest, stop: Stop, number: int, link: Link | None, token: str) -> str:
    """Return where a reader's own trail begins from a stop; nothing where none may."""
    if stop.step is None or not request.user.is_authenticated:
        return ""
    if link is not None:
        return reverse("tales:explore", args=[token, number]) if link.explores else ""
    if not Table.objects.sees(request.user, stop.step.trail.version.table, Role.EXPLORE):
        return ""
    return reverse("tales:explore-own", args=[stop.tale_id, number])


def _guest(request: HttpRequest) -> str:
    """Return the name that a guest wrote before."""
    kept = request.COOKIES.get("guest", "")[:1_000]
    try:
        return kept.encode("ascii").decode("unicode_escape")[:80]
    except UnicodeError:
        return ""


def stops_to_walk(tale: Tale) -> list[Stop]:
    """Return the stops of a tale in order, with what a walk needs of them."""
    joined = ("tale", "step__trail__version__table", "beside__trail__version__table")
    # a survey is much to read, and no walk shows one
    surveys = [
        f"{step}__trail__version__{field}"
        for step in ("step", "beside")
        for field in ("survey", "understood")
    ]
    return list(tale.stops.select_related(*joined, "image").defer(*surveys, "image__data"))


def _told_of_editions(request: HttpRequest, tale: Tale, token: str) -> dict[str, Any]:
    """Return what a reader is told of newer rows: what became of the claims, and since when."""
    newest = tale.editions.first()
    if newest is None:
        return {}
    read = whole(request.COOKIES.get(f"read-{tale.pk}", ""), LARGEST_KEY)
    where = [token, newest.number, 1] if token else [tale.pk, newest.number]
    return {
        "newest": newest,
        "since_read": read is not None and read < newest.number,
        "before_address": reverse("tales:walk-before" if token else "tales:before", args=where),
    }


def _shown(request: HttpRequest, stop: Stop, beat: int, explores: bool) -> dict[str, Any]:
    """Return what a stop shows: an overview, a picture or one of its beats, or that it cannot be drawn.

    ``explores`` is whether the reader may go on from here by questions of their own.
    """
    try:
        if stop.overview is not None:
            return _overview(request, stop)
        if stop.step is None:
            return {}
        words = {"beat_words": stop.beat_values()[beat - 1].words} if beat else {}
        return words | _picture(request, stop, beat, explores)
    except NoLonger:
        return {"unreadable": True}


def _before(stops: list[Stop], number: int, beat: int, address: Address) -> str:
    """Return where the walk came from: the beat before, or the last beat of the stop before."""
    if beat > 1:
        return address(number, beat - 1)
    if number == 1:
        return ""
    earlier = stops[number - 2]
    return address(number - 1, len(earlier.beats) if earlier.step_id is not None else 0)


def _behind(stops: list[Stop], number: int, beat: int, beats: int, address: Address) -> str:
    """Return where the walk goes on: the next beat, or the next stop."""
    if beat < beats:
        return address(number, beat + 1)
    return address(number + 1, 0) if number < len(stops) else ""


def _overview(request: HttpRequest, stop: Stop) -> dict[str, Any]:
    """Return an overview as a reader sees it: lit and narrowed by what is drawn and what is allowed."""
    overview = stop.overview_value()
    if overview is None or stop.step is None:
        return {}
    version, chosen = stop.step.trail.version, chosen_from(request.GET)
    table = core_table(version)
    only = (*overview.only, *narrowed(overview, chosen, table))
    lit, asked = overview.lit, request.GET
    if "now" in asked:
        lit = opened(asked["now"], stop.pk)
    if asked.get("out") == "1":
        lit = None
    elif asked.get("light") or asked.get("add"):
        drawn = "".join(str(one.svg) for one in shown(version, overview, chosen, lit, "o", reads=True))
        rows, reach = Desk(version, Scene(only=only), reads=True).rows, Reach(drawn, table)
        taken = reach.lit(asked.get("light") or asked["add"])
        if 0 < rows.relit(taken).n_lit < stop.tale.least_lit:
            raise refused()
        lit = toggle(lit, taken) if asked.get("add") else taken
    desk = Desk(version, Scene(only=only, lit=lit), reads=True)
    if chosen.values and 0 < desk.rows.n < stop.tale.least_lit:
        raise refused()
    return {
        "overview": overview,
        "tiles": shown(version, overview, chosen, lit, "o", reads=True),
        "overview_chips": chips_of(overview, chosen, table),
        "chosen": chosen_query(chosen),
        "changed": lit != overview.lit or bool(chosen_query(chosen)),
        "lit_signed": signed(lit, stop.pk),
        "lit_words": desk.lit_words(),
    }


def _picture(request: HttpRequest, stop: Stop, beat: int, explores: bool) -> dict[str, Any]:
    assert stop.step is not None  # noqa: S101  (asked only of stops with a picture)
    size = size_from(request, WALK, "walk")
    read = reading(request, stop, beat, size)
    if read is None:
        return {}
    desk, scene, written, chosen = read.desk, read.desk.scene, read.written, read.chosen
    main = written.main
    assert main is not None  # noqa: S101  (there is a picture to read)
    drawn = desk.drawn(main, size, "main", stop.seen_annotations(beat))
    picked = chosen_query(chosen)
    if read.plays:
        # what is lit or chosen next stays at this period
        picked = "&".join(filter(None, (picked, urlencode({"play": request.GET["play"]}))))
    context = {
        "drawn": drawn,
        "scene_words": scene_in_words(scene, desk.table, drawn.answer),
        "overview_chips": chips_of(read.offered, chosen, desk.table),
        "chosen": picked,
        "changed": read.changed,
        "lit_signed": signed(scene.lit, stop.pk),
        "lit_words": desk.lit_words(),
        # of what was written the words speak; a reader's own light raises the question
        "whys": [why.words for why in whys(scene, desk.table)] if explores and read.changed else [],
        "attached_words": desk.rows_words() if desk.standing(main) is not None else "",
        "numbers": numbers_shown(figures_table(drawn.answer), MOST_LINES)
        if request.GET.get("table")
        else None,
    }
    if scene.plays is not None:
        query = urlencode({"now": context["lit_signed"]})
        query = f"{context['chosen']}&{query}" if context["chosen"] else query
        frame = f"?{query}"
        context["playing"] = bar(desk, desk.frames(), frame, "#walk", "outerMorph")
        if request.GET.get("panels"):
            context |= beside_each_other(desk, stop.tale.least_lit, reads=True)
    if stop.beside is not None and (other := stop.scene_beside()).main is not None:
        beside = Desk(stop.beside.trail.version, other, reads=True)
        shown = beside.drawn(other.main, BESIDE, "second")
        context["beside"] = shown
        context["beside_words"] = scene_in_words(other, beside.table, shown.answer)
        context["beside_differs"] = differs(desk, beside)
    return context
