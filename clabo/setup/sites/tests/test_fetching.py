"""Pages are fetched from the site's own public hosts, and from nowhere else."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from unittest.mock import Mock, patch

from django.test import SimpleTestCase, override_settings

from clabo.platform.problems import Problem
from clabo.setup.sites import fetching, guard
from clabo.setup.sites.fetching import fetch
from clabo.setup.sites.models import Site, SiteHost

Answer = Callable[[BaseHTTPRequestHandler], None]


def page(text: str = "<title>x</title>", status: int = 200, **headers: str) -> Answer:
    def answer(handler: BaseHTTPRequestHandler) -> None:
        handler.send_response(status)
        for name, value in {"content_type": "text/html; charset=utf-8", **headers}.items():
            handler.send_header(name.replace("_", "-"), value)
        handler.end_headers()
        handler.wfile.write(text.encode())

    return answer


class Fetching(SimpleTestCase):
    def setUp(self) -> None:
        self.answers: dict[str, Answer] = {}
        self.asked: list[str] = []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                outer.asked.append(self.path)
                outer.answers.get(self.path, page("none", 404))(self)

            def log_message(self, *args: Any) -> None:
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        # Who asks hangs up on what is too large or too slow: that is what is tested.
        self.server.handle_error = lambda *args: None  # type: ignore[method-assign]
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        threading.Thread(target=self.server.serve_forever, args=(0.05,), daemon=True).start()
        self.host = f"127.0.0.1:{self.server.server_port}"
        self.base = f"http://{self.host}"

    def refused(self, url: str, hosts: list[str] | None = None) -> str:
        with self.assertRaises(Problem, msg=url) as caught:
            fetch(url, hosts or [self.host], local=[self.base])
        self.assertEqual(caught.exception.field, "url")
        return str(caught.exception)

    def test_a_page_with_its_policies_and_redirects(self) -> None:
        self.answers["/a"] = page(status=302, location="/b?x=1")
        self.answers["/b?x=1"] = page("<p>ä</p>", content_security_policy="default-src 'self'")
        found = fetch(self.base + "/a", [self.host], local=[self.base])
        self.assertEqual((found.url, found.text, found.status), (self.base + "/b?x=1", "<p>ä</p>", 200))
        self.assertEqual(found.policies, ["default-src 'self'"])
        self.assertEqual(found.redirects, [self.base + "/a"])

    def test_only_the_sites_hosts_and_only_pages(self) -> None:
        for url in (
            "http://elsewhere.example/",
            "file:///etc/passwd",
            "gopher://x/",
            "javascript:alert(1)",
            f"http://user:secret@{self.host}/",
            f"http://{self.host}@elsewhere.example/",
        ):
            self.refused(url)
        self.answers["/out"] = page(status=302, location="http://169.254.169.254/latest/meta-data")
        self.assertIn("none of this site’s hosts", self.refused(self.base + "/out"))
        self.answers["/pdf"] = page("%PDF", content_type="application/pdf")
        self.assertIn("no page", self.refused(self.base + "/pdf"))
        self.assertEqual(self.asked, ["/out", "/pdf"])

    def test_names_that_lead_into_private_networks(self) -> None:
        for address in (
            "127.0.0.1",
            "10.1.2.3",
            "192.168.0.1",
            "172.16.5.5",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",  # noqa: S104
            "::1",
            "fe80::1",
            "fd00::1",
            "::ffff:127.0.0.1",
            "::ffff:8.8.8.8",
            "64:ff9b::7f00:1",
            "2002:7f00:1::",
            "::127.0.0.1",
            "64:ff9b:1::7f00:1",
            "::ffff:0:7f00:1",
            "5f00::1",
            "fec0::1",
            "224.0.0.1",
        ):
            self.assertFalse(guard._is_public(address), address)
            family = socket.AF_INET6 if ":" in address else socket.AF_INET
            answer = [(family, socket.SOCK_STREAM, 6, "", (address, 80))]
            public = (socket.AF_INET, socket.SOCK_STREAM, 6, "", ("93.184.216.34", 80))
            with patch("socket.getaddrinfo", return_value=[public, *answer]):
                self.assertIn("private network", self.refused("http://shop.example/", ["shop.example"]))
        self.assertTrue(guard._is_public("2606:4700::1111"))
        self.assertTrue(guard._is_public("93.184.216.34"))
        # The demo's origin is open to the demo's site alone.
        site = Site(pk=1, is_demo=False)
        with (
            override_settings(CLABO_LOCAL_ORIGINS=[self.base]),
            patch.object(Site, "hosts", Mock(all=lambda: [SiteHost(host=self.host)])),
        ):
            with self.assertRaises(Problem):
                fetching.fetch_from(site, self.base + "/")
            site.is_demo = True
            self.assertEqual(fetching.fetch_from(site, self.base + "/").status, 404)
            self.asked.clear()
        self.assertEqual(self.asked, [])

    def test_a_name_that_answers_differently_the_second_time(self) -> None:
        """DNS rebinding: the connection goes to the address that was looked at."""
        public = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("93.184.216.34", 80))]
        private = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("127.0.0.1", self.server.server_port))]
        connected: list[Any] = []

        def connect(address: Any, timeout: Any = None) -> Any:
            connected.append(address)
            raise OSError

        with (
            patch("socket.getaddrinfo", side_effect=[public, private]),
            patch("socket.create_connection", side_effect=connect),
        ):
            self.refused("http://shop.example/", ["shop.example"])
        self.assertEqual(connected, [("93.184.216.34", 80)])

    def test_pages_without_end(self) -> None:
        self.answers["/loop"] = page(status=302, location="/loop")
        self.assertIn("redirects more than", self.refused(self.base + "/loop"))
        for nowhere in ("http://[", "http://shop.example:x/", "mailto:a@b.example", "//["):
            self.answers["/away"] = page(status=302, location=nowhere)
            self.refused(self.base + "/away")
            self.refused(nowhere)
        self.answers["/big"] = page("x" * (fetching.MOST_BYTES + 5))
        found = fetch(self.base + "/big", [self.host], local=[self.base])
        self.assertEqual((len(found.text), found.cut), (fetching.MOST_BYTES, True))

        def slow(handler: BaseHTTPRequestHandler) -> None:
            page("")(handler)
            for _ in range(40):
                handler.wfile.write(b"x")
                handler.wfile.flush()
                time.sleep(0.1)

        self.answers["/slow"] = slow
        self.answers["/silent"] = lambda handler: time.sleep(3)
        with patch.object(fetching, "MOST_SECONDS", 0.6):
            for path in ("/slow", "/silent"):
                begun = time.monotonic()
                self.refused(self.base + path)
                self.assertLess(time.monotonic() - begun, 1.5)
