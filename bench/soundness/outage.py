"""What must not hold up the rest.

The spool of an outage replayed beside new hits; a visitor of 20,000 events stitched anew; other sites' hits while a
great deal is recounted (EVENTS, by default 300,000).
"""

from __future__ import annotations

import http.client
import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import uuid4

from bench.common import fresh_site, table
from bench.soundness.contract import free_port, read
from clabo.collect.events.models import Event
from clabo.collect.ingest.beacon import Envelope
from clabo.collect.ingest.inbox import Spool, store
from clabo.collect.pipeline import runner
from clabo.setup.conversions.models import ConversionRule
from clabo.testing.traffic import BROWSER, beacon, event, make_site

EVENTS = int(os.environ.get("EVENTS", "300000"))
SPOOLED, PER_FILE, SENDERS = 30_000, 10, 8


def envelope(site_id: int, visitor: int, at: datetime, *paths: str) -> Envelope:
    return Envelope(site_id, int(at.timestamp() * 1000), BROWSER, beacon(visitor, *map(event, paths)))


def replay() -> list[object]:
    """Hits of an outage of 30 s at 1,000/s, replayed while others keep coming."""
    site = fresh_site()
    now = datetime.now(UTC)
    with tempfile.TemporaryDirectory() as folder:
        spool = Spool(Path(folder) / "spool")
        for start in range(0, SPOOLED, PER_FILE):
            spool.write([envelope(site.pk, start + i, now, "/a") for i in range(PER_FILE)])
        port = free_port()
        server = subprocess.Popen(
            [sys.executable, "manage.py", "serve", "--port", str(port)],
            env={**os.environ, "CLABO_SPOOL": str(spool.folder)},
        )
        waits: list[float] = []
        stop = threading.Event()

        def send() -> None:
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
            while not stop.is_set():
                body = beacon(int(uuid4()) % 10**9, event("/b"))
                begun = time.monotonic()
                connection.request("POST", f"/hit/{site.key}", body, {"user-agent": BROWSER})
                answer = connection.getresponse()
                answer.read()
                if answer.status == 204:
                    waits.append(time.monotonic() - begun)
                time.sleep(0.015)

        try:
            for _ in range(1000):
                try:
                    read(f"http://127.0.0.1:{port}/health/live")
                    break
                except OSError:
                    time.sleep(0.02)
            begun = time.monotonic()
            senders = [threading.Thread(target=send) for _ in range(SENDERS)]
            for sender in senders:
                sender.start()
            while spool.files() and time.monotonic() - begun < 120:
                time.sleep(0.02)
            took = time.monotonic() - begun
            stop.set()
            for sender in senders:
                sender.join()
        finally:
            server.terminate()
            server.wait(10)
    cuts = statistics.quantiles(waits, n=100)
    return [
        f"{SPOOLED:,} spooled hits replayed, {len(waits) / took:.0f} new ones a second beside",
        f"{took:.1f} s",
        f"new hits: p50 {1000 * cuts[49]:.0f} ms, p99 {1000 * cuts[98]:.0f} ms",
    ]


def restitching() -> list[object]:
    """A late event of a visitor with 20,000 later ones."""
    site = fresh_site()
    now = datetime.now(UTC) - timedelta(days=2)
    store([envelope(site.pk, 1, now + timedelta(seconds=30 * i), *["/a"] * 50) for i in range(400)])
    runner.drain()
    store([envelope(site.pk, 1, now - timedelta(hours=1), "/b")])
    begun = time.monotonic()
    runner.run_once()
    took = time.monotonic() - begun
    return [f"a visitor of {Event.objects.count() - 1:,} events stitched anew", f"{took:.2f} s", ""]


def recounting() -> list[object]:
    """How long another site's hits wait while one site's rule is counted back."""
    site = fresh_site()
    other = make_site()
    now = datetime.now(UTC) - timedelta(days=20)
    for start in range(0, EVENTS // 5, 5000):
        store(
            [
                envelope(site.pk, v, now + timedelta(seconds=v), "/a", "/b", "/c", "/d", "/order/thank-you")
                for v in range(start, start + 5000)
            ]
        )
        runner.drain()
    ConversionRule.objects.filter(site=site).update(counted_version=1)
    rule = ConversionRule.objects.get(site=site, name="order")
    worker = subprocess.Popen([sys.executable, "manage.py", "work"])
    lags: list[float] = []
    begun = 0.0
    try:
        while True:
            if len(lags) == 1:  # the worker has started
                rule.rule = {"page": {"match": "contains", "value": "thank-you"}}
                rule.version, rule.counting = 2, "every"
                rule.save()
                begun = time.monotonic()
            sent = envelope(other.pk, len(lags), datetime.now(UTC), "/a")
            known = Event.objects.filter(site=other).count()
            at = time.monotonic()
            store([sent])
            while Event.objects.filter(site=other).count() == known and time.monotonic() - at < 120:
                time.sleep(0.02)
            lags.append(time.monotonic() - at)
            rule.refresh_from_db()
            if begun and rule.counted_version == rule.version:
                break
            time.sleep(0.1)
    finally:
        worker.terminate()
        worker.wait(20)
    return [
        f"{Event.objects.filter(site=site).count():,} events recounted",
        f"{time.monotonic() - begun:.1f} s",
        f"another site's hits in reports after {statistics.median(lags):.2f} s, at most {max(lags[1:]):.2f} s",
    ]


def main() -> None:
    rows: list[list[Any]] = [replay(), restitching(), recounting()]
    table(["", "took", "meanwhile"], rows)


if __name__ == "__main__":
    main()
