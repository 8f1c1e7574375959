"""The server's limits on headers and idle connections, and the short way that hits go."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.test import SimpleTestCase, override_settings

from clabo.collect.ingest.beacon import decode_accepted, unpack
from clabo.collect.ingest.models import InboxBatch
from clabo.platform.config import server
from clabo.platform.config.tests.test_middleware import echo
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import BROWSER, beacon, event, make_site


@contextmanager
def serving(application: Any, lifespan: Any = "off") -> Iterator[int]:
    """The port of a server of `application`."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port: int = free.getsockname()[1]
    config = server.configured(application, port=port, log_level="critical", lifespan=lifespan)
    running = server.Server(config)
    thread = threading.Thread(target=running.run, daemon=True)
    thread.start()
    while not running.started:
        time.sleep(0.01)
    try:
        yield port
    finally:
        running.should_exit = True
        thread.join(10)


def say(port: int, *pieces: bytes, pause: float = 0.0, until: bytes = b"scheme") -> bytes:
    """What is answered to these pieces, up to `until` or the end of the connection."""
    with socket.create_connection(("127.0.0.1", port), timeout=5) as connection:
        said = b""
        try:
            for piece in pieces:
                connection.sendall(piece)
                time.sleep(pause)
            while got := connection.recv(65536):
                said += got
                if until in said:
                    break
        except (ConnectionError, TimeoutError):
            pass
    return said


class Headers(SimpleTestCase):
    def test_half_sent_slow_and_endless_headers(self) -> None:
        begin = b"GET / HTTP/1.1\r\nhost: x\r\n"
        with patch.object(server, "HEADER_SECONDS", 0.4), serving(echo) as port:
            self.assertIn(b" 200 ", say(port, begin, b"\r\n"))
            self.assertIn(b"408", say(port, begin))
            self.assertIn(b"408", say(port))
            # Whoever goes on sending may not get to see why the connection has ended.
            self.assertNotIn(b" 200 ", say(port, begin, *[b"a: b\r\n"] * 10, b"\r\n", pause=0.1))
            self.assertNotIn(
                b" 200 ", say(port, begin, *[b"x-%d: " % i + b"y" * 4000 + b"\r\n" for i in range(30)])
            )
            # A large body is none of the headers' business, nor is the request after it.
            body = b"x" * 300_000
            post = b"POST / HTTP/1.1\r\nhost: x\r\ncontent-length: %d\r\n\r\n" % len(body)
            self.assertIn(b"300000", say(port, post + body))

    def test_idle_connections_give_way(self) -> None:
        request = b"GET / HTTP/1.1\r\nhost: x\r\n\r\n"

        def asked(connection: socket.socket) -> bool:
            try:
                connection.sendall(request)
                return b" 200 " in connection.recv(65536)
            except ConnectionError:
                return False

        few = server.Crowd(of_one=4, in_all=100)
        with patch.object(server, "crowd", few), serving(echo) as port:

            def connected() -> socket.socket:
                made = socket.create_connection(("127.0.0.1", port), timeout=5)
                self.addCleanup(made.close)
                return made

            used = connected()
            self.assertTrue(asked(used))
            crowd = []
            for _ in range(20):
                crowd.append(connected())
                # Whoever goes on asking stays, however many say nothing.
                self.assertTrue(asked(used))
            # The used one among them, unless it was owed an answer when the last one came.
            self.assertIn(sum(map(asked, crowd)), (3, 4))

    def test_who_is_owed_an_answer_does_not(self) -> None:
        ended: list[int] = []

        class Connection:
            def __init__(self, number: int) -> None:
                self.number, self.heard, self.is_owed = number, float(number), False

            def end(self) -> None:
                ended.append(self.number)
                crowd.remove(self, "abb"[self.number % 3])  # type: ignore[arg-type]

        crowd = server.Crowd(of_one=2, in_all=4)
        made: list[Any] = [Connection(n) for n in range(8)]
        made[0].is_owed = True
        for n in (
            0,
            3,
            6,
        ):  # of one address: 3 is silent longest of those that are owed nothing, 6 has come last
            crowd.add(made[n], "a")
        self.assertEqual(ended, [])  # two idle ones are not too many
        made[0].is_owed, made[0].heard = False, 10.0
        crowd.add(made[1], "b")
        crowd.add(made[2], "b")
        self.assertEqual(ended, [1])  # of all
        made[0].is_owed = True
        crowd.remove(made[6], "a")
        crowd.remove(made[6], "a")
        for one in made:
            crowd.remove(one, "a")
            crowd.remove(one, "b")
        self.assertEqual((crowd._count, dict(crowd._of)), (0, {}))


