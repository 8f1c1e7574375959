"""The HTTP server: uvicorn, with limits on what comes before a request is one.

uvicorn itself waits for headers for ever and takes as many as are sent. Sizes and times of bodies are doors.Bounds'.
"""

from __future__ import annotations

from asyncio import TimerHandle, Transport
from collections import OrderedDict, defaultdict
from typing import Any

import uvicorn
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from clabo.config.turns import network

HEADER_SECONDS = 10.0
HEADER_BYTES = 64 * 1024
KEEP_ALIVE_SECONDS = 30
MOST_CONNECTIONS = 4096
# Of those that are owed no answer: from one address (of IPv6, one /64), and from all.
MOST_OF_ADDRESS, MOST_IDLE = 512, 3000


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
    """Ends a connection whose headers are too long, or too long in coming, and idle ones where they are too many."""

    _of = ""

    _in_headers = True
    _header_bytes = 0
    _deadline: TimerHandle | None = None

    def connection_made(self, transport: Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._of = network(self.client[0]) if self.client else ""
        idle.add(self, self._of)
        self._wait()

    def data_received(self, data: bytes) -> None:
        if self in idle:
            idle.add(self, self._of)
        if self._in_headers:
            if self._deadline is None:
                self._wait()
            self._header_bytes += len(data)
            begun_with = self._in_headers
            super().data_received(data)
            # A body that came along in the same piece is none of the headers'.
            if begun_with and self._in_headers and self._header_bytes > HEADER_BYTES:
                self._refuse(b"431 Request Header Fields Too Large")
        else:
            super().data_received(data)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._in_headers = True

    def on_headers_complete(self) -> None:
        self._in_headers, self._header_bytes = False, 0
        if self._deadline:
            self._deadline.cancel()
            self._deadline = None
        super().on_headers_complete()

    def on_message_complete(self) -> None:
        super().on_message_complete()
        idle.remove(self)
        # The next request of the connection begins with headers again.
        self._in_headers, self._header_bytes = True, 0

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
        if self._deadline:
            self._deadline.cancel()
        super().connection_lost(exc)

    def _wait(self) -> None:
        self._deadline = self.loop.call_later(HEADER_SECONDS, self._too_slow)

    def _too_slow(self) -> None:
        self._deadline = None
        if self._in_headers:
            self._refuse(b"408 Request Timeout")

    def _refuse(self, status: bytes) -> None:
        if self.transport and not self.transport.is_closing():
            self.transport.write(
                b"HTTP/1.1 " + status + b"\r\nconnection: close\r\ncontent-length: 0\r\n\r\n"
            )
            self.transport.close()


def run(application: str, host: str, port: int, **more: Any) -> None:
    """Serve until told to stop. Who sends is what the connection says: proxies are doors.TrustedProxies' business."""
    uvicorn.run(
        application,
        host=host,
        port=port,
        http=PatientToAPoint,
        proxy_headers=False,
        server_header=False,
        access_log=False,
        log_level="warning",
        timeout_keep_alive=KEEP_ALIVE_SECONDS,
        timeout_graceful_shutdown=3,
        limit_concurrency=MOST_CONNECTIONS,
        **more,
    )
