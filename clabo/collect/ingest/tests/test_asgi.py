"""What the collector answers, and what it keeps."""

from __future__ import annotations

import asyncio
import gzip
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any
from unittest.mock import patch

import msgspec
import psycopg
from django.db import InterfaceError
from django.test import override_settings

from clabo.collect.events.models import Event, Page, TrafficClass, Visit
from clabo.collect.ingest.asgi import Collector
from clabo.collect.ingest.beacon import MAX_BODY, unpack
from clabo.collect.ingest.directory import tag_site
from clabo.collect.ingest.inbox import store
from clabo.collect.ingest.models import InboxBatch, Refusal
from clabo.collect.pipeline import runner
from clabo.judge.splits.models import SplitTest, Variant
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import BROWSER, beacon, event, make_rule, make_site


class Answer:
    """Status, headers and body of one response."""

    def __init__(self, messages: list[dict[str, Any]]) -> None:
        self.status: int = messages[0]["status"]
        self.headers = {k.decode(): v.decode() for k, v in messages[0]["headers"]}
        self.body = b"".join(m.get("body", b"") for m in messages[1:])

    def json(self) -> Any:
        return msgspec.json.decode(self.body)


async def ask(
    app: Collector, method: str, path: str, body: bytes | list[bytes] = b"", **headers: str
) -> Answer:
    """One request as a server would hand it over; a list is a body that arrives in pieces."""
    pieces = body if isinstance(body, list) else [body]
    waiting = [
        {"type": "http.request", "body": piece, "more_body": i + 1 < len(pieces)}
        for i, piece in enumerate(pieces)
    ]
    sent: list[dict[str, Any]] = []
    agent = headers.pop("user_agent", BROWSER)
    scope = {
        "type": "http",
        "method": method,
        "path": path,
        "client": ("192.0.2.7", 1234),
        "headers": [(b"user-agent", agent.encode())]
        + [(k.replace("_", "-").encode(), v.encode()) for k, v in headers.items()],
    }

    async def receive() -> dict[str, Any]:
        return waiting.pop(0)

    async def send(message: Any) -> None:
        sent.append(message)

    await app(scope, receive, send)
    return Answer(sent)


async def behind(*args: Any) -> None:
    raise AssertionError("this was Django's to answer")


class CollectorCase(ClearedCase):
    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="clabo-spool-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.spool = folder / "spool"
        self.site = make_site()
        with override_settings(CLABO_SPOOL_DIR=self.spool):
            self.app = Collector(behind=behind)

    def run_with(self, what: Callable[[], Any]) -> Any:
        """Run a coroutine, and end the collector's housekeeping with it."""

        async def whole() -> Any:
            try:
                return await what()
            finally:
                if self.app._housekeeping:
                    self.app._housekeeping.cancel()
                    self.app._housekeeping = None

        return asyncio.run(whole())

    def hit(self, body: bytes | list[bytes], key: str = "", method: str = "POST") -> Answer:
        path = f"/hit/{key or self.site.key}"
        answer: Answer = self.run_with(lambda: ask(self.app, method, path, body))
        return answer


