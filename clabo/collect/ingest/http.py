"""What answering a request of the tag's takes: reading it within bounds, and answering it."""

from __future__ import annotations

import gzip
import re
from base64 import b64decode
from collections.abc import Awaitable, Callable, MutableMapping
from functools import lru_cache
from typing import Any

from clabo.collect.ingest.beacon import MAX_BODY, Refused
from clabo.collect.ingest.directory import TagSite

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
Asgi = Callable[[Scope, Receive, Send], Awaitable[None]]
Headers = list[tuple[bytes, bytes]]

# Takes status, headers and body of a whole answer.
Answer = Callable[[int, Headers, bytes], None]

ANYONE: Headers = [(b"access-control-allow-origin", b"*")]
# By which the tag knows the collector's own answer from one that a service worker makes up.
OURS: Headers = [*ANYONE, (b"clabo", b"1"), (b"access-control-expose-headers", b"clabo")]
UNCACHED: Headers = [*ANYONE, (b"cache-control", b"no-store")]
GIF = b64decode("R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7")
_GZIP = re.compile(r"\bgzip\b")


def client_of(scope: Scope) -> str:
    """The address that the request came from; never stored."""
    return str((scope.get("client") or ("",))[0])


def header(scope: Scope, wanted: bytes) -> str:
    """The request's header of that name, in small letters; empty where it has none."""
    for name, value in scope["headers"]:
        if name == wanted:
            return str(value.decode("latin-1"))
    return ""


def user_agent(scope: Scope) -> str:
    """What the sender says it is, cut to a bounded length."""
    return header(scope, b"user-agent")[:400]


async def read_body(scope: Scope, receive: Receive, site: TagSite) -> bytes:
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


async def respond_script(scope: Scope, send: Send, headers: Headers, body: bytes) -> None:
    """A script, compressed for whoever takes it so."""
    headers = [
        *headers,
        (b"content-type", b"text/javascript; charset=utf-8"),
        (b"vary", b"accept-encoding"),
    ]
    if _GZIP.search(header(scope, b"accept-encoding")):
        body = _gzipped(body)
        headers.append((b"content-encoding", b"gzip"))
    await respond(send, 200, headers, body)


async def respond(send: Send, status: int, headers: Headers, body: bytes = b"") -> None:
    """A whole answer."""
    if status not in (204, 304):
        headers = [*headers, (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
