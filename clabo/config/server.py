"""The HTTP server: uvicorn, with limits on what comes before a request is one, and a short way for hits.

uvicorn itself waits for headers for ever and takes as many as are sent. Sizes and times of bodies are doors.Bounds',
but for hits, which nearly all requests are: they meet neither a task of their own nor the layers before the collector.
"""

from __future__ import annotations

import asyncio
from asyncio import Transport
from collections import OrderedDict, defaultdict
from math import inf
from typing import Any, Protocol

import uvicorn
from uvicorn.protocols.http.httptools_impl import STATUS_LINE, HttpToolsProtocol

from clabo.config.turns import network
from clabo.ingest.beacon import MAX_BODY
from clabo.ingest.http import Answer, Headers, Scope

HEADER_SECONDS = 10.0
HEADER_BYTES = 64 * 1024
HIT_SECONDS = 20.0
KEEP_ALIVE_SECONDS = 30
MOST_CONNECTIONS = 4096
# Of those that are owed no answer: from one address (of IPv6, one /64), and from all.
MOST_OF_ADDRESS, MOST_IDLE = 512, 3000
HIT = b"/hit/"


class TakesHits(Protocol):
    """An application that can take a hit without being called as one."""

    def take_hit(self, key: str, scope: Scope, body: bytes, answer: Answer) -> bool:
        """Take a hit in and call `answer` once it is kept, or cannot be; False where it wants to be called."""


class Idle:
    """Connections that are owed no answer, those that were silent longest first: they give way when there are too many."""

    def __init__(self, of_one: int, in_all: int) -> None:
        self.of_one, self.in_all = of_one, in_all
        self._all: OrderedDict[PatientToAPoint, str] = OrderedDict()
        self._of: defaultdict[str, OrderedDict[PatientToAPoint, None]] = defaultdict(OrderedDict)

    def add(self, connection: PatientToAPoint, of: str) -> None:
        """One more, or one that has just been heard of; the longest silent ones beyond the limits are ended."""
        self.remove(connection)
        self._all[connection] = of
        same = self._of[of]
        same[connection] = None
        too_many = next(iter(same)) if len(same) > self.of_one else None
        if len(self._all) > self.in_all:
            too_many = next(iter(self._all))
        if too_many is not None and too_many is not connection:
            self.remove(too_many)
            too_many.end()

    def __contains__(self, connection: PatientToAPoint) -> bool:
        return connection in self._all

    def remove(self, connection: PatientToAPoint) -> None:
        """It is owed an answer, or has ended."""
        of = self._all.pop(connection, None)
        if of is not None:
            same = self._of[of]
            same.pop(connection, None)
            if not same:
                del self._of[of]


idle = Idle(MOST_OF_ADDRESS, MOST_IDLE)


class PatientToAPoint(HttpToolsProtocol):
    """Ends a connection whose headers are too long, or too long in coming, and idle ones where they are too many.

    A hit that comes alone on its connection goes to the application's `take_hit` with its headers and its whole body.
    Whatever is the least unusual about it goes the long way, as every other request does.
    """

    _of = ""

    # When it is ended unless something happens before, by the loop's clock; whoever is owed an answer has all the time.
    deadline = inf
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
        idle.add(self, self._of)
        self.deadline = self.loop.time() + HEADER_SECONDS

    def data_received(self, data: bytes) -> None:
        if self in idle:
            idle.add(self, self._of)
        if self._in_headers:
            if self._header_bytes == 0:
                self.deadline = self.loop.time() + HEADER_SECONDS
            self._header_bytes += len(data)
            super().data_received(data)
            # A body that came along in the same piece is none of the headers'.
            if self._in_headers and self._header_bytes > HEADER_BYTES:
                self._refuse(b"431 Request Header Fields Too Large")
        else:
            super().data_received(data)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._in_headers = True

    def on_headers_complete(self) -> None:
        self._in_headers, self._header_bytes = False, 0
        self.deadline = inf
        if self._waiting:
            self._overtaken = True
        elif self._is_hit():
            self._body = b""
            self.deadline = self.loop.time() + HIT_SECONDS
        else:
            super().on_headers_complete()

    def _is_hit(self) -> bool:
        """Whether it is a hit as the tag sends it: posted, of a length that is told and fits, on a connection that stays."""
        if self._take_hit is None or not self.url.startswith(HIT) or self.expect_100_continue:
            return False
        if self.cycle is not None and not self.cycle.response_complete:
            return False
        told = next((int(value) for name, value in self.headers if name == b"content-length"), MAX_BODY + 1)
        return (
            told <= MAX_BODY
            and self.parser.get_method() == b"POST"
            and self.parser.should_keep_alive()
            and not self.parser.should_upgrade()
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
        idle.remove(self)
        if self._body is None:
            super().on_message_complete()
            return
        body, self._body, self._waiting = self._body, None, True
        if not self._take_hit(
            self.url[len(HIT) :].decode("ascii", "replace"), self.scope, body, self._answer
        ):
            self._waiting = False
            super().on_headers_complete()
            super().on_body(body)
            super().on_message_complete()

    def _answer(self, status: int, headers: Headers, body: bytes) -> None:
        """What becomes of the hit that waits."""
        self._waiting = False
        if self.transport.is_closing():
            return
        last = self._overtaken or self._is_ending
        self.server_state.total_requests += 1
        said = [STATUS_LINE[status]]
        said += [b"%b: %b\r\n" % header for header in (*self.server_state.default_headers, *headers)]
        if status != 204:
            said.append(b"content-length: %d\r\n" % len(body))
        said += [b"connection: close\r\n\r\n" if last else b"\r\n", body]
        self.transport.write(b"".join(said))
        if last:
            self.transport.close()
        else:
            idle.add(self, self._of)
            self.deadline = self.loop.time() + KEEP_ALIVE_SECONDS

    def shutdown(self) -> None:
        """The server ends: a hit that waits is answered first."""
        self._is_ending = True
        if not self._waiting:
            super().shutdown()

    def on_response_complete(self) -> None:
        super().on_response_complete()
        if not self.transport.is_closing():
            idle.add(self, self._of)

    def end(self) -> None:
        """Give way to others."""
        if self.transport and not self.transport.is_closing():
            self.transport.close()

    def connection_lost(self, exc: Exception | None) -> None:
        idle.remove(self)
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


def run(application: str, host: str, port: int) -> None:
    """Serve until told to stop."""
    Server(configured(application, host=host, port=port, log_level="warning")).run()
