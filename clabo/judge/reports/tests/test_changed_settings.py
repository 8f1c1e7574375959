"""A site whose settings change in the middle says what it would say had they always been so."""

from __future__ import annotations

import math
import random
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from django.test import TestCase

from clabo.collect.events.models import TrafficDay, Visitor
from clabo.collect.ingest.beacon import Envelope
from clabo.collect.pipeline.rereading import reread
from clabo.collect.presence.merging import merge
from clabo.collect.presence.tasks import pack_days
from clabo.judge.paths.services import keep_path
from clabo.judge.reports.tests import test_recompute
from clabo.judge.reports.tests.recomputing import Recomputed, Sent
from clabo.judge.reports.tests.test_recompute import NOW, envelope, history
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.recount import recount_all
from clabo.setup.conversions.services import RuleContent, make_rule
from clabo.setup.monitoring.forgetting import forget
from clabo.setup.sites.models import Site
from clabo.setup.sites.services import change_site, set_hosts
from clabo.testing.asking import Member
from clabo.testing.traffic import HOST, event, make_site, receive, walk
from clabo.testing.traffic import beacon as body_of
from clabo.testing.traffic import hit as hit_of
from clabo.use.audiences.evaluation.preview import sizes
from clabo.use.audiences.models import Audience
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

DONE = {"page": {"match": "equals", "value": f"https://{HOST}/order?step=done&utm_source=x"}}


def changes(chance: random.Random) -> dict[str, Any]:
    """Settings by which a site reads otherwise than make_site's, all or only one of them."""
    every = {
        "time_zone": chance.choice(["Asia/Tokyo", "Pacific/Apia", "America/Los_Angeles"]),
        "attribution_window_days": chance.choice([1, 7, 14]),
        "currency": "USD",
        "meaningful_parameters": ["step"],
    }
    kept = chance.sample(sorted(every), chance.choice([1, 4]))
    return {name: every[name] for name in kept}


def wandering(chance: random.Random) -> list[Sent]:
    """A history in which some pages have parameters behind them."""
    tails = ["", "", "?step=done", "?step=2", "?x=1", "?step=done&x=1"]
    return [replace(h, path=h.path + chance.choice(tails)) for h in history(chance)]


def page_of(path: str, meaningful: bool) -> str:
    """The path as a page, by other means than Clabo's."""
    plain, _, query = path.partition("?")
    said = [p for p in query.split("&") if p.startswith("step=")] if meaningful else []
    return plain + ("?" + said[0] if said else "")


def differences(one: Any, other: Any, where: str = "") -> Iterator[str]:
    """Where two answers differ; numbers with a fraction to nine digits."""
    if isinstance(one, dict) and isinstance(other, dict) and one.keys() == other.keys():
        for key in one:
            yield from differences(one[key], other[key], f"{where}.{key}")
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for place, (a, b) in enumerate(zip(one, other, strict=True)):
            yield from differences(a, b, f"{where}[{place}]")
    elif isinstance(one, float) and isinstance(other, float):
        if not math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-12):
            yield f"{where}: {one} {other}"
    elif one != other:
        yield f"{where}: {one} {other}"


