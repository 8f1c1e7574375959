"""What the tag costs a page on the main thread: the time its scripts run while a page loads, in headless Chromium."""

from __future__ import annotations

import gzip
import statistics
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from django.conf import settings
from playwright.sync_api import sync_playwright

from bench.common import table

LOADS = 60
PARTS = ("tag", "forms", "frames", "watch", "notice")
WORDS = "<p>Bees for people who have never kept any.</p>" * 200
FORM = "<form><input name=a><button>Send</button></form>" * 3


def script(name: str) -> str:
    """A built script; the tag with settings of its own."""
    text = (settings.CLABO_TAG_DIR / f"{name}.js").read_text()
    return text.replace("__SETTINGS__", '{"key":"k","to":"","hosts":[],"tests":[]}')


def page_html(with_forms: bool) -> str:
    """A page that runs the scripts in line and takes the time; what they do later is taken by long tasks."""
    timed = "".join(
        f"<script>at = performance.now()</script><script>{script(name)}</script>"
        "<script>spent += performance.now() - at</script>"
        for name in (("tag", "forms") if with_forms else ("tag",))
    )
    begin = "<script>var at, spent = 0, long = 0; new PerformanceObserver((list) => { for (const e of list.getEntries()) long += e.duration }).observe({ entryTypes: ['longtask'] })</script>"
    return f"<!doctype html><title>x</title>{WORDS}{FORM if with_forms else ''}{begin}{timed}"


class Pages(BaseHTTPRequestHandler):
    """A page of words, one with forms, and the collector's answer."""

    def do_GET(self) -> None:
        is_script = self.path.endswith(".js")
        body = script(self.path.rpartition("/")[2][:-3]) if is_script else page_html("form" in self.path)
        self.send_response(200)
        self.send_header("content-type", "text/javascript" if is_script else "text/html")
        self.end_headers()
        self.wfile.write(body.encode())

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers.get("content-length", 0)))
        self.send_response(204)
        self.end_headers()

    def log_message(self, *args: Any) -> None:
        pass


def main() -> None:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Pages)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    base = f"http://127.0.0.1:{server.server_port}"
    rows: list[list[object]] = []
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        for says, path in (("a page of words", "/words"), ("a page with three forms", "/form")):
            spent, long = [], 0.0
            for _ in range(LOADS):
                page = browser.new_page()
                page.goto(base + path)
                page.wait_for_timeout(150)
                spent.append(page.evaluate("spent"))
                long += page.evaluate("long")
                page.close()
            spent.sort()
            rows.append(
                [
                    says,
                    f"{statistics.median(spent):.2f}",
                    f"{spent[int(LOADS * 0.95)]:.2f}",
                    f"{spent[-1]:.2f}",
                    f"{long / LOADS:.1f}",
                ]
            )
        browser.close()
    head = [
        "first load, nothing compiled before",
        "median ms",
        "95th of 100",
        "worst",
        "tasks over 50 ms, ms a load",
    ]
    table(head, rows)
    sizes = [
        [f"{name}.js", len(gzip.compress((settings.CLABO_TAG_DIR / f"{name}.js").read_bytes(), 9))]
        for name in PARTS
    ]
    table(["script", "bytes gzipped"], sizes)


main()
