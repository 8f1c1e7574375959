"""What the picture browser can reach."""

from __future__ import annotations

import asyncio
import socket
import threading
from unittest import TestCase
from unittest.mock import Mock, patch

from clabo.collect.pictures import proxy
from clabo.collect.pictures.proxy import GuardedProxy
from clabo.testing.browsing import OwnPages


class Guard(TestCase):
    def setUp(self) -> None:
        self.own, self.inner = OwnPages(), OwnPages()
        self.addCleanup(self.own.stop)
        self.addCleanup(self.inner.stop)
        self.own.pages["/a"] = "<p>the page</p>" + "x" * 200_000
        self.inner.pages["/secret"] = "the secret"
        self.proxy = GuardedProxy([self.own.host, "shop.example"], [self.own.url])
        loop = asyncio.new_event_loop()
        threading.Thread(target=loop.run_forever, daemon=True).start()
        self.addCleanup(loop.call_soon_threadsafe, loop.stop)
        self.addCleanup(lambda: asyncio.run_coroutine_threadsafe(_end_all(), loop).result(5))
        self.port = asyncio.run_coroutine_threadsafe(self.proxy.start(), loop).result(5)

    def ask(self, head: str) -> bytes:
        with socket.create_connection(("127.0.0.1", self.port), 5) as to:
            to.sendall(head.encode())
            to.settimeout(5)
            got = b""
            while piece := to.recv(65536):
                got += piece
            return got

    def get(self, url: str, more: str = "") -> bytes:
        return self.ask(f"GET {url} HTTP/1.1\r\nHost: x\r\n{more}\r\n")

    def test_the_sites_own_pages_and_nothing_else(self) -> None:
        self.assertIn(b"the page", self.get(self.own.url + "/a"))
        for url in (self.inner.url + "/secret", "http://169.254.169.254/latest", "http://elsewhere.example/"):
            self.assertTrue(self.get(url).startswith(b"HTTP/1.1 403"), url)
        self.assertTrue(self.ask(f"CONNECT {self.inner.host} HTTP/1.1\r\n\r\n").startswith(b"HTTP/1.1 403"))
        self.assertEqual(self.proxy.left_out, {self.inner.host, "169.254.169.254", "elsewhere.example"})

    def test_a_name_of_the_sites_that_leads_inside(self) -> None:
        for address in ("127.0.0.1", "10.0.0.1", "::1"):
            names = Mock(getaddrinfo=Mock(return_value=[(socket.AF_INET, 0, 0, "", (address, 80))]))
            with patch("clabo.setup.sites.guard.socket", names):
                for asked in (
                    self.get("http://shop.example/"),
                    self.ask("CONNECT shop.example:443 HTTP/1.1\r\n\r\n"),
                ):
                    self.assertTrue(asked.startswith(b"HTTP/1.1 403"), address)

    def test_a_tunnel_leads_to_the_address_that_was_looked_at(self) -> None:
        with socket.create_connection(("127.0.0.1", self.port), 5) as to:
            to.sendall(f"CONNECT {self.own.host} HTTP/1.1\r\n\r\n".encode())
            self.assertIn(b"200", to.recv(200))
            to.sendall(b"GET /a HTTP/1.0\r\n\r\n")
            self.assertIn(b"200", to.recv(200))

    def test_nonsense_and_too_much(self) -> None:
        for head in (
            "\r\n\r\n",
            "GET\r\n\r\n",
            "GET gopher://x/ HTTP/1.1\r\n\r\n",
            "CONNECT x:99999 HTTP/1.1\r\n\r\n",
        ):
            self.assertTrue(self.ask(head).startswith(b"HTTP/1.1 403"), head)
        self.assertTrue(
            self.get(self.own.url + "/a", "A: " + "x" * 100_000 + "\r\n").startswith(b"HTTP/1.1 403")
        )
        with patch.object(self.proxy, "_left", 100_000):
            self.assertLess(len(self.get(self.own.url + "/a")), 200_000)
        self.assertGreater(proxy.MOST_BYTES, 10_000_000)


async def _end_all() -> None:
    tasks = asyncio.all_tasks() - {asyncio.current_task()}
    for task in tasks:
        task.cancel()
    await asyncio.gather(*tasks, return_exceptions=True)