class Changed(TestCase):
    def test_every_cell_is_what_the_hits_say_and_what_a_site_says_that_was_always_so(self) -> None:
        for seed in range(21, 27):
            with self.subTest(seed=seed):
                self._compare(random.Random(seed))

    def _compare(self, chance: random.Random) -> None:
        asked = changes(chance)
        hits = wandering(chance)
        sites = [
            make_site(time_zone="America/New_York"),
            make_site(**{"time_zone": "America/New_York", **asked}),
        ]
        self._set_up(sites)
        order = list(hits)
        chance.shuffle(order)
        cut = len(order) // 2
        changed, always = sites
        receive([envelope(always, h) for h in order])
        receive([envelope(changed, h) for h in order[:cut]])
        pack_days.now()
        if chance.random() < 0.5:
            merge(changed.pk)
        change_site(changed, **asked)
        # Until it is applied, the site is read as it was.
        stands = Site.objects.get(pk=changed.pk)
        self.assertEqual((stands.time_zone, stands.currency), ("America/New_York", "EUR"))
        receive([envelope(changed, h) for h in order[cut : cut + 4]])
        self.assertTrue(reread(changed.pk))
        receive([envelope(changed, h) for h in order[cut + 4 :]])
        pack_days.now()
        said = []
        for site in (always, changed):
            site = Site.objects.get(pk=site.pk)
            self.assertIsNone(site.waiting)
            member = Member(site)
            said.append(self._said(site, member))
        for what in said[0]:
            self.assertEqual(list(differences(said[0][what], said[1][what])), [], (asked, what))
        self._recomputed(site, member, hits, "meaningful_parameters" in asked)

    def _set_up(self, sites: list[Site]) -> None:
        """Conversions, an audience, a path and spend, before anything comes in."""
        for site in sites:
            for name, rule, value in (
                ("order", {"event": {"name": "order"}}, "value"),
                ("done", DONE, ""),
            ):
                make_rule(site, RuleContent(name, "purchase", rule, "every", None, value), None)
            make_audience(site, AudienceContent("Done", {"include": {"what": DONE, "to": 6}}), None)
            keep_path(site, "Way", [{"page": {"match": "equals", "value": "/a?step=2"}}, DONE], 86_400, None)
            today = NOW.date()
            batch = SpendImport.objects.create(site=site, file_name="x", digest="x", stored_as="x")
            for ago in range(9):
                for landing in ("/a", "/a?step=2", "/order?step=done&x=1"):
                    SpendRow.objects.create(
                        site=site,
                        batch=batch,
                        day=today - timedelta(days=ago),
                        source="meadow",
                        landing=HOST + landing,
                        impressions=0,
                        clicks=0,
                        cost=Decimal(len(landing)),
                        fingerprint="",
                    )
            rejoin(site.pk, [today - timedelta(days=ago) for ago in range(9)])
        recount_all()

    def _said(self, site: Site, member: Member) -> dict[str, Any]:
        rules = {r.name: r.pk for r in ConversionRule.objects.filter(site=site)}
        today = NOW.astimezone(site.zone).date()
        words = f"period={today - timedelta(days=13)}..{today}&visitors=true"
        found: dict[str, Any] = {}
        for name, rule in rules.items():
            for model in ("last_paid", "linear"):
                for what in ("/pages", "/pages/series", "/sources", "/sources/hours"):
                    answer = member.ask("GET", f"{what}?{words}&model={model}&conversion={rule}&by=channel")
                    found[f"{what} {name} {model}"] = answer
        found["worst"] = member.ask("GET", f"/pages/worst?{words}")
        path = member.ask("GET", "/paths")[0]["id"]
        found["path"] = member.ask("GET", f"/paths/{path}/report?{words}")
        found["audiences"] = [s.now for s in sizes(site, list(Audience.objects.filter(site=site))).values()]
        found["conversions"] = [
            {k: c[k] for k in ("name", "recent", "per_day")} for c in member.ask("GET", "/conversions")
        ]
        spend = member.ask("GET", "/spend")
        found["spend"] = {k: spend[k] for k in spend if k not in ("imports",)}
        return {name: self._plain(answer) for name, answer in found.items()}

    def _plain(self, answer: Any) -> Any:
        """Without ids, which differ, and without the order of what is equal."""
        if isinstance(answer, list):
            plain = [self._plain(a) for a in answer]
            return sorted(plain, key=repr) if plain and isinstance(plain[0], dict) else plain
        if not isinstance(answer, dict):
            return answer
        left_out = ("id", "lens", "to_come", "rate_to_come", "roas_to_come")
        return {
            k: self._plain(v)
            for k, v in answer.items()
            if k not in left_out and not k.endswith(("_id", "_ids"))
        }

    def _recomputed(self, site: Site, member: Member, hits: list[Sent], meaningful: bool) -> None:
        plain = Recomputed(
            [replace(h, path=page_of(h.path, meaningful)) for h in hits],
            ZoneInfo(site.time_zone),
            site.attribution_window_days,
            site.currency,
        )
        done = "/order?step=done" if meaningful else "/order"
        plain.limits, plain.rules = (None, None), [("mark", "every")]
        # A visit that reached the other conversion's page is no bounce.
        for visit in plain.visits:
            visit.converted = sum(v.path == done for v in visit.views)
        today = NOW.astimezone(site.zone).date()
        first = today - timedelta(days=13)
        rule = ConversionRule.objects.get(site=site, name="order")
        cells = test_recompute.WholeReport()
        for model in ("last_paid", "last", "first", "linear"):
            asked = member.ask(
                "GET",
                f"/pages?period={first}..{today}&model={model}&conversion={rule.pk}&visitors=true",
            )
            expected = plain.report(first, today, "any", "any", "mark", "every", model)
            self.assertEqual(
                {
                    cells.key(r): self._without_money(cells.cells(r))
                    for r in asked["rows"]
                    if r["entries"] or r["views"]
                },
                {
                    path: self._without_money(cells.plain(row, True))
                    for path, row in expected.items()
                    if row.entries or row.views
                },
            )

    def _without_money(self, row: tuple[Any, ...]) -> tuple[Any, ...]:
        """Without bounces, which the second conversion changes, and profit, which spend does."""
        return (*row[:3], *row[4:-1])


