"""The collector's addresses for bridge links: `/to/KEY/NAME` forwards, `/sale/KEY` takes reports of sales."""

from __future__ import annotations

import asyncio
import hashlib
import logging

from django.conf import settings

from clabo.collect.bridges.collecting import Bridges, reported, seen_by_pixel, step
from clabo.collect.ingest.asgi import Collector
from clabo.collect.ingest.beacon import Refused, admit
from clabo.collect.ingest.directory import TagSite
from clabo.collect.ingest.http import (
    GIF,
    UNCACHED,
    Headers,
    Receive,
    Scope,
    Send,
    header,
    read_body,
    respond,
    user_agent,
)
from clabo.collect.ingest.inbox import Full
from clabo.platform.logs import Seldom

log = logging.getLogger(__name__)

# A bridge link forwards after so long, whether its step is committed or not.
STEP_WAIT_SECONDS = 0.01
SERVER_AGENT = "Mozilla/5.0 (a server that reports a sale)"
_not_kept = Seldom(log.error)


class BridgeRoutes:
    """Steps over bridge links and the sales reported for them, as one collector answers them."""

    prefixes = ("/to/", "/sale/")

    def __init__(self, collector: Collector) -> None:
        self._collector = collector
        self.links = Bridges()
        self._secret = hashlib.sha256(b"bridge" + settings.SECRET_KEY.encode()).digest()

    def refresh(self) -> None:
        """Read all links again."""
        self.links.refresh()

    async def answer(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        """Forward whoever follows a link, or take a sale; raises Refused."""
        if scope["path"].startswith("/to/"):
            await self._forward(site, scope, send)
        else:
            await self._sale(site, scope, receive, send)

    async def _forward(self, site: TagSite, scope: Scope, send: Send) -> None:
        slug = scope["path"].removeprefix("/to/").partition("/")[2]
        link = self.links.get(site, slug)
        if link is None or scope["method"] not in ("GET", "HEAD"):
            # Nothing of the request ever says where to go.
            raise Refused(
                404, "unknown_link", "There is no such link", "Ask whoever gave it to you.", site.id
            )
        agent = user_agent(scope)
        visitor = await self._collector.nameless(site, scope, agent)
        referrer = header(scope, b"referer")[:2048]
        query = scope["query_string"][:8192].decode("latin-1")
        address, body = step(site, link, query, referrer, agent, visitor, self._secret)
        if scope["method"] == "GET":
            try:
                committed = self._collector.take(site, scope, admit(body), told=visitor)
            except Refused as refused:
                # Whoever follows a link is led on, whatever becomes of the count.
                self._collector.refused.add(refused)
            except Full as full:
                _not_kept("a step over a bridge link could not be kept: %s", full)
            else:
                # Nobody waits long for the count: it goes on by itself, and to the spool if need be.
                await asyncio.wait([committed], timeout=STEP_WAIT_SECONDS)
                committed.add_done_callback(_noted)
        headers: Headers = [
            (b"location", address.encode("ascii", "ignore")),
            (b"cache-control", b"no-store"),
            (b"referrer-policy", b"no-referrer"),
        ]
        await respond(send, 302, headers)

    async def _sale(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["method"] == "POST":
            report = await read_body(scope, receive, site)
            signed = header(scope, b"clabo-signature")
            body = reported(site, self.links, report, signed, self._secret)
        elif scope["method"] == "GET" and scope["path"].endswith(".gif"):
            query = scope["query_string"][:4096].decode("latin-1")
            body = seen_by_pixel(site, self.links, query, self._secret)
        else:
            raise Refused(405, "wrong_method", "Sales are reported by POST", "Or by the image.", site.id)
        # A sale is the word of another server: no bot, whatever that server calls itself.
        await self._collector.take(site, scope, admit(body), agent=SERVER_AGENT)
        if scope["method"] == "POST":
            await respond(send, 204, UNCACHED)
        else:
            await respond(send, 200, [*UNCACHED, (b"content-type", b"image/gif")], GIF)


def _noted(committed: asyncio.Future[None]) -> None:
    if not committed.cancelled() and committed.exception():
        log.error("a step over a bridge link could not be kept: %s", committed.exception())
