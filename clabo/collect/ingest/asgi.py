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
import hashlib
import logging
import re
import time
import uuid
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import msgspec
from django.conf import settings
from django.db import connection

from clabo.collect.ingest import refusals
from clabo.collect.ingest.attendance import Attending
from clabo.collect.ingest.beacon import Beacon, BeaconEvent, Envelope, Refused, admit, check, cleaned
from clabo.collect.ingest.directory import Directory, TagSite
from clabo.collect.ingest.gate import Limits, network_of
from clabo.collect.ingest.http import (
    ANYONE,
    GIF,
    OURS,
    UNCACHED,
    Answer,
    Asgi,
    Headers,
    Receive,
    Scope,
    Send,
    client_of,
    header,
    read_body,
    respond,
    respond_script,
    user_agent,
)
from clabo.collect.ingest.inbox import AWAY, Full, Inbox, Spool
from clabo.collect.ingest.routes import Route, routes
from clabo.collect.ingest.salts import Salts, visitor_of
from clabo.core.trust.robots import is_robot
from clabo.platform.logs import Seldom

log = logging.getLogger(__name__)

REFRESH_SECONDS = 2.0
# What the tag loads on pages that need it (tag/src/parts).
PARTS = frozenset({"clicks", "forms", "frames", "watch", "notice", "carry", "person", "changes", "editor"})
ASK_SECONDS = 0.5
# What no site has as its key is told so at once for so long; so many keys are remembered, and so many wait at most.
LONGEST_KEY = 32
UNKNOWN_SECONDS, MOST_UNKNOWN, MOST_ASKING = 3.0, 20_000, 500
_HEADER_NAMES = re.compile(r"[\w\-, ]{1,1000}", re.ASCII)
_not_kept = Seldom(log.error)


