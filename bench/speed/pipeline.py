"""Events a second through the pipeline, on one core, with three conversions and one split test."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from bench.common import fresh_site, memory_of, table
from clabo.collect.events.models import Event
from clabo.collect.ingest.beacon import Envelope
from clabo.collect.ingest.directory import tag_site
from clabo.collect.ingest.inbox import store
from clabo.collect.pipeline import hooks, runner
from clabo.demo import scenario
from clabo.demo.simulator import Simulator
from clabo.setup.sites.models import SiteHost


def main() -> None:
    site = fresh_site()
    SiteHost.objects.create(site=site, host=scenario.HOST)
    simulator = Simulator(tag_site(site), {}, seed=5)
    today = datetime.now(UTC).date()
    rows = []
    # The older days first: hits that come late take another way, which is not what is measured here.
    for name, first, last, size, indexed in (
        ("backlog: groups of 500", 40, 10, 500, True),
        ("live: groups of 20 requests", 9, 7, 20, True),
        ("the same without the index of people", 6, 4, 20, False),
        ("live: groups of 20 requests, again", 3, 1, 20, True),
    ):
        hits: list[Envelope] = []
        for back in range(first, last - 1, -1):
            hits += simulator.day(today - timedelta(days=back), 1000)
        for start in range(0, len(hits), size):
            group = hits[start : start + size]
            store(group)
        before = Event.objects.count()
        chosen = {k: h for k, h in hooks.after_batch.all().items() if indexed or k != "presence"}
        with patch.object(hooks.after_batch, "all", return_value=chosen):
            began, cpu = time.perf_counter(), time.process_time()
            if size == 20:
                # As they come: a batch is what 0.25 seconds bring at 800 events a second.
                while runner.run_once(200) >= 0:
                    pass
            else:
                runner.drain()
            took, cpu = time.perf_counter() - began, time.process_time() - cpu
        done = Event.objects.count() - before
        rows.append([name, done, done / took, f"{cpu / took:.0%}", f"{memory_of(os.getpid()):.0f}"])
    table(["pipeline", "events", "events/s", "Python's share", "MB"], rows)


if __name__ == "__main__":
    main()
