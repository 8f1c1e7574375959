"""So many at once of what costs much: more wait in a line, and whoever comes when it is full is told to come again.

Hits are taken in by the same process. Neither passwords that are tried nor questions that tags ask may hold them up.
"""

from __future__ import annotations

import asyncio
import json
import re
from collections import Counter
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from ipaddress import IPv6Address, ip_address

from clabo.collect.ingest.http import Asgi, Receive, Scope, Send, client_of, respond


class LineFull(Exception):
    """Nobody more can wait."""


class Line:
    """A line of requests of one kind: `at_once` are answered, `waiting` more wait, `of_one` from one address in all."""

    def __init__(self, at_once: int, waiting: int, of_one: int) -> None:
        self.at_once, self.waiting, self.of_one = at_once, waiting, of_one
        self._turns = asyncio.Semaphore(at_once)
        self._inside = 0
        self._of: Counter[str] = Counter()

    @asynccontextmanager
    async def turn(self, address: str) -> AsyncIterator[None]:
        """Wait for a turn and have it; raises LineFull."""
        if self._inside >= self.at_once + self.waiting or self._of[address] >= self.of_one:
            raise LineFull
        self._inside += 1
        self._of[address] += 1
        try:
            async with self._turns:
                yield
        finally:
            self._inside -= 1
            self._of[address] -= 1
            if not self._of[address]:
                del self._of[address]


class Turns:
    """Lets requests through as the first of `lines` that fits their path says."""

    def __init__(self, behind: Asgi) -> None:
        self.behind = behind
        self.lines = [
            # A password takes a processor a third of a second.
            (
                re.compile(r"/_allauth/.*/(?:login|password/\w+)|/api/(?:setup|invitations/.*|shared/.*)"),
                Line(1, 30, 6),
            ),
            (re.compile(r"/(?:in|same)/"), Line(3, 60, 24)),
            (re.compile(r"/(?:edit|look|kept)/|/api/(?:kit|members|unsubscribe)/"), Line(3, 60, 24)),
            (re.compile(r"/"), Line(16, 400, 120)),
        ]

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.behind(scope, receive, send)
            return
        line = next(line for pattern, line in self.lines if pattern.match(scope["path"]))
        try:
            async with line.turn(network(client_of(scope))):
                await self.behind(scope, receive, send)
        except LineFull:
            await respond(send, 429, _HEADERS, _BODY)


_BODY = json.dumps(
    {
        "type": "about:blank",
        "title": "Too many at once",
        "status": 429,
        "detail": "Too many ask for this at the moment. Try again in a few seconds.",
    }
).encode()
_HEADERS = [
    (b"content-type", b"application/problem+json"),
    (b"cache-control", b"no-store"),
    (b"retry-after", b"5"),
    (b"access-control-allow-origin", b"*"),
]


def network(address: str) -> str:
    """Who counts as one: an IPv4 address, and of IPv6 a network (/64), which one subscriber has.

    >>> network("203.0.113.5"), network("2001:db8:1:2:3::4")
    ('203.0.113.5', '2001:db8:1:2')
    """
    try:
        ip = ip_address(address.partition("%")[0])
    except ValueError:
        return address
    if isinstance(ip, IPv6Address):
        return (
            str(ip.ipv4_mapped)
            if ip.ipv4_mapped
            else ":".join(f"{int(p, 16):x}" for p in ip.exploded.split(":")[:4])
        )
    return str(ip)