class Meaningful(TestCase):
    """Parameters and fragments that tell pages apart do so in rules, audiences, paths, links and spend."""

    def setUp(self) -> None:
        self.site = make_site()
        # When the visits are, which may be before midnight.
        self.today = (datetime.now(UTC) - timedelta(hours=3)).astimezone(self.site.zone).date()

    def _traffic(self) -> None:
        at = datetime.now(UTC) - timedelta(hours=3)
        envelopes: list[Envelope] = []
        for number, path in enumerate(["/shop?step=done"] * 3 + ["/shop?step=1"] * 7 + ["/app#/done"] * 4):
            ad = path.replace("?", "?utm_source=meadow&utm_medium=cpc&")
            envelopes += walk(self.site, 1 + number, at, ad)
        receive(envelopes)

    def _rule(self, name: str, address: str) -> ConversionRule:
        rule = {"page": {"match": "equals", "value": address}}
        return make_rule(self.site, RuleContent(name, "lead", rule, "every", None), None)

    def _set(self) -> None:
        change_site(self.site, meaningful_parameters=["step"], keep_fragment=True)
        self.assertTrue(reread(self.site.pk))
        self.site = Site.objects.get(pk=self.site.pk)

    def _counts(self) -> None:
        recount_all()
        member = Member(self.site)
        counts = {c["name"]: c["recent"] for c in member.ask("GET", "/conversions")}
        self.assertEqual(counts, {"done": 3, "routed": 4})
        shown = {"page": {"match": "equals", "value": "/shop?step=done"}}
        body = {"rule": shown, "counting": "every", "days": 28, "rule_id": None, "proven_only": False}
        self.assertEqual(member.ask("POST", "/conversions/preview", body)["conversions"], 3)
        definition = {"include": {"what": {"page": {"match": "equals", "value": "/app#/done"}}}}
        self.assertEqual(
            member.ask("POST", "/audiences/preview", {"definition": definition, "audience": None})["people"],
            4,
        )
        steps = [{"page": {"match": "begins", "value": "/shop?step=do"}}, {"event": {"name": "x"}}]
        report = member.ask("POST", "/paths/report", {"steps": steps, "period": "28d"})
        self.assertEqual(report["steps"][0]["reached"], 3)

    def test_rules_audiences_and_paths(self) -> None:
        self._set()
        self._traffic()
        self._rule("done", "/shop?utm_source=x&step=done")
        self._rule("routed", f"https://{HOST}/app#/done")
        self._counts()

    def test_what_was_written_before_holds_once_it_means_something(self) -> None:
        done = self._rule("done", "/shop?step=done&utm_source=x")
        self._rule("routed", "/app#/done")
        change_site(self.site, keep_fragment=True)
        reread(self.site.pk)
        self._traffic()
        recount_all()
        # As long as no parameter means anything, every step is the page.
        self.assertEqual(Conversion.objects.filter(rule=done).count(), 10)
        self._set()
        self._counts()

    def test_spend_finds_the_page_with_its_parameter(self) -> None:
        self._set()
        self._traffic()
        batch = SpendImport.objects.create(site=self.site, file_name="x", digest="x", stored_as="x")
        for step, cost in (("done", 10), ("1", 90)):
            SpendRow.objects.create(
                site=self.site,
                batch=batch,
                day=self.today,
                source="meadow",
                landing=f"{HOST}/shop?adclid=7&step={step}",
                impressions=0,
                clicks=0,
                cost=cost,
                fingerprint="",
            )
        rejoin(self.site.pk, [self.today])
        rows = Member(self.site).ask("GET", "/pages?period=2d")["rows"]
        spend = {r["path"]: Decimal(r["spend"]) for r in rows if Decimal(r["spend"])}
        self.assertEqual(spend, {"/shop?step=done": 10, "/shop?step=1": 90})

    def test_a_host_that_comes_to_stand_for_another(self) -> None:
        set_hosts(self.site, [(HOST, ""), ("old.example", "")])
        reread(self.site.pk)
        at = datetime.now(UTC) - timedelta(hours=3)
        body = body_of(1, event("https://old.example/kit"))
        receive([hit_of(Site.objects.get(pk=self.site.pk), at, body), *walk(self.site, 2, at, "/kit")])
        set_hosts(self.site, [(HOST, ""), ("old.example", HOST)])
        reread(self.site.pk)
        rows = Member(self.site).ask("GET", "/pages?period=2d")["rows"]
        self.assertEqual([(r["host"], r["path"], r["entries"]) for r in rows], [(HOST, "/kit", 2)])


