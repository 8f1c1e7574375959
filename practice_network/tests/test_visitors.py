"""Visitors leave at the site what a tag would have sent."""

from __future__ import annotations

import json
import threading
from collections import Counter
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, HTTPServer
from random import Random
from typing import Any
from unittest import TestCase

import msgspec

from clabo.collect.ingest.beacon import Beacon
from practice_network.running import Clicked
from practice_network.visitors import Web, visit


def hashed(number: int) -> bytes:
    return sha256(str(number).encode()).digest()


class Visiting(TestCase):
    def test_a_visitor_leaves_what_a_tag_would_have_sent(self) -> None:
        hits: list[dict[str, Any]] = []
        origin = ""

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                tag = f"<script async src='{origin}/tag/ab12.js'></script>"
                page = {
                    "/kit": f"<title>The kit</title>{tag}<form action='/order'>",
                    "/order": f"{tag}<form action='/order/thank-you'>",
                    "/order/thank-you": tag,
                    "/bare": "<p>No tag</p>",
                }.get(self.path.partition("?")[0])
                self.send_response(200 if page else 404)
                self.end_headers()
                self.wfile.write((page or "").encode())

            def do_POST(self) -> None:
                hits.append(json.loads(self.rfile.read(int(self.headers["content-length"]))))
                self.send_response(204)
                self.end_headers()

            def log_message(self, *said: Any) -> None:
                pass

        server = HTTPServer(("127.0.0.1", 0), Handler)
        origin = f"http://127.0.0.1:{server.server_port}"
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        web, link = Web({"shop.example": origin}), "https://shop.example/kit?practiceclid=c1"
        seen = Counter(
            visit(web, Clicked(link, hashed(1), 5, 0, 0.0, n % 3 == 0), Random(n)) for n in range(60)
        )
        self.assertEqual(seen, {1: 40, 3: 20})
        self.assertEqual(len(hits), seen[1] + 3 * seen[3])
        whole = [h for h in hits if h["urls"] == ["https://shop.example/order/thank-you"]]
        self.assertEqual(len(whole), seen[3])
        self.assertEqual(whole[0]["events"][0]["person"], {"email": hashed(1).hex()})
        first = hits[0]
        self.assertEqual((first["urls"], first["events"][0]["title"]), ([link], "The kit"))
        # What the collector takes.
        for hit in hits:
            msgspec.json.decode(json.dumps(hit).encode(), type=Beacon)
        # Elsewhere nobody goes, and without a tag nobody is seen.
        for other in (
            "https://evil.example/kit",
            "https://shop.example/bare",
            "https://shop.example/nowhere",
        ):
            self.assertEqual(visit(web, Clicked(other, hashed(1), 5, 0, 0.0, True), Random(1)), 0, other)
