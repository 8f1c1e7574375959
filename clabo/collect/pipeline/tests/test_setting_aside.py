"""No request stops the pipeline: what cannot be stored stands aside alone, what cannot be counted yet is owed."""

from __future__ import annotations

import io
import threading
import time
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.core.management import call_command
from django.db import OperationalError, connection, transaction
from django.test import TestCase

from clabo.collect.events.intake import busy
from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader
from clabo.collect.events.models import Event, Visit
from clabo.collect.events.storage import storing
from clabo.collect.ingest.inbox import store
from clabo.collect.ingest.models import InboxBatch
from clabo.collect.pipeline import hooks, owing, runner
from clabo.collect.pipeline.models import Owed, SetAside
from clabo.setup.conversions.models import Conversion
from clabo.setup.conversions.recount import recount_rule
from clabo.setup.sites.locks import lock_site
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, receive, walk


class Culprits(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        make_rule(self.site, "/thank-you")

    def poisoned(self, error: Exception) -> object:
        """Storing fails, as COPY would, whenever a page called /poison is among what is stored."""
        real = storing.store

        def fails(reading: SiteReader, parsed_events: list[ParsedEvent]) -> object:
            if any(d.page.path == "/poison" for d in parsed_events):
                raise error
            return real(reading, parsed_events)

        return patch("clabo.collect.pipeline.runner.store", fails)

    def test_the_culprit_alone_stands_aside_whatever_it_raises(self) -> None:
        import psycopg

        for number, error in enumerate(
            (
                ValueError("x"),
                psycopg.errors.DataError("NUL\x00"),
                RecursionError(),
                KeyError("x"),
                OperationalError(),
            )
        ):
            if isinstance(error, OperationalError):
                # An index row too large is an operational error to psycopg, and the data's fault all the same.
                error.__cause__ = psycopg.errors.ProgramLimitExceeded()
                error.__cause__.sqlstate = "54000"
            begin = START + timedelta(days=number)
            bad = walk(self.site, 99, begin, "/poison")
            good = [e for v in range(7) for e in walk(self.site, v, begin, "/a", "/thank-you")]
            receive([*good[:5], *bad, *good[5:]], process=False)
            with self.poisoned(error), patch.object(runner.log, "error"):
                runner.drain()
            self.assertEqual(SetAside.objects.count(), number + 1, error)
            self.assertEqual(Event.objects.count(), 14 * (number + 1))
            self.assertEqual(Conversion.objects.count(), 7 * (number + 1))
        self.assertFalse(InboxBatch.objects.exists())

    def test_a_database_that_is_away_condemns_nothing(self) -> None:
        receive(walk(self.site, 1, START, "/poison"), process=False)
        with (
            self.poisoned(OperationalError("server closed the connection")),
            self.assertRaises(OperationalError),
        ):
            runner.run_once()
        self.assertEqual((InboxBatch.objects.count(), SetAside.objects.count()), (1, 0))
        runner.drain()
        self.assertEqual(Event.objects.count(), 1)

    def test_listed_put_back_and_dropped(self) -> None:
        receive([*walk(self.site, 1, START, "/poison"), *walk(self.site, 2, START, "/poison")], process=False)
        with self.poisoned(ValueError("no")), patch.object(runner.log, "error"):
            runner.drain()
        said = io.StringIO()
        call_command("set_aside", stdout=said)
        self.assertIn(f"site {self.site.pk}", said.getvalue())
        self.assertIn("ValueError: no", said.getvalue())
        first, second = SetAside.objects.order_by("pk")
        call_command("set_aside", "requeue", "--id", str(first.pk), stdout=said)
        runner.drain()
        self.assertEqual((Event.objects.count(), SetAside.objects.count()), (1, 1))
        call_command("set_aside", "drop", "--site", str(self.site.pk + 1), stdout=said)
        self.assertTrue(SetAside.objects.filter(pk=second.pk).exists())
        call_command("set_aside", "drop", stdout=said)
        self.assertFalse(SetAside.objects.exists())

    def test_an_error_in_a_later_stage_condemns_no_hit_and_is_made_good(self) -> None:
        for name in hooks.after_batch.all():
            site = make_site()
            make_rule(site, "/thank-you")
            broken = patch.dict(hooks.after_batch._functions, {name: _broken})
            with broken, patch.object(runner.log, "exception"):
                receive(walk(site, 1, START, "/a", "/thank-you"), process=False)
                runner.run_once()
            self.assertEqual(Event.objects.filter(site=site).count(), 2, name)
            owed = Owed.objects.get(site=site)
            self.assertEqual((owed.hook, len(owed.visitors)), (name, 1))
            # Not before it is due, and with growing pauses while it goes on failing.
            self.assertFalse(owing.retry_owed())
            later = datetime.now(UTC) + timedelta(minutes=1)
            with broken, patch.object(owing.log, "warning"):
                owing.retry_owed(later)
            owed.refresh_from_db()
            self.assertEqual(owed.tries, 2)
            self.assertGreater(owed.next_at, later + timedelta(seconds=8))
            owing.retry_owed(later + timedelta(hours=2))
            self.assertFalse(Owed.objects.exists())
            self.assertEqual(Conversion.objects.filter(site=site).count(), 1, name)


def _broken(batch: object) -> None:
    raise RuntimeError("a stage is broken")


class Locks(ClearedCase):
    """Somebody works on one site for long; the others do not wait."""

    def held(self, site_id: int) -> tuple[threading.Event, threading.Thread]:
        ready, done = threading.Event(), threading.Event()

        def hold() -> None:
            with transaction.atomic():
                lock_site(site_id)
                ready.set()
                done.wait(10)
            connection.close()

        thread = threading.Thread(target=hold)
        thread.start()
        ready.wait(10)
        return done, thread

    def test_other_sites_hits_are_stored_while_one_is_locked(self) -> None:
        busy, free = make_site(), make_site()
        rule = make_rule(busy, "/thank-you")
        done, thread = self.held(busy.pk)
        store([*walk(busy, 1, START, "/thank-you"), *walk(free, 1, START, "/a")])
        begun = time.monotonic()
        self.assertEqual(runner.run_once(), 1)
        self.assertLess(time.monotonic() - begun, 2)
        self.assertEqual(list(Event.objects.values_list("site_id", flat=True)), [free.pk])
        # A recount of the busy site passes as well, and is found again.
        self.assertFalse(recount_rule(busy.pk, rule.pk))
        done.set()
        thread.join()
        runner.drain()
        self.assertTrue(recount_rule(busy.pk, rule.pk))
        rule.refresh_from_db()
        self.assertEqual((Event.objects.count(), rule.counted_version), (2, rule.version))

    def test_two_workers_share_the_sites_and_nothing_comes_twice(self) -> None:
        sites = [make_site() for _ in range(4)]
        for site in sites:
            make_rule(site, "/thank-you")
            for visitor in range(5):
                store(walk(site, visitor, START + timedelta(minutes=visitor), "/a", "/thank-you"))

        def work() -> None:
            runner.drain()
            connection.close()

        workers = [threading.Thread(target=work) for _ in range(2)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join(30)
        runner.drain()
        self.assertEqual((Event.objects.count(), Conversion.objects.count()), (40, 20))
        self.assertEqual(Visit.objects.filter(views=2).count(), 20)


class Long(TestCase):
    def test_a_visitor_of_twenty_thousand_events_is_stitched_anew_by_few_statements(self) -> None:
        site = make_site()
        bodies = [[event("/a") for _ in range(50)] for _ in range(60)]
        for number, events in enumerate(bodies):
            receive([hit(site, START + timedelta(minutes=number), beacon(1, *events))], process=False)
        allowed = patch.object(busy, "MOST_EVENTS", 10_000)
        allowed.start()
        self.addCleanup(allowed.stop)
        runner.drain()
        late = beacon(1, event("/b", age=6 * 3600 * 1000))
        receive([hit(site, START + timedelta(hours=5), late)], process=False)
        with self.assertNumQueries(FEW):
            runner.run_once()
        self.assertEqual((Event.objects.count(), Visit.objects.count()), (3001, 2))
        self.assertEqual(list(Visit.objects.order_by("number").values_list("views", flat=True)), [1, 3000])


class FewQueries(int):
    """At most so many, whatever the number of events: compares equal to anything below."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, int) and other <= int(self)

    def __hash__(self) -> int:
        return int.__hash__(self)


FEW = FewQueries(60)
