"""PostgreSQL and the worker are killed under load. Every acknowledged event is there afterwards, once."""

from __future__ import annotations

import http.client
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from unittest import TestCase
from uuid import uuid4

import psycopg
from django.conf import settings

from clabo.testing.traffic import BROWSER, beacon, event

SETUP = """
from clabo.platform.accounts.models import Workspace
from clabo.setup.sites.models import Site
from clabo.setup.conversions.models import ConversionRule
site = Site.objects.create(workspace=Workspace.objects.create(name="W"), name="S", key="outage")
site.hosts.create(host="shop.example")
page = {"page": {"match": "equals", "value": "/thank-you"}}
ConversionRule.objects.create(site=site, name="order", category="purchase", counting="every", rule=page)
"""


class Cluster:
    """A PostgreSQL of this test's own, which may be killed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def tell(self, what: str) -> str:
        script = settings.BASE_DIR / "tools" / "postgres.sh"
        # The cluster that other tests share may lose what it was told; this one may not.
        careful = {name: value for name, value in os.environ.items() if name != "CLABO_PG_OPTIONS"}
        done = subprocess.run(
            ["bash", script, what, self.folder],
            capture_output=True,
            text=True,
            check=True,
            timeout=90,
            env=careful,
        )
        return done.stdout.strip()


class Sender(threading.Thread):
    """Sends single events without pause; keeps apart what was acknowledged."""

    def __init__(self, port: int, until: threading.Event, number: int) -> None:
        super().__init__(daemon=True)
        self.port, self.until, self.number = port, until, number
        self.sent: set[str] = set()
        self.acknowledged: set[str] = set()

    def run(self) -> None:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        while not self.until.is_set():
            key = uuid4().hex
            path = "/thank-you" if len(self.sent) % 10 == 9 else "/a"
            body = beacon(self.number * 1000 + len(self.sent) // 20, event(path, id=key))
            self.sent.add(key)
            try:
                connection.request("POST", "/hit/outage", body, {"user-agent": BROWSER})
                answer = connection.getresponse()
                answer.read()
            except (OSError, http.client.HTTPException):
                connection.close()
                continue
            if answer.status == 204:
                self.acknowledged.add(key)


class Outage(TestCase):
    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="outage-", dir=settings.STATE_DIR))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.cluster = Cluster(folder / "postgres")
        self.cluster.tell("start")
        self.addCleanup(self.cluster.tell, "remove")
        self.environment = {
            **os.environ,
            "DATABASE_URL": self.cluster.tell("url"),
            "CLABO_SPOOL": str(folder / "spool"),
            "CLABO_LOG_LEVEL": "CRITICAL",
        }
        self.spool = folder / "spool"
        # No bound: how long it takes is how busy the machine is.
        self.manage("migrate", "--verbosity", "0").wait(300)
        self.manage("shell", "--verbosity", "0", "--command", SETUP).wait(60)

    def manage(self, *words: str) -> subprocess.Popen[bytes]:
        process = subprocess.Popen(
            [sys.executable, "manage.py", *words],
            cwd=settings.BASE_DIR,
            env=self.environment,
            stdout=subprocess.DEVNULL,
        )
        self.addCleanup(process.kill)
        return process

    def serve(self) -> int:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port: int = free.getsockname()[1]
        server = subprocess.Popen(
            [
                *(sys.executable, "-m", "uvicorn", "--port", str(port), "--log-level", "critical"),
                *("--no-access-log", "clabo.platform.config.asgi:application"),
            ],
            cwd=settings.BASE_DIR,
            env=self.environment,
        )
        self.addCleanup(server.wait, 10)
        self.addCleanup(server.terminate)
        for _ in range(200):
            with socket.socket() as trying:
                if trying.connect_ex(("127.0.0.1", port)) == 0:
                    return port
            time.sleep(0.1)
        self.fail("the server did not start")

    def ask(self, query: str) -> list[tuple[object, ...]]:
        with psycopg.connect(self.environment["DATABASE_URL"]) as connection:
            return connection.execute(query).fetchall()

    def waiting(self) -> bool:
        spooled = self.spool.is_dir() and any(self.spool.iterdir())
        return spooled or bool(self.ask("SELECT 1 FROM ingest_inboxbatch LIMIT 1"))

    def test_nothing_is_lost_and_nothing_comes_twice(self) -> None:
        port, stop = self.serve(), threading.Event()
        senders = [Sender(port, stop, number) for number in range(8)]
        for sender in senders:
            sender.start()
        worker = self.manage("work")
        time.sleep(2.5)
        worker.kill()
        worker = self.manage("work")
        time.sleep(0.5)
        self.cluster.tell("kill")
        at_the_kill = sum(len(s.acknowledged) for s in senders)
        time.sleep(2)
        without_database = sum(len(s.acknowledged) for s in senders) - at_the_kill
        self.cluster.tell("start")
        time.sleep(2.5)
        worker.kill()
        worker = self.manage("work")
        stop.set()
        for sender in senders:
            sender.join(30)
        end = time.monotonic() + 60
        while self.waiting():
            self.assertLess(time.monotonic(), end, "the backlog was not worked off")
            time.sleep(0.2)

        acknowledged = set().union(*(s.acknowledged for s in senders))
        sent = set().union(*(s.sent for s in senders))
        rows = self.ask("SELECT replace(id::text, '-', '') FROM events_event")
        stored = {str(row[0]) for row in rows}
        self.assertGreater(len(acknowledged), 500)
        self.assertGreater(without_database, 50)
        self.assertEqual(acknowledged - stored, set())
        self.assertEqual(stored - sent, set())
        self.assertEqual(len(rows), len(stored))
        self.assertEqual(self.ask("SELECT sum(views) FROM events_visit"), [(len(stored),)])
        self.assertEqual(
            self.ask("SELECT count(*) FROM conversions_conversion"),
            self.ask(
                "SELECT count(*) FROM events_event e JOIN events_page p ON p.id = e.page_id "
                "WHERE p.path = '/thank-you'"
            ),
        )