class Accepting(CollectorCase):
    def test_an_answer_comes_after_the_commit(self) -> None:
        answer = self.hit(beacon(1, event("/a"), event("/b", age=2000)))
        self.assertEqual((answer.status, answer.headers["access-control-allow-origin"]), (204, "*"))
        self.assertEqual(InboxBatch.objects.get().requests, 1)
        runner.drain()
        times = list(Event.objects.order_by("time").values_list("page__path", "time"))
        self.assertEqual([path for path, _ in times], ["/b", "/a"])
        self.assertAlmostEqual((times[1][1] - times[0][1]).total_seconds(), 2, delta=0.01)
        self.assertLess(abs(datetime.now(UTC) - times[1][1]), timedelta(seconds=20))

    def test_an_address_is_said_once_and_what_the_tag_dropped_is_counted(self) -> None:
        urls = ["https://shop.example/a", "https://shop.example/b?x=1"]
        events = [event("", url="", page=place, age=3000 - n * 1000) for n, place in enumerate((0, 1, 0))]
        self.assertEqual(self.hit(beacon(1, *events, urls=urls, dropped=3)).status, 204)
        runner.drain()
        paths = list(Event.objects.order_by("time").values_list("page__path", flat=True))
        self.assertEqual(paths, ["/a", "/b", "/a"])
        self.app.refused.save()
        self.assertEqual(Refusal.objects.get(site=self.site, reason="too_large").count, 3)

    def test_texts_without_an_end_or_with_nul_cost_only_themselves(self) -> None:
        """Escaped halves of signs, whole ones, and NUL; the rest of the request stands."""
        texts = ["\\ud83d", "a\\udc1d b", "\\ud83d\\udc1d", "\\u0000x", "\\\\ud83d"]
        body = beacon(1, *(event(f"/{n}", title=f"@{n}") for n in range(len(texts))))
        for n, text in enumerate(texts):
            body = body.replace(f"@{n}".encode(), text.encode())
        self.assertEqual(self.hit(body).status, 204)
        runner.drain()
        titles = dict(Page.objects.values_list("path", "title"))
        self.assertEqual(titles["/0"], "\ufffd")
        self.assertEqual(titles["/1"], "a\ufffd b")
        self.assertEqual(titles["/2"], "🐝")
        self.assertEqual(titles["/3"], "x")

    def test_the_answer_says_whose_it_is_whatever_a_page_adds_to_its_requests(self) -> None:
        ours = [self.hit(beacon(1, event())), self.hit(b"{")]
        self.assertEqual([a.headers["clabo"] for a in ours], ["1", "1"])
        self.assertEqual({a.headers["access-control-expose-headers"] for a in ours}, {"clabo"})

        def asked(names: str) -> str:
            path = f"/hit/{self.site.key}"
            made = self.run_with(lambda: ask(self.app, "OPTIONS", path, access_control_request_headers=names))
            return str(made.headers["access-control-allow-headers"])

        self.assertEqual(asked("authorization, x-trace"), "authorization, x-trace")
        self.assertEqual(asked("x\r\nset-cookie: a"), "content-type")

    def test_what_arrives_together_is_one_row(self) -> None:
        async def many() -> list[Answer]:
            await ask(self.app, "POST", f"/hit/{self.site.key}", beacon(0, event()))
            return await asyncio.gather(
                *(ask(self.app, "POST", f"/hit/{self.site.key}", beacon(i, event())) for i in range(300))
            )

        answers = self.run_with(many)
        self.assertEqual({a.status for a in answers}, {204})
        self.assertLess(InboxBatch.objects.count(), 20)
        self.assertEqual(sum(InboxBatch.objects.values_list("requests", flat=True)), 301)

    def test_the_pixel_counts_a_view_without_an_id_to_store(self) -> None:
        page = "https://shop.example/mail?utm_source=letter&utm_medium=email"
        path = f"/pixel/{self.site.key}.gif"
        for _ in range(2):
            answer = self.run_with(lambda: ask(self.app, "GET", path, referer=page))
            self.assertEqual((answer.status, answer.headers["content-type"]), (200, "image/gif"))
            self.assertNotIn("set-cookie", answer.headers)
        runner.drain()
        visit = Visit.objects.get()
        self.assertEqual((visit.views, visit.channel), (2, "email"))
        self.assertEqual(Page.objects.get().path, "/mail")
        nothing = self.run_with(lambda: ask(self.app, "GET", path))
        self.assertEqual(nothing.json()["reason"], "bad_address")

    def test_a_browser_that_says_it_is_a_bot_is_flagged(self) -> None:
        path = f"/hit/{self.site.key}"
        for visitor, agent in enumerate(("Mozilla/5.0 (compatible; examplebot/2.1)", "")):
            self.run_with(lambda: ask(self.app, "POST", path, beacon(visitor, event()), user_agent=agent))  # noqa: B023
        runner.drain()
        self.assertEqual(list(Visit.objects.values_list("traffic_class", flat=True)), [TrafficClass.BOT] * 2)

    def test_the_tag_is_served_with_its_sites_settings_and_cached(self) -> None:
        path = f"/tag/{self.site.key}.js"
        first = self.run_with(lambda: ask(self.app, "GET", path))
        self.assertIn(self.site.key, first.body.decode())
        # Read in the first line only: the tag is compiled off the main thread.
        self.assertTrue(first.body.startswith(b"//# allFunctionsCalledOnLoad\n"))
        self.assertIn("max-age", first.headers["cache-control"])
        again = self.run_with(lambda: ask(self.app, "GET", path, if_none_match=first.headers["etag"]))
        self.assertEqual((again.status, again.body), (304, b""))
        for script in (path, "/tag/part/forms.js"):
            plain = self.run_with(partial(ask, self.app, "GET", script))
            packed = self.run_with(partial(ask, self.app, "GET", script, accept_encoding="br, gzip;q=0.8"))
            self.assertNotIn("content-encoding", plain.headers)
            self.assertEqual(packed.headers["content-encoding"], "gzip")
            self.assertEqual((packed.headers["vary"], plain.headers["vary"]), ("accept-encoding",) * 2)
            self.assertEqual(gzip.decompress(packed.body), plain.body)
            self.assertLess(len(packed.body), 4096)

    def test_only_where_a_split_test_runs_the_tag_knows_how_to_split(self) -> None:
        path = f"/tag/{self.site.key}.js"
        plain = self.run_with(lambda: ask(self.app, "GET", path))
        self.assertNotIn("clabo_from", plain.body.decode())
        rule = make_rule(self.site, "/thanks")
        test = SplitTest.objects.create(
            site=self.site,
            name="t",
            rule=rule,
            state="running",
            baseline=0.1,
            smallest_lift=0.5,
            planned_visitors=9,
        )
        for letter in "AB":
            Variant.objects.create(test=test, letter=letter, host="shop.example", path=f"/{letter}", share=50)
        self.app.directory.refresh()
        split = self.run_with(lambda: ask(self.app, "GET", path))
        self.assertIn("clabo_from", split.body.decode())
        self.assertNotEqual(split.headers["etag"], plain.headers["etag"])
        # A robot reads the page that everybody can see, and no cache takes that for what people are given.
        robot = self.run_with(lambda: ask(self.app, "GET", path, user_agent="examplebot/2.1"))
        self.assertNotIn("clabo_from", robot.body.decode())
        self.assertIn("no-store", robot.headers["cache-control"])


