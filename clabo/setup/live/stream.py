"""The live list as server-sent events (WHATWG HTML §9.2), in front of Django, which is slow at streams.

    GET /live/<site id>     text/event-stream; an event named "hits" with what is new, one named "now"

Whoever watches a site shares one look a second at the database with all others who watch it.
"""

from __future__ import annotations

import asyncio
import logging
from collections import Counter
from collections.abc import AsyncIterator
from contextlib import suppress
from typing import Any

import msgspec
from django.db import DatabaseError, InterfaceError, connection

from clabo.collect.ingest.http import Asgi, Receive, Scope, Send
from clabo.platform.accounts.access import person
from clabo.platform.accounts.sessions import session_request
from clabo.platform.problems import Problem
from clabo.setup.live import queries as collected
from clabo.setup.live.schemas import hits_out, now_out
from clabo.setup.sites.access import site_for
from clabo.setup.sites.models import Site

log = logging.getLogger(__name__)

LOOK_SECONDS = 1.0
MOST_WATCHERS = 200
# Of one person at one site: as many windows as somebody has open, and nobody's place is taken by one who opens more.
MOST_OF_ONE = 5
ASK_AGAIN_SECONDS = 5.0
Sight = tuple[list[dict[str, Any]], dict[str, Any]]


class Stream:
    """An ASGI application that answers the address above and passes the rest on."""

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind
        self._watched: dict[int, _Watch] = {}
        self._looking = asyncio.Semaphore(2)
        # By person and site.
        self._watchers: Counter[tuple[int, int]] = Counter()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith("/live/"):
            await self.behind(scope, receive, send)
            return
        number = scope["path"].removeprefix("/live/")
        found: tuple[Site, int] | None = None
        if scope["method"] == "GET" and number.isascii() and number.isdigit() and len(number) < 16:
            try:
                # A few at a time: hits are kept by the same threads.
                async with self._looking:
                    found = await asyncio.to_thread(_allowed, scope, int(number))
            except (DatabaseError, InterfaceError):
                await _end(send, 503)
                return
        if found is None:
            await _end(send, 404)
            return
        site, user = found
        if self._watchers[user, site.pk] >= MOST_OF_ONE or self._watchers.total() >= MOST_WATCHERS:
            await _end(send, 429 if self._watchers[user, site.pk] >= MOST_OF_ONE else 503)
            return
        self._watchers[user, site.pk] += 1
        try:
            # The server ends what is still open when it stops: that is no error.
            with suppress(asyncio.CancelledError):
                await self._stream(site, scope, receive, send)
        finally:
            self._watchers[user, site.pk] -= 1

    async def _stream(self, site: Site, scope: Scope, receive: Receive, send: Send) -> None:
        headers = [
            (b"content-type", b"text/event-stream"),
            (b"cache-control", b"no-store"),
            (b"x-accel-buffering", b"no"),
        ]
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        gone = asyncio.ensure_future(_gone(receive))
        watch = self._watched.setdefault(site.pk, _Watch(site))
        told: set[str] = set()
        loop = asyncio.get_running_loop()
        asked = loop.time()
        try:
            async for hits, now in watch.sights():
                fresh = [h for h in hits if h["id"] not in told]
                told = {h["id"] for h in hits}
                body = _event("now", now)
                if fresh:
                    body += _event("hits", fresh)
                if loop.time() - asked > ASK_AGAIN_SECONDS:
                    # Whoever has been taken out of the workspace sees no more of it.
                    with suppress(DatabaseError, InterfaceError):
                        if await asyncio.to_thread(_allowed, scope, site.pk) is None:
                            await send({"type": "http.response.body", "body": b""})
                            return
                    asked = loop.time()
                if gone.done():
                    return
                await send({"type": "http.response.body", "body": body, "more_body": True})
        finally:
            gone.cancel()
            if not watch.leave():
                self._watched.pop(site.pk, None)


class _Watch:
    """One look a second at a site, shared by everybody who watches it."""

    def __init__(self, site: Site) -> None:
        self.site = site
        self._watching = 0
        self._sight: asyncio.Future[Sight] | None = None

    async def sights(self) -> AsyncIterator[Sight]:
        self._watching += 1
        while True:
            if self._sight is None or self._sight.done():
                self._sight = asyncio.ensure_future(asyncio.to_thread(_look, self.site))
            with suppress(DatabaseError, InterfaceError):
                yield await asyncio.shield(self._sight)
            await asyncio.sleep(LOOK_SECONDS)

    def leave(self) -> int:
        """One watcher less; how many remain."""
        self._watching -= 1
        return self._watching


def _look(site: Site) -> Sight:
    try:
        hits = [h.model_dump(mode="json") for h in hits_out(site, collected.live_hits(site))]
        return hits, now_out(site).model_dump(mode="json")
    except (DatabaseError, InterfaceError):
        connection.close()
        raise


def _allowed(scope: Scope, site_id: int) -> tuple[Site, int] | None:
    """The site and who asks, where they are signed in and may see it."""
    request = session_request(scope)
    if request is None:
        return None
    try:
        return site_for(request, site_id), person(request).pk
    except Problem:
        return None
    except (DatabaseError, InterfaceError):
        connection.close()
        raise


def _event(name: str, data: object) -> bytes:
    return b"event: " + name.encode() + b"\ndata: " + msgspec.json.encode(data) + b"\n\n"


async def _gone(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


async def _end(send: Send, status: int) -> None:
    headers = [(b"cache-control", b"no-store"), *([(b"retry-after", b"10")] if status in (429, 503) else [])]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": b""})
