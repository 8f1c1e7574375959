"""The HTTP server: uvicorn, with limits on what comes before a request is one, and a short way for hits.

uvicorn itself waits for headers for ever and takes as many as are sent. Sizes and times of bodies are doors.Bounds',
but for hits, which nearly all requests are: they meet neither a task of their own nor the layers before the collector.
"""

from __future__ import annotations

import asyncio
import socket
import sys
from asyncio import Transport
from collections import defaultdict
from collections.abc import Collection
from math import inf
from typing import Any, Protocol

import uvicorn
from uvicorn.protocols.http.httptools_impl import STATUS_LINE, HttpToolsProtocol

from clabo.collect.ingest.beacon import MAX_BODY
from clabo.collect.ingest.http import Answer, Headers, Scope
from clabo.platform.config.turns import network

HEADER_SECONDS = 10.0
HEADER_BYTES = 64 * 1024
HIT_SECONDS = 20.0
KEEP_ALIVE_SECONDS = 30
MOST_CONNECTIONS = 4096
# The loop that answers hits gets the interpreter back from a thread that computes a report after so long, not after 5 ms.
SWITCH_SECONDS = 0.001
# Of those that are owed no answer: from one address (of IPv6, one /64), and from all.
MOST_OF_ADDRESS, MOST_IDLE = 512, 3000
HIT = b"/hit/"


class TakesHits(Protocol):
    """An application that can take a hit without being called as one."""

    def take_hit(self, key: str, scope: Scope, body: bytes, answer: Answer) -> bool:
        """Take a hit in and call `answer` once it is kept, or cannot be; False where it wants to be called."""