class Refusing(CollectorCase):
    def assertRefused(self, answer: Answer, status: int, reason: str) -> None:  # noqa: N802
        self.assertEqual((answer.status, answer.json()["reason"]), (status, reason), answer.body)
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertTrue(answer.json()["detail"])

    def test_every_reason(self) -> None:
        def changed(**fields: Any) -> bytes:
            return msgspec.json.encode({**msgspec.json.decode(beacon(1, event("/a"))), **fields})

        cases = [
            (b"{", 400, "not_json"),
            (b"\xff\xfe", 400, "not_json"),
            (b"[" * 5000, 422, "wrong_type"),
            (b"[]", 422, "wrong_type"),
            (changed(visitor=7), 422, "wrong_type"),
            (changed(visitor="X" * 32), 422, "wrong_type"),
            (changed(surprise=1), 422, "wrong_type"),
            (changed(events=[]), 422, "wrong_type"),
            (changed(events=[event("/a")] * 51), 422, "wrong_type"),
            (beacon(1, event("/a", age=-1)), 422, "wrong_type"),
            (beacon(1, event("/a", age="now")), 422, "wrong_type"),
            (beacon(1, event("/a", title="x" * 301)), 422, "wrong_type"),
            (beacon(1, event("", url="")), 422, "bad_address"),
            (beacon(1, event("/a", page=0), urls=["https://shop.example/a"]), 422, "wrong_type"),
            (beacon(1, event("", url="", page=1), urls=["https://shop.example/a"]), 422, "wrong_type"),
            (beacon(1, event("", url="", page=0), urls=["https://elsewhere.example/a"]), 403, "foreign_host"),
            (beacon(1, event("/a", properties={"a": {"b": 1}})), 422, "wrong_type"),
            (beacon(1, event("/a", age=24 * 3600 * 1000 + 1)), 422, "too_old"),
            (beacon(1, event("javascript:alert(1)//://")), 422, "bad_address"),
            (beacon(1, event("https://elsewhere.example/a")), 403, "foreign_host"),
            (beacon(1, event("/a"), event("https://shop.example.evil.example/")), 403, "foreign_host"),
            (b'"' + b"x" * MAX_BODY + b'"', 413, "too_large"),
        ]
        for body, status, reason in cases:
            self.assertRefused(self.hit(body), status, reason)
        self.assertRefused(self.hit(beacon(1, event()), key="forged"), 404, "unknown_key")
        self.assertRefused(self.hit(b"", method="GET"), 405, "wrong_method")
        self.assertFalse(InboxBatch.objects.exists())
        self.app.refused.save()
        counted = dict(Refusal.objects.values_list("reason", "count"))
        self.assertEqual((counted["not_json"], counted["wrong_type"], counted["unknown_key"]), (2, 13, 1))
        self.assertIsNone(Refusal.objects.get(reason="unknown_key").site_id)

    def test_ten_megabytes_are_not_read_to_the_end(self) -> None:
        piece = b"x" * 65_536
        pieces = [piece] * 160
        self.assertRefused(self.hit(pieces), 413, "too_large")

    def test_forged_keys_do_not_ask_the_database_each_time(self) -> None:
        async def many() -> None:
            forged = (f"/hit/forged{number}" for number in range(50))
            answers = await asyncio.gather(*(ask(self.app, "POST", p, beacon(1, event())) for p in forged))
            self.assertEqual({a.status for a in answers}, {404})

        with patch("clabo.collect.ingest.directory.tag_site", side_effect=tag_site) as read:
            self.run_with(many)
        self.assertLessEqual(read.call_count, 2)
        self.assertEqual(InboxBatch.objects.count(), 0)


