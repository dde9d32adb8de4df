"""What readers say of a tale."""

from __future__ import annotations

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from night_trail.people.models import Letter, Role
from night_trail.tales import comments
from night_trail.tales.models import Comment, Link, Stop, Tale
from tests.web.conftest import client_of


@pytest.fixture
def stop(tale: Tale) -> Stop:
    found = tale.stops.exclude(step=None).first()
    assert found is not None
    return found


def by_link(tale: Tale, stop: Stop) -> tuple[Link, str, str]:
    link, token = Link.make(tale)
    number = [s.pk for s in tale.stops.all()].index(stop.pk) + 1
    return (
        link,
        reverse("tales:comment-by-link", args=[token, stop.pk]),
        reverse("tales:walk-stop", args=[token, number]),
    )


def test_a_guest_says_something_and_it_is_shown_escaped_with_its_place(tale: Tale, stop: Stop) -> None:
    _, say, walk = by_link(tale, stop)
    guest = Client()
    made = guest.post(say, {"name": "Ada 🦉", "text": "<script>x</script>\nWhy?", "x": "0.25", "y": "7"})
    assert made.status_code == 302 and made["Location"] == f"{walk}#comments"
    shown = guest.get(walk).content.decode()
    assert "&lt;script&gt;x&lt;/script&gt;<br>Why?" in shown and "<script>x" not in shown
    assert 'data-x="0.2500" data-y="1.0000"' in shown and 'value="Ada 🦉"' in shown
    letter = Letter.objects.get()
    assert letter.to == tale.owner and "Ada 🦉 wrote on" in letter.subject
    assert "Why?" in client_of(tale.owner).get(reverse("people:outbox")).content.decode()


def test_what_is_said_without_words_or_name_or_where_nothing_is_is_refused(
    tale: Tale, stop: Stop, other: User
) -> None:
    link, say, _ = by_link(tale, stop)
    guest = Client()
    for form, words in (
        ({"name": "A", "text": " "}, "nothing written"),
        ({"name": " ", "text": "x"}, "needs a name"),
        ({"name": "A", "text": "x", "thread": "99999"}, "not there any more"),
        ({"name": "A", "text": "x", "thread": "9" * 60}, "not there any more"),
        ({"name": "A", "text": "x", "x": "far", "y": "0"}, "number"),
    ):
        refused = guest.post(say, form)
        assert refused.status_code == 422 and words in refused.content.decode(), form
    Link.objects.filter(pk=link.pk).update(revoked=timezone.now())
    assert guest.post(say, {"name": "A", "text": "x"}).status_code == 404
    assert (
        client_of(other).post(reverse("tales:comment", args=[tale.pk, stop.pk]), {"text": "x"}).status_code
        == 404
    )
    assert not Comment.objects.exists()


def test_guests_of_a_link_cannot_flood_a_tale(
    tale: Tale, stop: Stop, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(comments, "MOST_OF_GUESTS", 2)
    _, say, _ = by_link(tale, stop)
    codes = [Client().post(say, {"name": "A", "text": str(i)}).status_code for i in range(3)]
    assert codes == [302, 302, 422]


def test_a_stop_that_comes_back_has_its_comments_again(client: Client, tale: Tale, stop: Stop) -> None:
    _, say, walk = by_link(tale, stop)
    Client().post(say, {"name": "Ada", "text": "Is it the rain?"})
    client.post(
        reverse("tales:comment", args=[tale.pk, stop.pk]),
        {"text": "It is.", "thread": Comment.objects.get().pk},
    )
    client.post(reverse("tales:remove", args=[tale.pk, stop.pk]))
    assert "Is it the rain?" not in client.get(reverse("tales:comments", args=[tale.pk])).content.decode()
    client.post(reverse("tales:undo", args=[tale.pk]))
    assert {"Is it the rain?", "It is."} == set(stop.comments.values_list("text", flat=True))
    assert "Is it the rain?" in Client().get(walk).content.decode()
    tale.delete()
    assert not Comment.objects.exists()


def test_the_writer_answers_settles_and_hides_and_sees_what_is_new(
    client: Client, other: User, tale: Tale, stop: Stop
) -> None:
    _, say, walk = by_link(tale, stop)
    Client().post(say, {"name": "Ada", "text": "Is it the rain?"})
    one = Comment.objects.get()
    write = reverse("tales:stop", args=[tale.pk, stop.pk])
    assert "Comments, 1 new" in client.get(write).content.decode()
    listed = client.get(reverse("tales:comments", args=[tale.pk])).content.decode()
    assert "Is it the rain?" in listed and "(guest)" in listed
    assert "1 new" not in client.get(write).content.decode()
    client.post(reverse("tales:comment", args=[tale.pk, stop.pk]), {"text": "It is.", "thread": one.pk})
    reader = Client()
    shown = reader.get(walk).content.decode()
    assert 'class="answer"' in shown and "It is." in shown
    decide = reverse("tales:decide-comment", args=[tale.pk, one.pk])
    client.post(decide, {"to": "settle"})
    assert "· settled" in reader.get(walk).content.decode()
    client.post(decide, {"to": "hide"})
    assert "Is it the rain?" not in reader.get(walk).content.decode()
    assert "hidden from readers" in client.get(reverse("tales:comments", args=[tale.pk])).content.decode()
    tale.shares.create(person=other, role=Role.READ)
    assert client_of(other).post(decide, {"to": "show"}).status_code == 404
    assert Letter.objects.count() == 1, "nobody gets letters of what they wrote themselves"
