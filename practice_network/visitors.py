"""Made-up visitors: whoever clicks an ad follows its link to the real page, with the tag that is on it, and perhaps goes on.

No browser: the page is fetched, the tag's address is read out of it, and what a browser's tag would have sent is sent.
"""

from __future__ import annotations

import json
import re
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from html.parser import HTMLParser
from http.client import HTTPConnection, HTTPException, HTTPSConnection
from random import Random
from typing import Any
from urllib.parse import urljoin, urlsplit

from practice_network.running import Clicked

MOST_BYTES = 1024 * 1024
SECONDS = 10.0
MOST_STEPS = 4
_TAG = re.compile(r"^(https?://[^/]+)/tag/([0-9a-f]+)\.js$")
_AGENT = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36"


class _Page(HTMLParser):
    """The scripts of a page, its title, and where its first form leads."""

    def __init__(self) -> None:
        super().__init__()
        self.scripts: list[str] = []
        self.form = ""
        self.title = ""
        self._in_title = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        said = dict(attrs)
        if tag == "script" and said.get("src"):
            self.scripts.append(said["src"] or "")
        elif tag == "form" and said.get("action") and not self.form:
            self.form = said["action"] or ""
        self._in_title = tag == "title"

    def handle_data(self, data: str) -> None:
        if self._in_title:
            self.title += data.strip()

    def handle_endtag(self, tag: str) -> None:
        self._in_title = False


@dataclass(frozen=True, slots=True)
class Web:
    """Where pages are really served: origin by host, as "brackenhive.example": "http://localhost:8001"."""

    served: Mapping[str, str]

    def fetch(self, url: str) -> _Page | None:
        """The page at an address; None where there is none, or it is served nowhere that is known."""
        parts = urlsplit(url)
        origin = self.served.get(parts.netloc.lower())
        if origin is None:
            return None
        status, text = _ask("GET", origin + (parts.path or "/") + (f"?{parts.query}" if parts.query else ""))
        if status != 200:
            return None
        page = _Page()
        page.feed(text)
        return page


def _ask(method: str, url: str, body: str | None = None) -> tuple[int, str]:
    parts = urlsplit(url)
    kind = HTTPSConnection if parts.scheme == "https" else HTTPConnection
    connection = kind(parts.netloc, timeout=SECONDS)
    try:
        path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
        connection.request(method, path, body, {"User-Agent": _AGENT, "Content-Type": "text/plain"})
        answer = connection.getresponse()
        return answer.status, answer.read(MOST_BYTES).decode(errors="replace")
    except (OSError, HTTPException):
        return 0, ""
    finally:
        connection.close()


def visit(web: Web, who: Clicked, chance: Random) -> int:
    """Follow the ad's link, and the page's form where they go through with it; how many pages were seen."""
    url, visitor, seen = who.link, secrets.token_hex(16), 0
    device = chance.choice(["phone", "phone", "desktop"])
    page = web.fetch(url)
    while page is not None and seen < MOST_STEPS:
        tag = next((m for s in page.scripts if (m := _TAG.match(s))), None)
        if tag is None:
            return seen
        event: dict[str, Any] = {
            "id": secrets.token_hex(16),
            "kind": "view",
            "age": 0,
            "page": 0,
            "title": page.title[:300],
        }
        if seen:
            # Filling in a form, they say who they are; the network knew before.
            event["person"] = {"email": who.hash.hex()}
        body = {"visitor": visitor, "device": device, "urls": [url], "events": [event]}
        _ask("POST", f"{tag[1]}/hit/{tag[2]}", json.dumps(body))
        seen += 1
        if not who.through or not page.form:
            return seen
        url = urljoin(url.partition("?")[0], page.form)
        page = web.fetch(url)
    return seen
