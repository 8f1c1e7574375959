"""The collector: takes hits and serves tags, in front of Django's middleware.

    POST /hit/<site key>        a beacon (plain-text JSON, so that browsers send no preflight)
    GET  /pixel/<site key>.gif  a page view without script
    GET  /tag/<site key>.js     the tag with its site's settings
    GET  /tag/part/<name>.js    a part of the tag that only some pages need
    GET  /to/<site key>/<name>  a bridge link: counts a step and forwards
    POST /sale/<site key>       a sale that the other side of a bridge link reports; GET ….gif as an image

Everything else is Django's.
"""

from __future__ import annotations

import asyncio
import gzip
import hashlib
import logging
import re
import time
import uuid
from base64 import b64decode
from collections.abc import Awaitable, Callable, MutableMapping
from contextlib import suppress
from functools import lru_cache, partial
from typing import Any

import msgspec
from django.conf import settings
from django.db import connection

from clabo.collect import bridges, refusals
from clabo.collect.attendance import Attending
from clabo.collect.gate import Limits, network_of
from clabo.collect.inbox import AWAY, Full, Inbox, Seldom, Spool
from clabo.collect.intake import MAX_BODY, Beacon, BeaconEvent, Envelope, Refused, admit, check, cleaned
from clabo.collect.salts import Salts, visitor_of
from clabo.sites.directory import Directory, TagSite

log = logging.getLogger(__name__)

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
Asgi = Callable[[Scope, Receive, Send], Awaitable[None]]
Headers = list[tuple[bytes, bytes]]

_ANYONE: Headers = [(b"access-control-allow-origin", b"*")]
# By which the tag knows the collector's own answer from one that a service worker makes up.
_OURS: Headers = [*_ANYONE, (b"clabo", b"1"), (b"access-control-expose-headers", b"clabo")]
_UNCACHED: Headers = [*_ANYONE, (b"cache-control", b"no-store")]
# The answer to nearly every request, made once.
_ACCEPTED_START: MutableMapping[str, Any] = {"type": "http.response.start", "status": 204, "headers": _OURS}
_ACCEPTED_BODY = {"type": "http.response.body", "body": b""}
_GIF = b64decode("R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7")
REFRESH_SECONDS = 2.0
# A bridge link forwards after so long, whether its step is committed or not.
STEP_WAIT_SECONDS = 0.01
SERVER_AGENT = "Mozilla/5.0 (a server that reports a sale)"
# What the tag loads on pages that need it (tag/src/parts).
PARTS = frozenset({"clicks", "forms", "frames", "watch", "notice", "carry"})
ASK_SECONDS = 0.5
_HEADER_NAMES = re.compile(r"[\w\-, ]{1,1000}", re.ASCII)
_GZIP = re.compile(r"\bgzip\b")
_not_kept = Seldom(log.error)