class Hits(ClearedCase):
    """The short way answers as the long one does, and takes only what is plainly a hit."""

    def setUp(self) -> None:
        self.site = make_site()
        folder = Path(tempfile.mkdtemp(prefix="clabo-spool-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        with override_settings(CLABO_SPOOL_DIR=folder / "spool", CLABO_TRUSTED_PROXIES=["127.0.0.0/8"]):
            from clabo.platform.config.asgi import Application

            self.application = Application()
        self.long_way = 0
        doors = self.application.doors

        async def counted(*args: Any) -> None:
            self.long_way += args[0]["type"] == "http"
            await doors(*args)

        counted.look_through = doors.look_through  # type: ignore[attr-defined]
        self.application.doors = counted  # type: ignore[assignment]

    def request(self, body: bytes, *more: bytes, key: str = "", method: bytes = b"POST") -> bytes:
        head = [
            method + f" /hit/{key or self.site.key} HTTP/1.1".encode(),
            b"host: x",
            b"user-agent: " + BROWSER.encode(),
        ]
        if not any(line.startswith(b"transfer-encoding") for line in more):
            head.append(b"content-length: %d" % len(body))
        return b"\r\n".join([*head, *more, b"", body])

    def kept(self) -> list[str]:
        """The addresses of all views in the inbox."""
        envelopes = [e for row in InboxBatch.objects.order_by("pk") for e in unpack(bytes(row.payload))]
        self.networks = {e.network for e in envelopes}
        return [view.url.rpartition("/")[2] for e in envelopes for view in decode_accepted(e.body).events]

    def test_a_hit_is_answered_once_it_is_kept_and_the_connection_goes_on(self) -> None:
        with serving(self.application, "on") as port:
            with socket.create_connection(("127.0.0.1", port), timeout=5) as connection:
                for n in range(3):
                    body = beacon(1, event(f"/{n}"))
                    whole = self.request(body)
                    for piece in (whole,) if n == 0 else (whole[:90], whole[90:-20], whole[-20:]):
                        connection.sendall(piece)
                        time.sleep(0.02)
                    said = connection.recv(65536)
                    self.assertTrue(said.startswith(b"HTTP/1.1 204 No Content\r\n"), said)
                    self.assertEqual(self.kept(), [str(k) for k in range(n + 1)])
            self.assertEqual(self.long_way, 0)
            short = {line.partition(b":")[0] for line in said.split(b"\r\n")[1:]}
            chunked = b"%x\r\n%b\r\n0\r\n\r\n" % (len(body), body)
            said = say(port, self.request(chunked, b"transfer-encoding: chunked"), until=b"\r\n\r\n")
            self.assertEqual({line.partition(b":")[0] for line in said.split(b"\r\n")[1:]}, short)
            self.assertEqual((self.long_way, len(self.kept())), (1, 4))

    def test_whatever_is_unusual_goes_the_long_way(self) -> None:
        body = beacon(1, event("/a"))
        cases = [
            (self.request(body, key="unknown"), b" 404 "),
            (self.request(b"{}"), b" 422 "),
            (self.request(b"x" * 70_000), b" 413 "),
            (self.request(b"", method=b"OPTIONS"), b" 204 "),
            (self.request(b"", method=b"GET"), b" 405 "),
            (self.request(body, b"connection: close"), b" 204 "),
            (self.request(body, b"expect: 100-continue"), b" 100 "),
        ]
        with serving(self.application, "on") as port:
            for number, (sent, status) in enumerate(cases):
                with self.subTest(number):
                    self.assertIn(status, say(port, sent, until=b"\r\n\r\n"))
                    self.assertEqual(self.long_way, number + 1)

    def test_the_next_one_waits_for_the_answer(self) -> None:
        """What comes before that is not taken in, nor answered: its sender sees the connection end and sends it again."""
        bodies = [beacon(1, event(f"/{n}")) for n in range(3)]
        with serving(self.application, "on") as port:
            said = say(port, b"".join(self.request(body) for body in bodies), until=b"never")
            self.assertEqual((said.count(b"HTTP/1.1 204"), said.count(b"HTTP/1.1")), (1, 1))
            self.assertIn(b"connection: close", said)
            get = b"GET /health/live HTTP/1.1\r\nhost: x\r\n\r\n"
            said = say(port, self.request(bodies[1]) + get, until=b"never")
            self.assertEqual(said.count(b"HTTP/1.1"), 1)
            said = say(port, get + self.request(bodies[2]), until=b" 204 ")
            self.assertLess(said.index(b" 200 "), said.index(b" 204 "))
        self.assertEqual(self.kept(), ["0", "1", "2"])

    def test_slow_and_unfinished_ones_end(self) -> None:
        begin = self.request(beacon(1, event("/a")))[:-10]
        with patch.object(server, "HIT_SECONDS", 0.3), serving(self.application, "on") as port:
            self.assertIn(b"408", say(port, begin))
            with socket.create_connection(("127.0.0.1", port)) as connection:
                connection.sendall(begin)
            self.assertIn(b" 204 ", say(port, self.request(beacon(1, event("/b"))), until=b"204"))
            self.assertEqual(self.kept(), ["b"])
        with patch.object(server, "KEEP_ALIVE_SECONDS", 0.3), serving(self.application, "on") as port:
            begun = time.monotonic()
            self.assertEqual(
                say(port, self.request(beacon(1, event("/c"))), until=b"never").count(b"HTTP/1.1"), 1
            )
            self.assertLess(time.monotonic() - begun, 3)

    def test_full_is_said_and_a_server_that_ends_answers_first(self) -> None:
        def late(*args: Any) -> None:
            time.sleep(0.5)

        with patch("clabo.collect.ingest.inbox.Writer.write", side_effect=late):
            said = []
            with serving(self.application, "on") as port:
                asking = threading.Thread(
                    target=lambda: said.append(say(port, self.request(beacon(1, event())), until=b"never"))
                )
                asking.start()
                time.sleep(0.2)
            asking.join()
        self.assertIn(b" 204 ", said[0])

    def test_the_proxy_that_is_named_says_who_it_is(self) -> None:
        with serving(self.application, "on") as port:
            for address in (b"198.51.100.7", b"1.1.1.1", b"9.9.9.9"):
                said = self.request(beacon(1, event()), b"x-forwarded-for: " + address)
                self.assertIn(b" 204 ", say(port, said, until=b"204"))
        self.kept()
        self.assertEqual((len(self.networks), "" in self.networks, self.long_way), (3, True, 0))


class Shared(SimpleTestCase):
    def test_two_processes_on_one_port(self) -> None:
        """Each answers, and when one ends the other goes on."""
        with socket.socket() as free:
            free.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
            words = ("manage.py", "serve", "--port", str(port), "--share-port", "--application", APPLICATION)
            both = [subprocess.Popen([sys.executable, *words]) for _ in range(2)]
            self.addCleanup(lambda: [p.kill() or p.wait() for p in both])
            seen: set[int] = set()
            end = time.monotonic() + 30
            while len(seen) < 2 and time.monotonic() < end:
                seen |= self.who(port)
            self.assertEqual(seen, {p.pid for p in both})
            both[0].terminate()
            both[0].wait()
            self.assertEqual({pid for _ in range(20) for pid in self.who(port)}, {both[1].pid})

    def who(self, port: int) -> set[int]:
        try:
            said = say(port, b"GET / HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n", until=b"never")
        except ConnectionRefusedError:
            time.sleep(0.1)
            return set()
        return {int(said.rpartition(b"\r\n")[2])} if b" 200 " in said else set()


APPLICATION = f"{__name__}:tells_its_number"


async def tells_its_number(scope: Any, receive: Any, send: Any) -> None:
    """Answers with the number of its process."""
    if scope["type"] == "http":
        body = str(os.getpid()).encode()
        headers = [(b"content-length", str(len(body)).encode())]
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        await send({"type": "http.response.body", "body": body})
