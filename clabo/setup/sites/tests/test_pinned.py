"""A server that answers a byte at a time."""

from __future__ import annotations

import http.client
import socket
import threading
import time
from contextlib import suppress
from unittest import TestCase

from clabo.setup.sites.pinned import Pinned


class Trickled(TestCase):
    def test_heads_that_come_byte_by_byte_do_not_outlast_the_deadline(self) -> None:
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)

        def trickle() -> None:
            with suppress(OSError):
                connection, _ = server.accept()
                connection.sendall(b"HTTP/1.1 200 OK\r\nX: ")
                for _ in range(200):
                    connection.sendall(b"x")
                    time.sleep(0.05)

        threading.Thread(target=trickle, daemon=True).start()
        begun = time.monotonic()
        port = server.getsockname()[1]
        connection = Pinned("shop.example", port, "127.0.0.1", begun + 0.5, False)
        self.addCleanup(connection.close)
        connection.request("GET", "/")
        connection.hurry()
        # Cut off, they may be read as heads that end there.
        with suppress(OSError, http.client.HTTPException):
            connection.getresponse()
        self.assertLess(time.monotonic() - begun, 5)
