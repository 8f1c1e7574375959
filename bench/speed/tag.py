"""What the tag costs a page on the main thread: the time its scripts run while a page loads, in headless Chromium."""

from __future__ import annotations

import gzip
import statistics
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from django.conf import settings
from playwright.sync_api import CDPSession, sync_playwright

from bench.common import table
from clabo.platform.chromium import ARGUMENTS

LOADS = 40
PARTS = (
    "tag",
    "tag-splits",
    "tag-more",
    "tag-splits-more",
    "clicks",
    "forms",
    "frames",
    "watch",
    "notice",
    "carry",
)
WORDS = "<p>Bees for people who have never kept any.</p>" * 200
# What any script pays that knows a browser again and tells of it, with as much text to read as the tag has.
LEAST = (
    "(function(){function never(){%s}var c=document.cookie;document.cookie='a=b;path=/;max-age=999';"
    "setTimeout(function(){fetch('/hit/k',{method:'POST',body:JSON.stringify(c),keepalive:true,"
    "credentials:'omit'}).then(function(){})},20)})()" % ("var x=1;y(x+2);" * 500)
)
# A large page, and a form that it takes over.
LARGE = (
    "<form id=f onsubmit=\"event.preventDefault(); fetch('/hit/x', {method: 'POST'})\"><input name=a value=1><button id=go>"
    "Go</button></form>"
    + "<div><p>Bees for people who have never kept <b>any</b>, thanks to <i>all</i>.</p></div>"
    * 6000
)
LONG_TASKS = (
    "<script>window.long=[];new PerformanceObserver((l)=>{for(const e of l.getEntries())long.push(e.duration)})"
    ".observe({type:'longtask'})</script>"
)
FORM = "<form><input name=a><button>Send</button></form>" * 3


def script(name: str) -> str:
    """A built script; the tag with settings of its own."""
    text = (settings.CLABO_TAG_DIR / f"{name}.js").read_text()
    return text.replace("__SETTINGS__", '{"key":"k","to":"","hosts":[],"tests":[]}')


def page_html(path: str) -> str:
    """A page that asks for a script as the install kit has it."""
    name = "least" if "least" in path else "tag"
    source = f"{'idle-' if 'idle' in path else ''}{name}.js"
    if "large" in path:
        line = "" if "without" in path else '<script async="async" src="/tag.js"></script>'
        return f"<!doctype html><title>x</title>{LONG_TASKS}{line}{LARGE}"
    return (
        f'<!doctype html><title>x</title><script async src="/{source}"></script>{WORDS}'
        f"{FORM if 'form' in path else ''}"
    )


def script_at(path: str) -> str:
    """The script of that address; "idle": it is there and does nothing, what the machine takes to read it."""
    name = path.rpartition("/")[2].removesuffix(".js")
    if name.startswith("idle-"):
        return f"function never(){{{script(name[5:])}}}"
    return LEAST if name == "least" else script(name)


class Pages(BaseHTTPRequestHandler):
    """A page of words, one with forms, and the collector's answer."""

    def do_GET(self) -> None:
        is_script = self.path.endswith(".js")
        body = script_at(self.path) if is_script else page_html(self.path)
        self.send_response(200)
        self.send_header("content-type", "text/javascript" if is_script else "text/html")
        self.end_headers()
        self.wfile.write(body.encode())

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers.get("content-length", 0)))
        self.send_response(204)
        # The collector's own answer.
        self.send_header("clabo", "1")
        self.end_headers()

    def log_message(self, *args: Any) -> None:
        pass


def script_ms(session: CDPSession) -> float:
    """Milliseconds that this page's main thread has spent on compiling and running scripts."""
    metrics = session.send("Performance.getMetrics")["metrics"]
    return (
        sum(float(m["value"]) for m in metrics if m["name"] in ("ScriptDuration", "V8CompileDuration")) * 1000
    )


def main() -> None:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Pages)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    base = f"http://127.0.0.1:{server.server_port}"
    rows: list[list[object]] = []
    touches: list[list[object]] = []
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=[*ARGUMENTS, "--no-sandbox"]
        )
        for says, path in (
            ("a page of words, tag never run", "/words-idle"),
            ("a page of words", "/words"),
            ("a page of words, no more than cookie and request", "/least"),
            ("a page with three forms, tag never run", "/form-idle"),
            ("a page with three forms", "/form"),
        ):
            loads: list[list[float]] = [[], []]
            touched: list[float] = []
            for _ in range(LOADS):
                page = browser.new_page()
                session = page.context.new_cdp_session(page)
                # Time of the thread, not of the clock: others share the machine.
                session.send("Performance.enable", {"timeDomain": "threadTicks"})
                for spent in loads:
                    before = script_ms(session)
                    page.goto(base + path)
                    page.wait_for_timeout(200)
                    after = script_ms(session)
                    # A new renderer counts from nothing.
                    spent.append(after - before if after > before else after)
                # The part for forms is fetched once somebody is seen at work.
                before = script_ms(session)
                page.mouse.move(50, 50)
                page.wait_for_timeout(200)
                touched.append(script_ms(session) - before)
                page.close()
            touches.append([says, *(f"{f(touched):.2f}" for f in (statistics.median, min))])
            rows.append([says, *(f"{f(spent):.2f}" for spent in loads for f in (statistics.median, min))])
        long: list[list[str]] = []
        for says, path in (("with the tag", "/large"), ("without", "/large-without")):
            worst = 0.0
            for _ in range(8):
                page = browser.new_page()
                page.goto(base + path)
                page.mouse.move(5, 5)
                page.mouse.move(50, 50)
                page.wait_for_timeout(800)
                page.evaluate("long.length = 0")
                page.click("#go")
                page.wait_for_timeout(2500)
                worst = max([worst, *page.evaluate("long")])
                page.close()
            long.append([says, f"{worst:.0f}" if worst else "none over 50"])
        browser.close()
    table(["a form sent on a page of 24,000 elements", "longest task of 8 visits, ms"], long)
    table(
        ["script, ms", "a visitor's first page, median", "least", "the page after it, median", "least"], rows
    )
    table(["script once the pointer has moved, ms", "median", "least"], touches)
    sizes = [
        [f"{name}.js", len(gzip.compress((settings.CLABO_TAG_DIR / f"{name}.js").read_bytes(), 9))]
        for name in PARTS
    ]
    table(["script", "bytes gzipped"], sizes)


main()