class Collector:
    """An ASGI application that answers the addresses above and passes the rest on."""

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind
        self.directory = Directory()
        self.inbox = Inbox(Spool(settings.CLABO_SPOOL_DIR))
        self.refused = refusals.Tally()
        self._housekeeping: asyncio.Task[None] | None = None
        self._parts: dict[str, tuple[float, str]] = {}
        self.salts = Salts()
        self.attending = Attending()
        self.bridges = bridges.Bridges()
        self.limits = Limits()
        self._secret = hashlib.sha256(b"bridge" + settings.SECRET_KEY.encode()).digest()
        self._network_secret = hashlib.sha256(b"network" + settings.SECRET_KEY.encode()).digest()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            path: str = scope["path"]
            if path.startswith("/hit/"):
                await self._guard(self._hit, path[5:], scope, receive, send)
                return
            if path.startswith("/pixel/"):
                await self._guard(self._pixel, path[7:].removesuffix(".gif"), scope, receive, send)
                return
            if path.startswith("/tag/part/"):
                await self._serve_part(path[10:].removesuffix(".js"), scope, send)
                return
            if path.startswith("/to/"):
                key, _, slug = path[4:].partition("/")
                await self._guard(partial(self._forward, slug=slug), key, scope, receive, send)
                return
            if path.startswith("/sale/"):
                key = path[6:].removesuffix(".gif")
                await self._guard(self._sale, key, scope, receive, send)
                return
            if path.startswith("/tag/"):
                await self._guard(self._serve_tag, path[5:].removesuffix(".js"), scope, receive, send)
                return
        elif scope["type"] == "lifespan":
            await self._lifespan(receive, send)
            return
        await self.behind(scope, receive, send)

    # -- hits ------------------------------------------------------------------------------------

    async def _guard(self, answer: Any, key: str, scope: Scope, receive: Receive, send: Send) -> None:
        """Run `answer`; a refusal becomes a counted problem+json."""
        if self._housekeeping is None:
            self._housekeeping = asyncio.get_running_loop().create_task(self._keep_house())
        try:
            site = self.directory.get(key) or await self._new_site(key)
            await answer(site, scope, receive, send)
        except Refused as refused:
            self.refused.add(refused)
            await _respond(
                send,
                refused.status,
                [*_OURS, (b"content-type", b"application/problem+json")],
                refused.problem(),
            )
        except Full as full:
            _not_kept("a hit could not be kept: %s", full)
            problem = Refused(
                503, "full", "Hits cannot be kept at the moment", "Keep it and try again later."
            )
            headers = [*_OURS, (b"retry-after", b"30"), (b"content-type", b"application/problem+json")]
            await _respond(send, 503, headers, problem.problem())

    async def _new_site(self, key: str) -> TagSite:
        """Perhaps a site made a moment ago. Forged keys wait together, and ask at most twice a second."""
        site: TagSite | None = None
        asked = time.monotonic()
        while site is None and self.directory.loaded_at < asked:
            try:
                await asyncio.to_thread(_with_database, self.directory.refresh, ASK_SECONDS)
            except AWAY:
                if not self.directory.loaded_at:
                    raise Full("the database is away and no site is known yet") from None
                break
            site = self.directory.get(key)
            if site is None and self.directory.loaded_at < asked:
                await asyncio.sleep(ASK_SECONDS / 4)
        if site is None:
            raise Refused(404, "unknown_key", "No site has this key", "Copy the tag again from Pixel.")
        return site

    async def _hit(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["method"] == "OPTIONS":
            # Some pages add headers of their own to whatever they send.
            asked = _header(scope, b"access-control-request-headers")
            names = asked if _HEADER_NAMES.fullmatch(asked) else "content-type"
            allowed = [
                (b"access-control-allow-headers", names.encode()),
                (b"access-control-max-age", b"86400"),
                (b"vary", b"access-control-request-headers"),
            ]
            await _respond(send, 204, [*_ANYONE, *allowed])
            return
        if scope["method"] != "POST":
            raise Refused(
                405, "wrong_method", "Hits are sent by POST", "Use the tag as it is served.", site.id
            )
        body = cleaned(await _read(scope, receive, site))
        beacon = check(body, site)
        if beacon.dropped:
            lost = Refused(413, "too_large", "", "An event was too large for the tag to send.", site.id)
            self.refused.add(lost, beacon.dropped)
        visitor = await self._nameless(site, scope, _user_agent(scope)) if site.nameless else ""
        await self._take(site, scope, body, visitor, beacon.visitor)
        await send(_ACCEPTED_START)
        await send(_ACCEPTED_BODY)

    def _take(
        self,
        site: TagSite,
        scope: Scope,
        body: bytes,
        visitor: str = "",
        told: str = "",
        agent: str | None = None,
    ) -> asyncio.Future[None]:
        """The one way into the inbox, for hits of every kind; done once the hit is kept.

        `visitor` takes the place of the one that the body tells (`told`). Raises Refused where there are too many.
        """
        client = _client(scope)
        network = network_of(client, self._network_secret, site.id)
        self.limits.admit(site, visitor or told, network)
        agent = _user_agent(scope) if agent is None else agent
        now = time.time_ns() // 1_000_000
        return self.inbox.put(Envelope(site.id, now, agent, body, visitor, site.is_own(client), network))

    async def _pixel(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        headers = dict(scope["headers"])
        agent = _user_agent(scope)
        visitor = await self._nameless(site, scope, agent)
        page = headers.get(b"referer", b"").decode("latin-1")
        beacon = Beacon(visitor, "desktop", [BeaconEvent(uuid.uuid4().hex, "view", 0, page[:2048])])
        body = admit(msgspec.json.encode(beacon))
        check(body, site)
        await self._take(site, scope, body, told=visitor)
        await _respond(send, 200, [*_UNCACHED, (b"content-type", b"image/gif")], _GIF)

    # -- bridge links ----------------------------------------------------------------------------

    async def _forward(self, site: TagSite, scope: Scope, receive: Receive, send: Send, *, slug: str) -> None:
        link = self.bridges.get(site, slug)
        if link is None or scope["method"] not in ("GET", "HEAD"):
            # Nothing of the request ever says where to go.
            raise Refused(
                404, "unknown_link", "There is no such link", "Ask whoever gave it to you.", site.id
            )
        agent = _user_agent(scope)
        visitor = await self._nameless(site, scope, agent)
        referrer = _header(scope, b"referer")[:2048]
        query = scope["query_string"][:8192].decode("latin-1")
        address, body = bridges.step(site, link, query, referrer, agent, visitor, self._secret)
        if scope["method"] == "GET":
            try:
                committed = self._take(site, scope, admit(body), told=visitor)
            except Refused as refused:
                # Whoever follows a link is led on, whatever becomes of the count.
                self.refused.add(refused)
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
        await _respond(send, 302, headers)

    async def _sale(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["method"] == "POST":
            report = await _read(scope, receive, site)
            signed = _header(scope, b"clabo-signature")
            body = bridges.reported(site, self.bridges, report, signed, self._secret)
        elif scope["method"] == "GET" and scope["path"].endswith(".gif"):
            query = scope["query_string"][:4096].decode("latin-1")
            body = bridges.seen_by_pixel(site, self.bridges, query, self._secret)
        else:
            raise Refused(405, "wrong_method", "Sales are reported by POST", "Or by the image.", site.id)
        # A sale is the word of another server: no bot, whatever that server calls itself.
        await self._take(site, scope, admit(body), agent=SERVER_AGENT)
        if scope["method"] == "POST":
            await _respond(send, 204, _UNCACHED)
        else:
            await _respond(send, 200, [*_UNCACHED, (b"content-type", b"image/gif")], _GIF)

    async def _nameless(self, site: TagSite, scope: Scope, agent: str) -> str:
        """Who it is where no id is stored: for today only."""
        if self.salts.today() is None:
            with suppress(*AWAY):
                await asyncio.to_thread(_with_database, self.salts.refresh)
        salt = self.salts.today()
        if salt is None:
            raise Full("the database is away and today's salt is not known yet")
        return visitor_of(salt, site.key, _client(scope), agent)

    # -- the tag ---------------------------------------------------------------------------------

    async def _serve_tag(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        build = "tag" + "-splits" * site.splits + "-more" * site.more
        script = self._script(build) or ""
        etag = f'"{site.etag}-{hashlib.sha256(script.encode()).hexdigest()[:8]}"'.encode()
        headers: Headers = [
            *_ANYONE,
            (b"etag", etag),
            (b"cache-control", b"public, max-age=60, stale-while-revalidate=300"),
            (b"x-content-type-options", b"nosniff"),
            (b"cross-origin-resource-policy", b"cross-origin"),
        ]
        if _header(scope, b"if-none-match").encode("latin-1").removeprefix(b"W/") == etag:
            await _respond(send, 304, headers)
            return
        body = script.replace("__SETTINGS__", site.settings.decode()).encode()
        await _respond_script(scope, send, headers, body)

    async def _serve_part(self, name: str, scope: Scope, send: Send) -> None:
        script = self._script(name) if name in PARTS else None
        if script is None:
            await _respond(send, 404, _ANYONE)
            return
        headers: Headers = [
            *_ANYONE,
            (b"cache-control", b"public, max-age=3600, stale-while-revalidate=86400"),
            (b"x-content-type-options", b"nosniff"),
            (b"cross-origin-resource-policy", b"cross-origin"),
        ]
        await _respond_script(scope, send, headers, script.encode())

    def _script(self, name: str) -> str | None:
        """A built script, read again when it has changed."""
        path = settings.CLABO_TAG_DIR / f"{name}.js"
        try:
            changed = path.stat().st_mtime
        except OSError:
            return None
        if name not in self._parts or self._parts[name][0] != changed:
            self._parts[name] = (changed, path.read_text())
        return self._parts[name][1]

    # -- in the background -----------------------------------------------------------------------

    async def _keep_house(self) -> None:
        while True:
            await asyncio.sleep(REFRESH_SECONDS)
            for chore in (
                self.salts.refresh,
                self.directory.refresh,
                self.bridges.refresh,
                self.inbox.replay,
                self.refused.save,
                self.attending.note,
            ):
                try:
                    await asyncio.to_thread(_with_database, chore)
                except AWAY:
                    break
                except Exception:
                    log.exception("the collector's housekeeping failed")

    async def _lifespan(self, receive: Receive, send: Send) -> None:
        while True:
            message = await receive()
            if message["type"] == "lifespan.startup":
                try:
                    await asyncio.to_thread(_with_database, self.directory.refresh)
                    await asyncio.to_thread(_with_database, self.salts.refresh)
                    await asyncio.to_thread(_with_database, self.bridges.refresh)
                except AWAY:
                    log.warning("the database is away; starting without it")
                self._housekeeping = asyncio.get_running_loop().create_task(self._keep_house())
                await send({"type": "lifespan.startup.complete"})
            else:
                if self._housekeeping:
                    self._housekeeping.cancel()
                with suppress(*AWAY):
                    await asyncio.to_thread(_with_database, self.refused.save)
                await send({"type": "lifespan.shutdown.complete"})
                return


def _with_database(work: Callable[..., Any], *args: Any) -> None:
    """Run `work` in this thread, whose connection is given up when it turns out to be broken."""
    try:
        work(*args)
    except AWAY:
        connection.close()
        raise


def _client(scope: Scope) -> str:
    """The address that the request came from; never stored."""
    return str((scope.get("client") or ("",))[0])


def _header(scope: Scope, wanted: bytes) -> str:
    for name, value in scope["headers"]:
        if name == wanted:
            return str(value.decode("latin-1"))
    return ""


def _user_agent(scope: Scope) -> str:
    return _header(scope, b"user-agent")[:400]


def _noted(committed: asyncio.Future[None]) -> None:
    if not committed.cancelled() and committed.exception():
        log.error("a step over a bridge link could not be kept: %s", committed.exception())


async def _read(scope: Scope, receive: Receive, site: TagSite) -> bytes:
    """The body, at most MAX_BODY and one chunk; what is longer is refused without being kept."""
    body: bytes = b""
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            raise Refused(400, "cut_off", "The request was cut off", "Send it again.", site.id)
        body = body + message["body"] if body else message.get("body", b"")
        if len(body) > MAX_BODY:
            raise Refused(
                413, "too_large", "The request is too large", f"Send at most {MAX_BODY // 1024} KB.", site.id
            )
        if not message.get("more_body"):
            return body


@lru_cache(maxsize=512)
def _gzipped(body: bytes) -> bytes:
    return gzip.compress(body, 9, mtime=0)


async def _respond_script(scope: Scope, send: Send, headers: Headers, body: bytes) -> None:
    """A script, compressed for whoever takes it so."""
    headers = [
        *headers,
        (b"content-type", b"text/javascript; charset=utf-8"),
        (b"vary", b"accept-encoding"),
    ]
    if _GZIP.search(_header(scope, b"accept-encoding")):
        body = _gzipped(body)
        headers.append((b"content-encoding", b"gzip"))
    await _respond(send, 200, headers, body)


async def _respond(send: Send, status: int, headers: Headers, body: bytes = b"") -> None:
    if status not in (204, 304):
        headers = [*headers, (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
