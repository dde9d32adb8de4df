"""Somebody with a browser's manners: cookies, forms, patience."""

from __future__ import annotations

import http.client
import re
import time
import urllib.parse
from http.cookies import SimpleCookie
from typing import NamedTuple

PATIENCE = 60.0


class Answer(NamedTuple):
    """A status (0 where nothing came), a text, an address to go to, and how long it took in seconds."""

    status: int
    text: str
    location: str
    seconds: float

    @property
    def refused(self) -> bool:
        """Whether it is a refusal with a sentence, and no error."""
        return 400 <= self.status < 500 or self.status in (503, 507)


class Person:
    """Asks pages of a server on this machine."""

    def __init__(self, port: int) -> None:
        self.port = port
        self.cookies: dict[str, str] = {}

    def ask(self, method: str, path: str, body: bytes = b"", kind: str = "", swap: bool = False) -> Answer:
        """Send a request and return what came."""
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        if method == "POST":
            headers |= {
                "Content-Type": kind or "application/x-www-form-urlencoded",
                "X-CSRFToken": self.cookies.get("csrftoken", ""),
            }
        if swap:
            headers["HX-Request"] = "true"
        began = time.monotonic()
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=PATIENCE)
        try:
            connection.request(method, path, body or None, headers)
            response = connection.getresponse()
            text = response.read().decode(errors="replace")
            for told in response.headers.get_all("Set-Cookie") or ():
                for name, morsel in SimpleCookie(told).items():
                    self.cookies[name] = morsel.value
            location = response.headers.get("Location", response.headers.get("HX-Push-Url", ""))
            return Answer(response.status, text, location, time.monotonic() - began)
        except (OSError, http.client.HTTPException) as error:
            return Answer(0, str(error), "", time.monotonic() - began)
        finally:
            connection.close()

    def get(self, path: str, swap: bool = False) -> Answer:
        """Look at a page."""
        return self.ask("GET", path, swap=swap)

    def post(self, path: str, swap: bool = False, **form: object) -> Answer:
        """Send a form."""
        return self.ask("POST", path, urllib.parse.urlencode(form).encode(), swap=swap)

    def bring(self, path: str, name: str, content: bytes) -> Answer:
        """Send a file."""
        edge = "edge-of-the-night"
        body = (
            f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
            + content
            + f"\r\n--{edge}--\r\n".encode()
        )
        return self.ask("POST", path, body, f"multipart/form-data; boundary={edge}")

    def sign_in(self, name: str, password: str) -> Person:
        """Sign in, and be somebody."""
        for _ in range(30):
            self.get("/sign-in/")
            if self.post("/sign-in/", username=name, password=password).status == 302:
                return self
            time.sleep(1.0)
        raise SystemExit(f"{name} cannot sign in.")

    def saw(self, path: str, kind: str) -> dict[str, str]:
        """Return what a page's form of a kind of thing says it saw."""
        return dict(re.findall(rf'name="(saw-[a-z_]+)" value="([^"]*)" id="saw-{kind}-', self.get(path).text))