class Crowd:
    """The connections, by the address they come from (of IPv6, by /64).

    Where too many are owed no answer, those that were silent longest give way, a tenth at a time.
    """

    def __init__(self, of_one: int, in_all: int) -> None:
        self.of_one, self.in_all = of_one, in_all
        self._of: defaultdict[str, set[PatientToAPoint]] = defaultdict(set)
        self._count = 0

    def add(self, connection: PatientToAPoint, of: str) -> None:
        """One more."""
        same = self._of[of]
        same.add(connection)
        self._count += 1
        if len(same) > self.of_one:
            self._thin(same, self.of_one)
        if self._count > self.in_all:
            self._thin([c for each in self._of.values() for c in each], self.in_all)

    def remove(self, connection: PatientToAPoint, of: str) -> None:
        """It has ended."""
        if connection in self._of.get(of, ()):
            self._of[of].remove(connection)
            self._count -= 1
            if not self._of[of]:
                del self._of[of]

    def _thin(self, those: Collection[PatientToAPoint], most: int) -> None:
        idle = sorted((c for c in those if not c.is_owed), key=lambda c: c.heard)
        for connection in idle[: max(0, min(len(idle) - most, 1 + most // 10))]:
            connection.end()


crowd = Crowd(MOST_OF_ADDRESS, MOST_IDLE)


class PatientToAPoint(HttpToolsProtocol):
    """Ends a connection whose headers are too long, or too long in coming, and silent ones where there are too many.

    A hit that comes alone on its connection goes to the application's `take_hit` with its headers and its whole body.
    Whatever is the least unusual about it goes the long way, as every other request does.
    """

    # When it is ended unless something happens before, by the loop's clock; whoever is owed an answer has all the time.
    deadline = inf
    heard = 0.0
    is_owed = False
    _of = ""
    _in_headers = True
    _header_bytes = 0
    # The hit that is being read, or is waiting until it is kept.
    _body: bytes | None = None
    _waiting = False
    # The next request came before the last hit was answered: it is not read, and the connection ends with the answer.
    _overtaken = False
    _has_asked = False
    _is_ending = False

    def connection_made(self, transport: Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._take_hit: Any = getattr(self.app, "take_hit", None)
        self._of = network(self.client[0]) if self.client else ""
        self.heard = self.loop.time()
        self.deadline = self.heard + HEADER_SECONDS
        crowd.add(self, self._of)

    def data_received(self, data: bytes) -> None:
        self.heard = self.loop.time()
        if self._in_headers:
            if self._header_bytes == 0:
                self.deadline = self.heard + HEADER_SECONDS
            self._header_bytes += len(data)
            super().data_received(data)
            # A body that came along in the same piece is none of the headers'.
            if self._in_headers and self._header_bytes > HEADER_BYTES:
                self._refuse(b"431 Request Header Fields Too Large")
        else:
            super().data_received(data)

    def on_message_begin(self) -> None:
        # What the long way needs besides is made when it is gone.
        self.url, self.headers, self.expect_100_continue = b"", [], False
        self._in_headers = True

    def on_headers_complete(self) -> None:
        self._in_headers, self._header_bytes = False, 0
        self.deadline = inf
        if self._waiting:
            self._overtaken = True
        elif self._is_hit():
            self._body = b""
            self.deadline = self.heard + HIT_SECONDS
        else:
            self._go_the_long_way()

    def _go_the_long_way(self) -> None:
        url, headers, continues = self.url, self.headers, self.expect_100_continue
        super().on_message_begin()
        self.url, self.expect_100_continue = url, continues
        self.headers += headers
        super().on_headers_complete()

    def _is_hit(self) -> bool:
        """Whether it is a hit as the tag sends it: posted, of a length that is told and fits, on a connection that stays."""
        if not self.url.startswith(HIT) or self._take_hit is None or self.expect_100_continue:
            return False
        if self.cycle is not None and not self.cycle.response_complete:
            return False
        told, parser = dict(self.headers).get(b"content-length"), self.parser
        return (
            told is not None
            and int(told) <= MAX_BODY
            and parser.get_method() == b"POST"
            and parser.should_keep_alive()
            and not parser.should_upgrade()
            and len(self.connections) < MOST_CONNECTIONS
        )

    def on_body(self, body: bytes) -> None:
        if self._overtaken:
            return
        if self._body is None:
            super().on_body(body)
        else:
            self._body = self._body + body if self._body else body

    def on_message_complete(self) -> None:
        # The next request of the connection begins with headers again.
        self._in_headers, self._header_bytes, self._has_asked = True, 0, True
        self.deadline = inf
        if self._overtaken:
            return
        self.is_owed = True
        if self._body is None:
            super().on_message_complete()
            return
        body, self._body, self._waiting = self._body, None, True
        asked = {"type": "http", "client": self.client, "headers": self.headers}
        key = self.url[len(HIT) :].decode("ascii", "replace")
        if not self._take_hit(key, asked, body, self._answer):
            self._waiting = False
            self._go_the_long_way()
            super().on_body(body)
            super().on_message_complete()

    def _answer(self, status: int, headers: Headers, body: bytes) -> None:
        """What becomes of the hit that waits."""
        self._waiting = self.is_owed = False
        if self.transport.is_closing():
            return
        state = self.server_state
        state.total_requests += 1
        last = self._overtaken or self._is_ending
        if status == 204 and not last:
            self.transport.write(_accepted(state.default_headers, headers))
        else:
            self.transport.write(_written(status, [*state.default_headers, *headers], body, last))
        if last:
            self.transport.close()
        else:
            self.deadline = self.loop.time() + KEEP_ALIVE_SECONDS

    def shutdown(self) -> None:
        """The server ends: a hit that waits is answered first."""
        self._is_ending = True
        if not self._waiting:
            super().shutdown()

    def on_response_complete(self) -> None:
        super().on_response_complete()
        self.is_owed, self.heard = False, self.loop.time()

    def end(self) -> None:
        """Give way to others."""
        if self.transport and not self.transport.is_closing():
            self.transport.close()

    def connection_lost(self, exc: Exception | None) -> None:
        crowd.remove(self, self._of)
        self.deadline = inf
        super().connection_lost(exc)

    def too_late(self) -> None:
        """The deadline has passed: of what has begun that is said, of what has not nothing."""
        self.deadline = inf
        if self._body is not None or self._header_bytes or not self._has_asked:
            self._refuse(b"408 Request Timeout")
        else:
            self.end()

    def _refuse(self, status: bytes) -> None:
        if self.transport and not self.transport.is_closing():
            self.transport.write(
                b"HTTP/1.1 " + status + b"\r\nconnection: close\r\ncontent-length: 0\r\n\r\n"
            )
            self.transport.close()


def _written(status: int, headers: Headers, body: bytes = b"", last: bool = False) -> bytes:
    said = [STATUS_LINE[status], *(b"%b: %b\r\n" % header for header in headers)]
    if status != 204:
        said.append(b"content-length: %d\r\n" % len(body))
    return b"".join([*said, b"connection: close\r\n\r\n" if last else b"\r\n", body])


_last_accepted: tuple[Headers, bytes] = ([], b"")


def _accepted(default: Headers, headers: Headers) -> bytes:
    """The answer to nearly every hit, written once a second: then the server has another list of headers, with the date."""
    global _last_accepted
    if _last_accepted[0] is not default:
        _last_accepted = default, _written(204, [*default, *headers])
    return _last_accepted[1]


class Server(uvicorn.Server):
    """Looks through its connections twice a second for those that have had their time."""

    async def on_tick(self, counter: int) -> bool:
        if counter % 5 == 0:
            now = asyncio.get_running_loop().time()
            for connection in list(self.server_state.connections):
                if getattr(connection, "deadline", inf) < now:
                    connection.too_late()  # type: ignore[union-attr]
        return await super().on_tick(counter)


def configured(application: str | Any, **more: Any) -> uvicorn.Config:
    """Who sends is what the connection says: proxies are doors.TrustedProxies' business."""
    return uvicorn.Config(
        application,
        http=PatientToAPoint,
        proxy_headers=False,
        server_header=False,
        access_log=False,
        timeout_keep_alive=KEEP_ALIVE_SECONDS,
        timeout_graceful_shutdown=3,
        limit_concurrency=MOST_CONNECTIONS,
        **more,
    )


def run(application: str, host: str, port: int, shared: bool = False) -> None:
    """Serve until told to stop; `shared`: other processes listen on the same port, and the system deals them connections."""
    sys.setswitchinterval(SWITCH_SECONDS)
    config = configured(application, host=host, port=port, log_level="warning")
    Server(config).run([_shared_socket(host, port)] if shared else None)


def _shared_socket(host: str, port: int) -> socket.socket:
    listening = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
    listening.bind((host, port))
    return listening
