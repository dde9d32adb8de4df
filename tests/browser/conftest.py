"""The application as `make demo` runs it: migrated, prepared, served by granian, with its worker."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

ROOT = Path(__file__).resolve().parents[2]
PATIENCE = 30_000
"""Milliseconds a page may take on a busy machine before a test gives up."""
PASSWORD: list[str] = []
"""What the demo printed for coming in more than once."""
SESSION: list[Any] = []
"""The cookie of whoever signed in first: a password is slow to check, once is enough."""
expect.set_options(timeout=PATIENCE)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if "browser" in Path(item.path).parts:
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    quiet = "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking"
    return {
        "executable_path": "/usr/bin/chromium-headless-shell",
        "args": [*quiet.split(), "--disable-component-update", "--disable-sync"],
    }


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The address the running demo prints; it signs the visitor in."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    environment = os.environ | {
        "NIGHT_TRAIL_VAR": str(tmp_path_factory.mktemp("var")),
        "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.demo",
        "PORT": str(port),
    }
    subprocess.run([sys.executable, "manage.py", "ready_demo"], cwd=ROOT, env=environment, check=True)
    server = subprocess.Popen(
        [sys.executable, "tools/run_demo.py"], cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True
    )
    assert server.stdout is not None
    found = None
    for line in server.stdout:
        found = found or re.search(r"http://\S+/enter/\S+/", line)
        if password := re.search(r"with the password (\S+)", line):
            PASSWORD.append(password[1])
            break
    assert found, "the demo printed no address"
    yield found[0]
    server.send_signal(signal.SIGINT)
    assert server.wait(timeout=15) == 0, "Ctrl-C ends the demo cleanly"


@pytest.fixture
def base(address: str) -> str:
    return address.split("/enter/")[0]


@pytest.fixture
def complaints() -> list[str]:
    """What the browser complained of, and requests that left the machine; must stay empty."""
    return []


@pytest.fixture
def page(context: BrowserContext, address: str, complaints: list[str]) -> Iterator[Page]:
    context.set_default_timeout(PATIENCE)
    page = signed_in(context, address, complaints)
    yield page
    assert complaints == []


def signed_in(context: BrowserContext, address: str, complaints: list[str]) -> Page:
    page = context.new_page()
    host = address.split("/enter/")[0]
    page.on("pageerror", lambda error: complaints.append(str(error)))
    page.on(
        "console", lambda m: complaints.append(m.text) if m.type == "error" and "422" not in m.text else None
    )
    page.on(
        "request",
        lambda r: None if r.url.startswith((host, "data:", "blob:")) else complaints.append(f"left: {r.url}"),
    )
    if SESSION:
        context.add_cookies([*SESSION])
        page.goto(host + "/")
    else:
        come_in(page, address)
        SESSION.extend(c for c in context.cookies() if c["name"] == "sessionid")
    return page


def come_in(page: Page, address: str) -> None:
    """Sign in as the demo's analyst; the door itself opens once."""
    page.goto(address.split("/enter/")[0] + "/sign-in/")
    page.get_by_label("Name").fill("analyst")
    page.get_by_label("Password").fill(PASSWORD[-1])
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/")


@pytest.fixture
def browser_context_args() -> dict[str, object]:
    return {"viewport": {"width": 1280, "height": 800}}


@pytest.fixture
def stranger(browser: Browser) -> Iterator[Page]:
    """Somebody who is not signed in."""
    context = browser.new_context()
    yield context.new_page()
    context.close()