@contextmanager
def away() -> Iterator[None]:
    """The database is, for new hits and for the spool alike."""
    with (
        patch("clabo.collect.ingest.inbox.Writer.write", side_effect=psycopg.OperationalError("away")),
        patch("clabo.collect.ingest.inbox._store", side_effect=InterfaceError("away")),
    ):
        yield


class WithoutDatabase(CollectorCase):
    def test_hits_are_spooled_and_written_later_once(self) -> None:
        self.hit(beacon(1, event("/before")))
        body = beacon(2, event("/while-away"))
        with away():
            self.assertEqual(self.hit(body).status, 204)
            self.assertEqual(self.app.inbox.replay(), 0)
        self.assertEqual(len(self.app.inbox.spool.files()), 1)
        self.assertEqual(self.app.inbox.replay(), 1)
        self.assertEqual(self.app.inbox.spool.files(), [])
        # A crash after the write and before the removal replays the file: the event is still one.
        store(unpack(bytes(InboxBatch.objects.order_by("-pk")[0].payload)))
        runner.drain()
        self.assertEqual(
            sorted(Event.objects.values_list("page__path", flat=True)), ["/before", "/while-away"]
        )

    def test_when_the_disk_refuses_too_the_tag_is_told_to_keep_it(self) -> None:
        self.hit(beacon(1, event("/before")))
        self.spool.parent.mkdir(parents=True, exist_ok=True)
        self.spool.write_text("a file where the folder should be")
        with away(), patch("clabo.collect.ingest.asgi._not_kept"):
            answer = self.hit(beacon(2, event("/lost")))
        self.assertEqual((answer.status, answer.headers["retry-after"]), (503, "30"))

    def test_a_damaged_spool_file_is_set_aside_and_the_rest_goes_on(self) -> None:
        spool = self.app.inbox.spool
        with away():
            self.hit(beacon(1, event("/a")))
        (self.spool / "00000000000000000000-damaged").write_bytes(b"\xc1")
        with patch("clabo.collect.ingest.inbox.log.error"):
            self.assertEqual(self.app.inbox.replay(), 1)
        self.assertEqual(spool.files(), [])
        self.assertEqual(len(list(self.spool.glob(".*damaged"))), 1)
