"""An HTTP connection to an address that was looked at before."""

from __future__ import annotations

import http.client
import socket
import ssl
import threading
import time
from contextlib import suppress


class Pinned(http.client.HTTPConnection):
    """Connects to one given address, whatever the name says by then; nothing may outlast the deadline."""

    def __init__(self, name: str, port: int, address: str, deadline: float, secure: bool) -> None:
        self._cut: threading.Timer | None = None
        super().__init__(name, port, timeout=max(0.1, deadline - time.monotonic()))
        self._address, self._deadline, self._secure = address, deadline, secure

    def connect(self) -> None:
        self.sock = socket.create_connection((self._address, self.port), self.timeout)
        if self._secure:
            context = ssl.create_default_context()
            self.sock = context.wrap_socket(self.sock, server_hostname=self.host)
        self.hurry()
        # A socket's own limit begins anew with each byte, and heads are read as they come.
        self._cut = threading.Timer(self._deadline - time.monotonic() + 0.5, _end, [self.sock])
        self._cut.daemon = True
        self._cut.start()

    def close(self) -> None:
        if self._cut:
            self._cut.cancel()
        super().close()

    def hurry(self) -> None:
        """Wait for the next piece no longer than the deadline allows."""
        left = self._deadline - time.monotonic()
        if left <= 0:
            raise TimeoutError
        if self.sock:
            self.sock.settimeout(left)


def _end(sock: socket.socket) -> None:
    with suppress(OSError):
        sock.shutdown(socket.SHUT_RDWR)
