"""Rows to come: a plan and what is known of the nights ahead, on the desk and from scripts; steps of time by one click."""

from __future__ import annotations

import csv
import datetime as dt
import html
import io
import json
import re
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.cli import main
from night_trail.core.question import to_json
from night_trail.core.questions.registry import sentence
from night_trail.core.turns import Say, Slot
from night_trail.tables.models import Table
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring
from tests.web.test_hands import newest, post
from tests.web.test_looking import asked

pytestmark = pytest.mark.django_db

NIGHTS, TO_COME = 330, 28


@pytest.fixture(scope="module")
def traps_csv(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Nights of two traps: moths were counted for 330, warm and a plan are known for 28 more."""
    rng = np.random.default_rng(4)
    warm = rng.random(NIGHTS + TO_COME) < 0.25
    lines = ["night,trap,warm,plan,moths"]
    for i in range(NIGHTS + TO_COME):
        night = dt.date(2024, 2, 1) + dt.timedelta(days=i)
        for trap, usual in (("weir", 60), ("orchard", 30)):
            moths = round(usual + 40 * warm[i] + rng.normal(0, 2)) if i < NIGHTS else ""
            lines.append(f"{night},{trap},{'yes' if warm[i] else 'no'},{usual + 20},{moths}")
    path = tmp_path_factory.mktemp("traps") / "light_traps.csv"
    path.write_text("\n".join(lines) + "\n")
    return path


@pytest.fixture
def traps(owner: User, traps_csv: Path) -> Table:
    table = bring(owner, traps_csv).table
    assert table is not None
    return table


def step_of(owner: User, table: Table, words: str) -> Step:
    return take_turn(start_trail(owner, table), Say(words))


def page_of(client: Client, step: Step) -> str:
    return client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()


def test_a_forecast_knows_the_nights_to_come_and_holds_the_plan_against_them(
    client: Client, owner: User, traps: Table
) -> None:
    step = step_of(owner, traps, "sum of moths ahead, day by day")
    known = post(client, step, "turn", change=to_json(Slot("known", "warm")))
    assert known.status_code == 200 and "knowing warm" in known.content.decode()
    planned = take_turn(newest(step), Slot("plan", "plan"))
    page = page_of(client, planned)
    words = html.unescape(re.sub(r"<[^>]+>", "", re.search(r'id="words">(.*?)</p>', page)[1]))
    assert "over the next 28 days" in re.sub(r"<[^>]+>", "", page)
    assert re.search(r"Over 28 planned days to come it is expected [\d.,]+ below plan", words), words
    found = Desk(planned.trail.version, planned.scene_value()).answer(planned.scene_value().main)
    assert (found.end, found.horizon) == (NIGHTS, TO_COME)
    # 80 more moths on a warm night, in both traps together
    mean = found.forecast.mean
    assert mean.max() - mean.min() == pytest.approx(80, abs=8) and "nothing is known of" not in page
    lifted = take_turn(planned, Slot("known", None))
    assert lifted.scene_value().main.known is None
    refused = post(client, step, "turn", change=to_json(Slot("known", "trap")))
    assert refused.status_code == 422 and "yes/no column or a number" in refused.content.decode()


def test_pictures_end_where_figures_do(client: Client, owner: User, traps: Table) -> None:
    monthly = step_of(owner, traps, "sum of moths by month")
    found = Desk(monthly.trail.version, monthly.scene_value()).answer(monthly.scene_value().main)
    last = len(found.together.values) - 1
    # counted until 26 December, rows until 23 January
    assert [found.name(i) for i in np.flatnonzero(~found.whole)] == ["December 2024", "January 2025"]
    assert np.isnan(found.together.values[last])
    assert "January 2025" in page_of(client, monthly)
    parts = step_of(owner, traps, "sum of moths taken apart, day by day")
    apart = Desk(parts.trail.version, parts.scene_value()).answer(parts.scene_value().main)
    assert len(apart.parts.values) == NIGHTS


def test_numbers_of_groups_ahead_have_their_bands(client: Client, owner: User, traps: Table) -> None:
    step = step_of(owner, traps, "sum of moths ahead, day by day over the next 7 days for each trap")
    answer = client.get(reverse("trails:numbers-csv", args=[step.trail_id, step.pk]))
    rows = list(csv.DictReader(io.StringIO(answer.content.decode("utf-8-sig"))))
    weir = [row for row in rows if row["group"] == "weir"]
    assert len(weir) == 7
    for row in weir:
        low, mean, high = (float(row[name]) for name in ("80 % from", "forecast", "80 % to"))
        assert low < mean < high and float(row["95 % from"]) <= low


def test_scripts_get_what_is_known_and_the_bands_of_groups(
    traps_csv: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = "sum of moths ahead, day by day over the next 7 days for each trap knowing warm"
    assert main(["answer", str(traps_csv), "--question", words, "--json"]) == 0
    made = json.loads(capsys.readouterr().out)["answer"]
    assert made["assumed"] is None and len(made["groups"]) == 2
    for group in made["groups"]:
        assert len(group["mean"]) == 7 and len(group["low"]) == len(group["high"]) == 3
    total = np.sum([group["mean"] for group in made["groups"]], axis=0)
    np.testing.assert_allclose(total, made["forecast"]["mean"])
    assert main(["answer", str(traps_csv), "--question", "moths ahead knowing the moon", "--json"]) == 2
    assert "not in this table" in capsys.readouterr().err


def test_a_step_of_time_is_one_click_finer_or_coarser(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings by month")

    def beside(at: Step) -> dict[str, str]:
        found = re.findall(
            r'id="(finer|coarser)" name="change" value="([^"]+)">\1: ([^<]+)<', page_of(client, at)
        )
        return {name: html.unescape(value) for name, value, _ in found}

    assert set(beside(step)) == {"finer", "coarser"}
    response = post(client, step, "turn", change=beside(step)["coarser"])
    assert response.status_code == 200 and newest(step).scene_value().main.grain == "quarter"
    yearly = take_turn(step, Slot("grain", "year"))
    assert set(beside(yearly)) == {"finer"}
    assert set(beside(take_turn(step, Slot("grain", "hour")))) == {"coarser"}
    # what has no steps has no such buttons
    assert beside(asked(owner, table, "late_min")) == {}
    main_picture = yearly.scene_value().main
    assert "year by year" in str(sentence(main_picture, Desk(step.trail.version, step.scene_value()).table))
