"""Random turns, questions, conditions, steps and forms: a sentence or a picture, never an error, never for ever."""

from __future__ import annotations

import json
import os
import random
import time

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Condition
from night_trail.core.question import Question
from night_trail.core.recipe import Step as RecipeStep
from night_trail.core.turns import Change
from night_trail.tables.models import Table, Version
from night_trail.tables.services import core_table
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at
from tests.fuzz import NUMBERS, TEXTS, Fuzz

FINE = {200, 204, 302, 404, 409, 413, 422}
ROUNDS = int(os.environ.get("FUZZ_ROUNDS", "1"))
SLOW = 20.0
"""Seconds after which an answer counts as never coming; on an idle machine it is well under five."""


def words(table: Table) -> list[str]:
    core = core_table(table.latest)
    names = [c.name for c in core.columns]
    values = [str(v) for n in names[:12] for v in core.series(n).head(3).to_list()]
    return [*names, *names, *values, "day", "month", "mean", "median", "count", "yes", "*"]


def asked(client: Client, address: str, form: dict[str, str]) -> int:
    began = time.monotonic()
    response = client.post(address, form, headers={"HX-Request": "true"})
    assert response.status_code in FINE, (address, form, response.status_code)
    assert time.monotonic() - began < SLOW, (address, form)
    return response.status_code


@pytest.mark.parametrize("seed", range(ROUNDS))
def test_random_turns_end_in_a_picture_or_a_sentence_and_every_step_opens(
    client: Client, step: Step, table: Table, seed: int
) -> None:
    fuzz = Fuzz(random.Random(seed), words(table))
    here, taken = step, 0
    for _ in range(70):
        kind = fuzz.rng.choice((Change, Change, Question))
        change = fuzz.value(kind)
        if kind is Question:
            change = {"turn": "see", "question": change}
        address = reverse("trails:turn", args=[here.trail_id, here.pk])
        taken += asked(client, address, {"change": json.dumps(change)}) == 200
        here = fuzz.rng.choice(list(here.trail.steps.order_by("-pk")[:6]))
    made = list(step.trail.steps.all())
    assert taken > 5 and len(made) > 3, "some of them are turns"
    for one in made:
        shown = client.get(reverse("trails:step", args=[one.trail_id, one.pk]))
        assert shown.status_code == 200 and "any more" not in shown.content.decode()


@pytest.mark.parametrize("seed", range(ROUNDS))
def test_random_steps_of_a_recipe_leave_a_table_that_opens(client: Client, table: Table, seed: int) -> None:
    fuzz = Fuzz(random.Random(seed), words(table))
    for i in range(24):
        step = fuzz.value(RecipeStep)
        asked(client, reverse("tables:step", args=[table.pk]), {"step": json.dumps(step)})
        if i % 12 == 11:
            now = Table.objects.get(pk=table.pk)
            assert client.get(reverse("tables:survey", args=[table.pk])).status_code == 200
            for at in range(min(len(now.latest.columns), 4)):
                assert client.get(reverse("tables:column", args=[table.pk, at])).status_code == 200


def test_random_forms_and_conditions_are_answered(client: Client, step: Step, table: Table) -> None:
    fuzz = Fuzz(random.Random(7), words(table))
    base = f"/trails/{step.trail_id}/steps/{step.pk}/"
    fields = (
        "column",
        "low",
        "high",
        "value",
        "words",
        "slot",
        "turn",
        "edges",
        "text",
        "unit",
        "top",
        "kind",
    )
    for _ in range(40):
        odd = [str(n) for n in NUMBERS] + list(TEXTS) + ["inf", "nan", "-inf", "1e999", "1,200", "0x10"]
        form = {name: fuzz.rng.choice(odd + fuzz.words) for name in fuzz.rng.sample(fields, 4)}
        asked(client, base + fuzz.rng.choice(("turn/", "measure/", "group/", "part/")), form)
        condition = json.dumps({"turn": "only", "condition": fuzz.value(Condition)})
        asked(client, base + "turn/", {"change": condition})
        action = fuzz.rng.choice(("describe", "read-as", "to-missing", "cut", "order", "gather", "split"))
        asked(client, f"/tables/{table.pk}/column/{fuzz.rng.randrange(5)}/{action}/", form)
    deep = '{"type":"not","part":' * 3_000 + "{}" + "}" * 3_000
    asked(client, base + "turn/", {"change": f'{{"turn":"only","condition":{deep}}}'})


# ---- what was kept and cannot be read any more ----

BROKEN = {"main": {"ask": "spread of a kind that is gone", "column": "late_min"}}


@pytest.fixture
def broken(step: Step) -> Step:
    """A step whose scene cannot be read, with a cairn, in a tale."""
    cairn_at(step)
    Step.objects.filter(pk=step.pk).update(scene=BROKEN)
    return Step.objects.get(pk=step.pk)


def test_a_step_that_cannot_be_read_is_shown_as_such_and_left(
    client: Client, owner: User, broken: Step
) -> None:
    shown = client.get(reverse("trails:step", args=[broken.trail_id, broken.pk]))
    page = shown.content.decode()
    assert shown.status_code == 200 and "This step cannot be read any more" in page
    back = reverse("trails:step", args=[broken.trail_id, broken.parent_id])
    assert back in page and client.get(back).status_code == 200
    for name in ("picture", "figure", "numbers", "rows", "figures"):
        assert client.get(reverse(f"trails:{name}", args=[broken.trail_id, broken.pk])).status_code == 422
    assert client.get(reverse("trails:others", args=[broken.trail_id, broken.parent_id])).status_code == 200
    tale = Tale.objects.create(owner=owner, title="x")
    stop = add_stop(tale, broken.cairn)
    written = client.get(reverse("tales:stop", args=[tale.pk, stop.pk]))
    assert written.status_code == 200 and "cannot be read any more" in written.content.decode()
    walked = client.get(reverse("tales:own-walk", args=[tale.pk]))
    assert walked.status_code == 200 and "cannot be drawn any more" in walked.content.decode()
    assert client.get(reverse("trails:index")).status_code == 200


def test_a_step_of_a_recipe_that_cannot_be_read_can_be_taken_back(client: Client, table: Table) -> None:
    survey = reverse("tables:survey", args=[table.pk])
    client.post(
        reverse("tables:step", args=[table.pk]), {"step": '{"step": "leave out", "columns": ["rain_mm"]}'}
    )
    made = Table.objects.get(pk=table.pk).latest
    Version.objects.filter(pk=made.pk).update(recipe=[{"step": "of another time", "columns": ["rain_mm"]}])
    page = client.get(survey)
    assert page.status_code == 200 and "a step that cannot be read any more" in page.content.decode()
    more = client.post(
        reverse("tables:step", args=[table.pk]), {"step": '{"step": "leave out", "columns": ["depot"]}'}
    )
    assert more.status_code == 302, "what was done stands, and more can be done"
    refused = client.post(reverse("tables:take-back", args=[table.pk, 1]))
    assert refused.status_code == 302
    assert client.post(reverse("tables:take-back", args=[table.pk, 0])).status_code == 302
    now = Table.objects.get(pk=table.pk).latest
    assert not now.recipe and "rain_mm" in [c.name for c in now.column_list()]


def test_a_survey_or_way_of_reading_that_cannot_be_read_is_a_sentence(client: Client, table: Table) -> None:
    Version.objects.filter(pk=table.latest.pk).update(survey={"of": "another time"})
    shown = client.get(reverse("tables:survey", args=[table.pk]))
    assert shown.status_code == 422 and "This survey cannot be read any more" in shown.content.decode()
