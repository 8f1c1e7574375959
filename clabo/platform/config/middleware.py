"""What every request passes first, before anything of it is read: who sends it, how much, how slowly; and is Clabo alive?

GET /health/live     the process answers
GET /health/ready    the database, the worker's lag, the spool and the disk are as they should be
GET /robots.txt      robots have no business here
"""

from __future__ import annotations

import asyncio
import json
import re
import shutil
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from typing import Any

from django.conf import settings
from django.db import DatabaseError, InterfaceError, connection

from clabo.collect.ingest.http import Asgi, Receive, Scope, Send, header
from clabo.collect.pipeline.queries import backlog
from clabo.judge.splits.editor.sessions import bearer, written_by
from clabo.platform.accounts.sessions import session_user
from clabo.platform.jobs.queries import last_deferral
from clabo.platform.problems import Problem

# Bytes of a body, and seconds until all of it must be there.
MOST_BYTES, MOST_SECONDS = 1 << 20, 20.0
UPLOAD_BYTES, UPLOAD_SECONDS = 205 << 20, 900.0
PICTURE_BYTES, PICTURE_SECONDS = 6 << 20, 120.0
_UPLOAD = re.compile(r"/api/sites/\d+/(?:spend|outcomes)/files")
_PICTURE = re.compile(r"/api/sites/\d+/tests/pictures")
# Whoever writes a variant on the page is known by the link, and by no session.
_PICTURE_BY_LINK = "/edit/picture"
LATE = timedelta(minutes=5)
LEAST_FREE = 200 << 20

Network = IPv4Network | IPv6Network


class TrustedProxies:
    """Takes the client's address and scheme from proxies that are named (CLABO_TRUSTED_PROXIES), and from nobody else.

    Of X-Forwarded-For the last address that is no such proxy counts: everything before it can be made up.
    """

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind
        self.trusted: Sequence[Network] = [ip_network(n) for n in settings.CLABO_TRUSTED_PROXIES]

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            self.look_through(scope)
        await self.behind(scope, receive, send)

    def look_through(self, scope: Scope) -> None:
        """Put into `scope` who has asked the proxy, where it is one that is named."""
        if self.trusted and self._is_trusted((scope.get("client") or ("",))[0]):
            headers = dict(scope["headers"])
            told = headers.get(b"x-forwarded-for", b"").decode("latin-1").split(",")
            for address in (a.strip() for a in reversed(told)):
                if not self._is_trusted(address):
                    if address and _is_address(address):
                        scope["client"] = (address, 0)
                    break
            scheme = headers.get(b"x-forwarded-proto", b"").decode("latin-1").strip().lower()
            if scheme in ("http", "https"):
                scope["scheme"] = scheme

    def _is_trusted(self, address: str) -> bool:
        return _is_address(address) and any(ip_address(address) in network for network in self.trusted)


def _is_address(text: str) -> bool:
    try:
        ip_address(text)
    except ValueError:
        return False
    return True


class _Refused(Exception):
    def __init__(self, status: int, title: str, detail: str) -> None:
        super().__init__(title)
        self.status, self.title, self.detail = status, title, detail


class Bounds:
    """Refuses bodies that are too large or too slow, before anything behind has taken them in.

    A file may be large where somebody is signed in to send it.
    """

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.behind(scope, receive, send)
            return
        begun = False

        async def sending(message: Any) -> None:
            nonlocal begun
            begun = begun or message["type"] == "http.response.start"
            await send(message)

        try:
            most, seconds = await self._limits(scope)
            await self.behind(scope, _bounded(scope, receive, most, seconds), sending)
        except _Refused as refused:
            if not begun:
                await _problem(send, refused.status, refused.title, refused.detail)

    async def _limits(self, scope: Scope) -> tuple[int, float]:
        path = scope["path"].rstrip("/")
        by_link = path == _PICTURE_BY_LINK
        picture = by_link or _PICTURE.fullmatch(path)
        if scope["method"] != "POST" or not (picture or _UPLOAD.fullmatch(path)):
            return MOST_BYTES, MOST_SECONDS
        try:
            if by_link:
                # What is wrong with the link is told by the view, of a body as small as any.
                told = header(scope, b"authorization"), header(scope, b"origin")
                fits = await asyncio.to_thread(_may_write, bearer(told[0]), told[1])
                return (PICTURE_BYTES, PICTURE_SECONDS) if fits else (MOST_BYTES, MOST_SECONDS)
            user = await asyncio.to_thread(session_user, scope)
        except (DatabaseError, InterfaceError):
            raise _Refused(503, "Not possible now", "The database is away. Try again in a minute.") from None
        if user is None:
            raise _Refused(401, "Sign in", "Sign in to send a file.")
        return (PICTURE_BYTES, PICTURE_SECONDS) if picture else (UPLOAD_BYTES, UPLOAD_SECONDS)


