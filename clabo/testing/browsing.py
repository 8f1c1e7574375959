"""A whole Clabo for browser tests: server, worker, pages on another origin, and headless Chromium."""

from __future__ import annotations

import asyncio
import shutil
import socket
import tempfile
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any, ClassVar
from urllib.parse import urlsplit

from django.db import connections
from django.test import override_settings
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from clabo.collect.pipeline import owing, runner
from clabo.platform.chromium import ARGUMENTS
from clabo.platform.config import server
from clabo.platform.jobs.worker import JobWorker
from clabo.testing.clearing import ClearedCase
from clabo.testing.jobs import forget_jobs
from clabo.testing.sessions import wait_for_others
from clabo.testing.traffic import BROWSER

CHROMIUM = [
    *ARGUMENTS,
    "--no-sandbox",
    "--no-first-run",
    "--disable-component-update",
    "--disable-sync",
    # Headless Chromium says that it is, and would be taken for the bot it is. A context's own user agent
    # does not reach what is sent while a page is being left.
    f"--user-agent={BROWSER}",
]

# Nobody waits so long: a test that fails says only so much later, and a busy machine fails none.
SLOW = 20.0


class Server:
    """uvicorn in a thread, on a port of its own choosing."""

    def __init__(self) -> None:
        self._server: server.Server | None = None
        self._thread: threading.Thread | None = None
        self.application: Any = None
        self.url = ""

    def start(self, application: Callable[[], Any]) -> None:
        """Serve what `application` makes; returns when it answers."""
        listening = socket.socket()
        listening.bind(("127.0.0.1", 0))
        self.url = f"http://localhost:{listening.getsockname()[1]}"

        def run() -> None:
            self.application = application()
            config = server.configured(self.application, log_level="error", lifespan="on")
            self._server = server.Server(config)
            asyncio.run(self._server.serve([listening]))

        self._thread = threading.Thread(target=run, daemon=True)
        self._thread.start()
        while self._server is None or not self._server.started:
            time.sleep(0.02)

    def stop(self) -> None:
        """Stop serving; what is under way is finished."""
        assert self._server and self._thread
        self._server.should_exit = True
        self._thread.join(10)


class Worker:
    """The worker's loop in a thread."""

    def __init__(self) -> None:
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._jobs = JobWorker()

    def start(self) -> None:
        self._thread.start()
        self._jobs.start()

    def stop(self) -> None:
        self._stopping.set()
        self._jobs.stop()
        self._thread.join(10)

    def _run(self) -> None:
        looked = 0.0
        while not self._stopping.is_set():
            if runner.run_once() < 0:
                time.sleep(0.1)
            # What is owed is due after seconds.
            if time.monotonic() - looked > 0.5:
                owing.retry_owed()
                looked = time.monotonic()
        connections.close_all()


class OwnPages:
    """A web site of somebody's own, on another origin. `pages` maps a path to its HTML."""

    def __init__(self) -> None:
        self.pages: dict[str, str] = {}
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                html = outer.pages.get(urlsplit(self.path).path)
                self.send_response(200 if html is not None else 404)
                self.send_header("content-type", "text/html; charset=utf-8")
                self.end_headers()
                self.wfile.write((html or "Not here.").encode())

            def log_message(self, *args: Any) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.host = f"127.0.0.1:{self._server.server_port}"
        self.url = f"http://{self.host}"
        threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


class ClaboCase(ClearedCase):
    """Begins each test with an empty database and a running Clabo at `self.clabo`."""

    def setUp(self) -> None:
        forget_jobs()
        folder = Path(tempfile.mkdtemp(prefix="clabo-test-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.server = Server()

        def application() -> Any:
            with_url = override_settings(
                PUBLIC_URL=self.server.url,
                CLABO_SPOOL_DIR=folder / "spool",
                CLABO_UPLOAD_DIR=folder / "uploads",
                EMAIL_FILE_PATH=folder / "mail",
            )
            with_url.enable()
            self.addCleanup(with_url.disable)
            from clabo.platform.config.asgi import Application

            return Application()

        self.server.start(application)
        # A request that is cut off goes on in its thread, and would hold what the next test clears.
        self.addCleanup(wait_for_others)
        self.addCleanup(self.server.stop)
        self.clabo = self.server.url
        self.worker = Worker()
        self.worker.start()
        self.addCleanup(self.worker.stop)

    def renewed(self) -> None:
        """Have the collector look at the sites again, as it does every other second."""
        collector = self.server.application.collector
        collector.directory.refresh()
        for route in collector.routes:
            route.refresh()

    def until(self, holds: Callable[[], Any], what: str, seconds: float = SLOW) -> Any:
        """What `holds` returns once it is true; fails after `seconds`."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if found := holds():
                return found
            time.sleep(0.05)
        self.fail(f"not within {seconds} s: {what}")


class BrowserCase(ClaboCase):
    """With headless Chromium, and `self.own` pages on another origin."""

    browser: ClassVar[Browser]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        expect.set_options(timeout=SLOW * 1000)
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        cls.browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        self.own = OwnPages()
        self.addCleanup(self.own.stop)
        super().setUp()

    def window(self, **options: Any) -> Page:
        """A page in a fresh profile that fails the test on any error in it."""
        context: BrowserContext = self.browser.new_context(
            **{
                "viewport": {"width": 1280, "height": 800},
                "locale": "en-GB",
                **options,
            }
        )
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(SLOW * 1000)
        # Raised in its listener, a failure would take Playwright's connection with it.
        thrown: list[str] = []
        page.on("pageerror", lambda error: thrown.append(f"{error} {error.stack or ''}"))
        self.addCleanup(lambda: self.assertEqual(thrown, [], "the page threw"))
        return page

    def sign_in(self, page: Page, email: str, password: str) -> None:
        """Sign in through the form."""
        page.goto(self.clabo + "/sign-in")
        page.get_by_label("E-mail").fill(email)
        page.get_by_label("Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/s/**")