class Collector:
    """An ASGI application that answers the addresses above and passes the rest on."""

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind
        self.directory = Directory()
        self.inbox = Inbox(Spool(settings.CLABO_SPOOL_DIR))
        self.refused = refusals.Tally()
        self._housekeeping: asyncio.Task[None] | None = None
        self._look: asyncio.Task[None] | None = None
        self._asking_for_sites = 0
        self._unknown: dict[str, float] = {}
        self._parts: dict[str, tuple[float, str]] = {}
        self.salts = Salts()
        self.attending = Attending()
        self.routes: list[Route] = [make(self) for make in routes.all().values()]
        self.limits = Limits()
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
            for route in self.routes:
                if path.startswith(route.prefixes):
                    key = path.split("/", 3)[2].removesuffix(".gif")
                    await self._guard(route.answer, key, scope, receive, send)
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
            await respond(
                send,
                refused.status,
                [*OURS, (b"content-type", b"application/problem+json")],
                refused.problem(),
            )
        except Full as full:
            await respond(send, *_cannot_keep(full))

    async def _new_site(self, key: str) -> TagSite:
        """Perhaps a site made a moment ago: all who ask wait for one look. What is no key is remembered for a while."""
        asked = time.monotonic()
        if len(key) > LONGEST_KEY or self._unknown.get(key, 0.0) > asked:
            raise _no_such_key()
        if self._asking_for_sites >= MOST_ASKING:
            raise Full("too many ask for sites that are not known")
        self._asking_for_sites += 1
        try:
            while self.directory.loaded_at < asked:
                if self._look is None or self._look.done():
                    self._look = asyncio.get_running_loop().create_task(self._look_again())
                await asyncio.shield(self._look)
        except AWAY:
            if not self.directory.loaded_at:
                raise Full("the database is away and no site is known yet") from None
        finally:
            self._asking_for_sites -= 1
        site = self.directory.get(key)
        if site is None:
            if len(self._unknown) >= MOST_UNKNOWN:
                self._unknown.clear()
            self._unknown[key] = time.monotonic() + UNKNOWN_SECONDS
            raise _no_such_key()
        return site

    async def _look_again(self) -> None:
        """Read the sites anew, at most twice a second."""
        await asyncio.sleep(max(0.0, self.directory.loaded_at + ASK_SECONDS - time.monotonic()))
        await asyncio.to_thread(_with_database, self.directory.refresh)

    async def _hit(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["method"] == "OPTIONS":
            # Some pages add headers of their own to whatever they send.
            asked = header(scope, b"access-control-request-headers")
            names = asked if _HEADER_NAMES.fullmatch(asked) else "content-type"
            allowed = [
                (b"access-control-allow-headers", names.encode()),
                (b"access-control-max-age", b"86400"),
                (b"vary", b"access-control-request-headers"),
            ]
            await respond(send, 204, [*ANYONE, *allowed])
            return
        if scope["method"] != "POST":
            raise Refused(
                405, "wrong_method", "Hits are sent by POST", "Use the tag as it is served.", site.id
            )
        body = await read_body(scope, receive, site)
        visitor = await self.nameless(site, scope, user_agent(scope)) if site.nameless else ""
        await self.inbox.keep(self._checked(site, scope, body, visitor))
        await respond(send, 204, OURS)

    def take_hit(self, key: str, scope: Scope, body: bytes, answer: Answer) -> bool:
        """Take in a hit that has arrived whole and call `answer` once it is kept, or cannot be.

        False where that needs more than looking at it: then nothing has been done, and it is to be sent through
        this application as any other request.
        """
        site = self.directory.get(key)
        if site is None or site.nameless or self._housekeeping is None:
            return False

        def answered(full: Full | None) -> None:
            answer(*(_cannot_keep(full) if full else (204, OURS, b"")))

        try:
            self.inbox.put(self._checked(site, scope, body), answered)
        except (Refused, Full):
            return False
        return True

    def _checked(self, site: TagSite, scope: Scope, body: bytes, visitor: str = "") -> Envelope:
        """The tag's hit as it goes into the inbox; raises Refused."""
        body = cleaned(body)
        beacon = check(body, site)
        envelope = self._envelope(site, scope, body, visitor, beacon.visitor)
        if beacon.dropped:
            lost = Refused(413, "too_large", "", "An event was too large for the tag to send.", site.id)
            self.refused.add(lost, beacon.dropped)
        return envelope

    def take(
        self, site: TagSite, scope: Scope, body: bytes, told: str = "", agent: str | None = None
    ) -> asyncio.Future[None]:
        """Take in a hit that is not the tag's; done once it is kept. Raises Refused where there are too many."""
        return self.inbox.keep(self._envelope(site, scope, body, told=told, agent=agent))

    def _envelope(
        self,
        site: TagSite,
        scope: Scope,
        body: bytes,
        visitor: str = "",
        told: str = "",
        agent: str | None = None,
    ) -> Envelope:
        """A hit of any kind as it goes into the inbox; raises Refused where there are too many.

        `visitor` takes the place of the one that the body tells (`told`).
        """
        client = client_of(scope)
        network = network_of(client, self._network_secret, site.id)
        self.limits.admit(site, visitor or told, network)
        agent = user_agent(scope) if agent is None else agent
        now = time.time_ns() // 1_000_000
        return Envelope(site.id, now, agent, body, visitor, site.is_own(client), network)

    async def _pixel(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        headers = dict(scope["headers"])
        agent = user_agent(scope)
        visitor = await self.nameless(site, scope, agent)
        page = headers.get(b"referer", b"").decode("latin-1")
        beacon = Beacon(visitor, "desktop", [BeaconEvent(uuid.uuid4().hex, "view", 0, page[:2048])])
        body = admit(msgspec.json.encode(beacon))
        check(body, site)
        await self.take(site, scope, body, told=visitor)
        await respond(send, 200, [*UNCACHED, (b"content-type", b"image/gif")], GIF)

    async def nameless(self, site: TagSite, scope: Scope, agent: str) -> str:
        """Who it is where no id is stored: for today only."""
        if self.salts.today() is None:
            with suppress(*AWAY):
                await asyncio.to_thread(_with_database, self.salts.refresh)
        salt = self.salts.today()
        if salt is None:
            raise Full("the database is away and today's salt is not known yet")
        return visitor_of(salt, site.key, client_of(scope), agent)

    # -- the tag ---------------------------------------------------------------------------------

    async def _serve_tag(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        # Robots read the page that everybody can see: they are in no test, and sent on to nothing.
        robot = site.splits and is_robot(header(scope, b"user-agent"))
        splits = "" if robot else "-content" if site.content else "-splits" * site.splits
        build = "tag" + splits + ("-more" if site.more else "-who" * (site.who and not robot))
        script = self._script(build) or ""
        etag = f'"{site.etag}-{hashlib.sha256(script.encode()).hexdigest()[:8]}"'.encode()
        headers: Headers = [
            *ANYONE,
            (b"etag", etag),
            # No cache that people ask, too, may keep what is for robots.
            (
                b"cache-control",
                b"private, no-store" if robot else b"public, max-age=60, stale-while-revalidate=300",
            ),
            (b"x-content-type-options", b"nosniff"),
            (b"cross-origin-resource-policy", b"cross-origin"),
        ]
        if header(scope, b"if-none-match").encode("latin-1").removeprefix(b"W/") == etag:
            await respond(send, 304, headers)
            return
        body = script.replace("__SETTINGS__", site.settings.decode()).encode()
        await respond_script(scope, send, headers, body)

    async def _serve_part(self, name: str, scope: Scope, send: Send) -> None:
        script = self._script(name) if name in PARTS else None
        if script is None:
            await respond(send, 404, ANYONE)
            return
        headers: Headers = [
            *ANYONE,
            # From the second visit on at once, old or not: whoever has seen a variant does not wait for it again.
            (b"cache-control", b"public, max-age=3600, stale-while-revalidate=2592000"),
            (b"x-content-type-options", b"nosniff"),
            (b"cross-origin-resource-policy", b"cross-origin"),
        ]
        await respond_script(scope, send, headers, script.encode())

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
                *(route.refresh for route in self.routes),
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
                    for route in self.routes:
                        await asyncio.to_thread(_with_database, route.refresh)
                except AWAY:
                    log.warning("the database is away; starting without it")
                except Exception:
                    # Whatever it is, hits must be taken in; the housekeeping tries again.
                    log.exception("not all that is known of sites could be read; starting without it")
                self._housekeeping = asyncio.get_running_loop().create_task(self._keep_house())
                await send({"type": "lifespan.startup.complete"})
            else:
                if self._housekeeping:
                    self._housekeeping.cancel()
                with suppress(*AWAY):
                    await asyncio.to_thread(_with_database, self.refused.save)
                await asyncio.to_thread(self.inbox.close)
                await send({"type": "lifespan.shutdown.complete"})
                return


def _cannot_keep(full: Full) -> tuple[int, Headers, bytes]:
    _not_kept("a hit could not be kept: %s", full)
    problem = Refused(503, "full", "Hits cannot be kept at the moment", "Keep it and try again later.")
    headers = [*OURS, (b"retry-after", b"30"), (b"content-type", b"application/problem+json")]
    return 503, headers, problem.problem()


def _no_such_key() -> Refused:
    return Refused(404, "unknown_key", "No site has this key", "Copy the tag again from Pixel.")


def _with_database(work: Callable[..., Any], *args: Any) -> None:
    """Run `work` in this thread, whose connection is given up when it turns out to be broken."""
    try:
        work(*args)
    except AWAY:
        connection.close()
        raise
