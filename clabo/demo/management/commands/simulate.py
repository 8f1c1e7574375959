"""Keeps visitors coming."""

from __future__ import annotations

import heapq
import random
import time
from datetime import UTC, datetime
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from clabo.collect.ingest.beacon import Envelope
from clabo.collect.ingest.directory import tag_site
from clabo.collect.ingest.inbox import store
from clabo.demo import scenario
from clabo.demo.loading import forms_origin
from clabo.demo.simulator import Simulator
from clabo.judge.splits.models import SplitTest
from clabo.setup.sites.models import Site, SiteHost


class Command(BaseCommand):
    """Made-up visits in real time, until stopped."""

    help = "Send simulated visits to the demo site as time goes by."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--live", action="store_true", required=True, help="in real time, until stopped")
        parser.add_argument("--per-minute", type=float, default=12.0, help="visits a minute")

    def handle(self, *args: Any, per_minute: float, **options: Any) -> None:
        host = SiteHost.objects.filter(host=scenario.HOST).first()
        if host is None:
            raise CommandError("The demo is not loaded. Run ./start without --empty first.")
        site = Site.objects.get(pk=host.site_id)
        tests = {
            t.key: (t.started_at, t.ended_at)
            for t in SplitTest.objects.filter(site=site)
            if t.started_at is not None
        }
        simulator = Simulator(
            tag_site(site), tests, seed=random.SystemRandom().randrange(1 << 30), forms_origin=forms_origin()
        )
        due: list[tuple[int, int, Envelope]] = []
        number = 0
        while True:
            if random.random() < per_minute / 60:
                for request in simulator.visit(datetime.now(UTC)):
                    number += 1
                    heapq.heappush(due, (request.received_ms, number, request))
            now = time.time() * 1000
            ready = []
            while due and due[0][0] <= now:
                ready.append(heapq.heappop(due)[2])
            if ready:
                store(ready)
            time.sleep(1)