class Days(TestCase):
    def test_nothing_is_taken_from_a_day_that_it_was_not_counted_on(self) -> None:
        """Changed zones, late hits and people who are forgotten, in any order."""
        for seed in range(4):
            chance = random.Random(seed)
            site = make_site(time_zone="Pacific/Auckland")
            at = datetime.now(UTC) - timedelta(days=3)
            for turn in range(6):
                visitor = chance.randint(1, 5)
                when = at + timedelta(minutes=chance.randint(0, 3 * 24 * 60 - 30))
                receive(walk(site, visitor, when, "/a", "/b"))
                if turn % 2:
                    zone = chance.choice(["America/Los_Angeles", "Asia/Tokyo", "UTC"])
                    change_site(Site.objects.get(pk=site.pk), time_zone=zone)
                    if chance.random() < 0.7:
                        reread(site.pk)
                if turn == 4:
                    forget(site, Visitor.objects.filter(site=site).order_by("pk")[0].pk)
            reread(site.pk)
            stood = sorted(TrafficDay.objects.filter(site=site).exclude(**_NOTHING).values_list(*_COUNTED))
            Site.objects.filter(pk=site.pk).update(
                waiting={"time_zone": Site.objects.get(pk=site.pk).time_zone}
            )
            reread(site.pk)
            self.assertEqual(
                stood,
                sorted(TrafficDay.objects.filter(site=site).exclude(**_NOTHING).values_list(*_COUNTED)),
                seed,
            )
            self.assertGreaterEqual(min(min(row[3:]) for row in stood), 0)

    def test_it_waits_where_something_was_recorded_and_holds_at_once_where_nothing_was(self) -> None:
        site = make_site()
        member = Member(site)
        answer = member.ask("PATCH", "", {"time_zone": "Europe/Lisbon"})
        self.assertEqual((answer["time_zone"], answer["waiting"]), ("Europe/Lisbon", None))
        member.ask("PATCH", "", {"time_zone": "Europe/Vienna"})
        receive(walk(site, 1, datetime.now(UTC) - timedelta(hours=1), "/a"))
        answer = member.ask("PATCH", "", {"time_zone": "Asia/Tokyo", "margin": "0.5"})
        self.assertEqual(
            (answer["time_zone"], answer["waiting"]["time_zone"]), ("Europe/Vienna", "Asia/Tokyo")
        )
        self.assertEqual(Decimal(answer["margin"]), Decimal("0.5"))
        # Back to what stands: nothing waits any more.
        self.assertIsNone(member.ask("PATCH", "", {"time_zone": "Europe/Vienna"})["waiting"])


_COUNTED = ("day", "page__path", "device", "entries", "views", "begun_views", "bounces", "exits")
_NOTHING = {"entries": 0, "views": 0, "begun_views": 0, "bounces": 0, "exits": 0}