def _may_write(token: str, origin: str) -> bool:
    try:
        written_by(token, origin)
    except Problem:
        return False
    finally:
        connection.close()
    return True


def _bounded(scope: Scope, receive: Receive, most: int, seconds: float) -> Receive:
    for name, told in scope["headers"]:
        if name == b"content-length":
            if not told.isdigit():
                raise _Refused(400, "Bad request", "Content-Length is a number.")
            if int(told) > most:
                raise _too_large(most)
            break
    loop = asyncio.get_running_loop()
    until = loop.time() + seconds
    taken, whole = 0, False

    async def receiving() -> Any:
        nonlocal taken, whole
        if whole:  # what is waited for now is the end of the connection
            return await receive()
        try:
            # Not `wait_for`, which makes a task of it: that took a third of the collector's rate.
            async with asyncio.timeout_at(until):
                message = await receive()
        except TimeoutError:
            raise _Refused(408, "Too slow", f"A request must arrive within {seconds:.0f} seconds.") from None
        if message["type"] == "http.request":
            taken += len(message.get("body", b""))
            whole = not message.get("more_body")
            if taken > most:
                raise _too_large(most)
        return message

    return receiving


def _too_large(most: int) -> _Refused:
    return _Refused(413, "Too large", f"A request has at most {most // 1024:,} KB.")


class Health:
    """Answers the addresses above and passes the rest on. `knows_sites`: whether the collector has read them yet."""

    def __init__(self, behind: Asgi, knows_sites: Callable[[], bool] = lambda: True) -> None:
        self.behind = behind
        self._answers: dict[str, Callable[[], tuple[int, bytes, bytes]]] = {
            "/health/live": lambda: (200, b"application/json", b'{"live": true}'),
            "/health/ready": lambda: _ready(knows_sites()),
            "/robots.txt": lambda: (200, b"text/plain", b"User-agent: *\nDisallow: /\n"),
        }

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        answer = self._answers.get(scope["path"]) if scope["type"] == "http" else None
        if answer is None or scope["method"] not in ("GET", "HEAD"):
            await self.behind(scope, receive, send)
            return
        status, kind, body = await asyncio.to_thread(answer)
        await _respond(send, status, kind, body, scope["method"] == "HEAD")


def _ready(knows_sites: bool) -> tuple[int, bytes, bytes]:
    """Whether Clabo can do its work; what cannot be done is named."""
    found: dict[str, Any] = {"database": "ok", "worker": "ok", "jobs": "ok", "spool": "ok", "disk": "ok"}
    found["sites"] = "ok" if knows_sites else "none has been read: no hit is known to be anybody's"
    try:
        waiting = backlog()
        if waiting.oldest and datetime.now(UTC) - waiting.oldest > LATE:
            found["worker"] = f"hits have waited since {waiting.oldest.isoformat(timespec='seconds')}"
        deferred = last_deferral()
        if deferred and datetime.now(UTC) - deferred > LATE:
            found["jobs"] = f"nothing by the clock since {deferred.isoformat(timespec='seconds')}"
    except (DatabaseError, InterfaceError):
        connection.close()
        found["database"] = "away"
        found["worker"] = found["jobs"] = "unknown"
    spool = settings.CLABO_SPOOL_DIR
    kept = sum(1 for p in spool.iterdir() if not p.name.startswith(".")) if spool.is_dir() else 0
    if kept:
        found["spool"] = f"{kept} files wait for the database"
    parent = next(p for p in (spool, *spool.parents) if p.exists())
    free = shutil.disk_usage(parent).free
    if free < LEAST_FREE:
        found["disk"] = f"only {free >> 20} MB are free"
    ready = all(said == "ok" for said in found.values())
    return 200 if ready else 503, b"application/json", json.dumps({"ready": ready, **found}).encode()


async def _problem(send: Send, status: int, title: str, detail: str) -> None:
    body = json.dumps({"type": "about:blank", "title": title, "status": status, "detail": detail}).encode()
    await _respond(send, status, b"application/problem+json", body, close=True)


async def _respond(
    send: Send, status: int, kind: bytes, body: bytes, head: bool = False, close: bool = False
) -> None:
    headers = [
        (b"content-type", kind),
        (b"content-length", str(len(body)).encode()),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
    ]
    if close:  # what is still on its way is not waited for
        headers.append((b"connection", b"close"))
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": b"" if head else body})
