"""Figures of several reports against an independent reading of random hits as they were sent: plain loops and SciPy."""

from __future__ import annotations

import math
import random
from collections import defaultdict
from datetime import UTC, date, datetime, timedelta
from typing import Any
from unittest.mock import patch
from zoneinfo import ZoneInfo

from django.test import TestCase
from scipy import stats
from statsmodels.stats.proportion import proportion_confint

from clabo.judge.columns.services import make_column
from clabo.judge.reports.tests.recomputing import Recomputed, Row, Visit
from clabo.judge.reports.tests.test_recompute import NOW, ZONE, envelope, history
from clabo.judge.saved.mailing import composed
from clabo.judge.saved.services import save_view
from clabo.judge.splits import life, services
from clabo.judge.splits.models import Exposure
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk

OWN = (
    ("bounces", "entries"),
    ("exits", "views"),
    ("converted", "entries"),
    ("begun_views", "views"),
    ("revenue", "entries"),
    ("conversions", "converted"),
    ("new_visitors", "visitors"),
)
Pair = tuple[list[int], list[int]]


def number_of(row: Row, measure: str) -> float:
    """A measure of a recomputed row."""
    if measure == "converted":
        return len(row.led)
    found = getattr(row, measure)
    return len(found) if isinstance(found, set) else float(found)


def mantel_haenszel(strata: list[Pair]) -> tuple[float, float]:
    """The risk difference of (cases, trials) of the second minus the first, with Sato's standard error; by its formula."""
    above = below = p_sum = q_sum = 0.0
    for (b, n0), (a, n1) in strata:
        n = n1 + n0
        above += (a * n0 - b * n1) / n
        below += n1 * n0 / n
        p_sum += (n1 * n1 * b - n0 * n0 * a + n1 * n0 * (n0 - n1) / 2) / n**2
        q_sum += (a * (n0 - b) + b * (n1 - a)) / (2 * n)
    gap = above / below
    return gap, math.sqrt((gap * p_sum + q_sum) / below**2)


class Histories(TestCase):
    def test_own_columns_fair_fights_yesterday_and_the_mail(self) -> None:
        for seed in range(31, 37):
            with self.subTest(seed=seed):
                self._compare(random.Random(seed))

    def _compare(self, chance: random.Random) -> None:
        site = make_site(time_zone=ZONE)
        rule = make_rule(site, "/", value_property="value", rule={"event": {"name": "order"}})
        ConversionRule.objects.update(counted_version=1)
        hits = history(chance) + history(chance)
        order = list({(h.person, h.time): h for h in hits}.values())
        hits = list(order)
        chance.shuffle(order)
        for start in range(0, len(order), 30):
            receive([envelope(site, h) for h in order[start : start + 30]])
        plain = Recomputed(hits, ZoneInfo(ZONE), site.attribution_window_days, "EUR")
        plain.rules = [("mark", "every")]
        member = Member(site)
        today = NOW.astimezone(ZoneInfo(ZONE)).date()
        first = today - timedelta(days=13)
        words = f"period={first}..{today}&conversion={rule.pk}"
        rows = plain.report(first, today, "any", "any", "mark", "every", "last_paid")
        self._own(site, member, words, rows)
        self._fair(member, words, plain, first, today)
        self._worst(member, words, rows, rule)
        self._yesterday(member, plain, rule)
        self._mail(site, rule, first, today, rows)

    def _own(self, site: Site, member: Member, words: str, rows: dict[str | None, Row]) -> None:
        made = {str(make_column(site, f"{a}/{b}", a, b, "", None, None).pk): (a, b) for a, b in OWN}
        for row in member.ask("GET", f"/pages?{words}&visitors=true")["rows"]:
            if row["kind"] != "page":
                continue
            mine = rows[row["path"]]
            for key, (a, b) in made.items():
                over, under = number_of(mine, a), number_of(mine, b)
                if not under:
                    self.assertNotIn(key, row["own"])
                    continue
                shown = row["own"][key]
                self.assertAlmostEqual(shown["estimate"], over / under, 6, (a, b))
                if (a, b) in (
                    ("bounces", "entries"),
                    ("exits", "views"),
                    ("new_visitors", "visitors"),
                ) and over <= under:
                    low, high = proportion_confint(int(over), int(under), method="wilson")
                    self.assertAlmostEqual(shown["low"], low, 6)
                    self.assertAlmostEqual(shown["high"], high, 6)
                if a in ("revenue", "begun_views"):
                    self.assertIsNone(shown["low"])

    def _fair(self, member: Member, words: str, plain: Recomputed, first: date, today: date) -> None:
        """Two pages beside each other, and with the same mix of sources and devices."""
        led: defaultdict[int, bool] = defaultdict(bool)
        for c in plain.conversions("mark", "every"):
            if c.visit is None or c.visit.counted:
                for visit, _ in plain.credits(c, "last_paid"):
                    led[id(visit)] = True
        entered: defaultdict[str, list[Visit]] = defaultdict(list)
        for visit in plain.visits:
            if visit.counted and visit.views and first <= plain.day(visit.start) <= today:
                entered[visit.views[0].path].append(visit)
        pages = {
            r["path"]: r["page_id"] for r in member.ask("GET", f"/pages?{words}")["rows"] if r["page_id"]
        }
        (a, of_a), (b, of_b) = sorted(entered.items(), key=lambda e: (-len(e[1]), e[0]))[:2]
        sizes: defaultdict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0])
        for side, visits in enumerate((of_a, of_b)):
            for visit in visits:
                sizes[visit.origin][side] += 1
        strata: defaultdict[Any, Pair] = defaultdict(lambda: ([0, 0], [0, 0]))
        for side, visits in enumerate((of_a, of_b)):
            for visit in visits:
                channel, source = visit.origin
                key = (channel, source if min(sizes[visit.origin]) >= 20 else None, visit.device)
                strata[key][side][0] += led[id(visit)]
                strata[key][side][1] += 1
        both = [pair for pair in strata.values() if pair[0][1] and pair[1][1]]
        found = member.ask("GET", f"/pages/compare?{words}&a={pages[a]}&b={pages[b]}")
        rates = [sum(led[id(v)] for v in visits) / len(visits) for visits in (of_a, of_b)]
        self.assertAlmostEqual(found["difference"]["estimate"], rates[1] - rates[0])
        fair = found["fair"]
        self.assertEqual(fair["strata"], len(both))
        self.assertEqual(len(fair["left_out"]), len(strata) - len(both))
        if both and any(pair[0][0] + pair[1][0] for pair in both):
            gap, error = mantel_haenszel(both)
            self.assertAlmostEqual(fair["difference"]["estimate"], gap)
            reach = float(stats.norm.ppf(0.975)) * error
            self.assertAlmostEqual(fair["difference"]["low"], max(-1.0, gap - reach))
            self.assertAlmostEqual(fair["difference"]["high"], min(1.0, gap + reach))
            mixed = sum(x[1] + y[1] for x, y in both)
            for side, name in enumerate(("a_rate", "b_rate")):
                rate = sum((x[1] + y[1]) / mixed * (x, y)[side][0] / (x, y)[side][1] for x, y in both)
                self.assertAlmostEqual(fair[name], rate)

    def _worst(self, member: Member, words: str, rows: dict[str | None, Row], rule: ConversionRule) -> None:
        """Every page once, with its own counts; what is lost against all pages of its goal together, most first."""
        shown = member.ask("GET", f"/pages/worst?{words}")["rows"]
        entered = {path: row for path, row in rows.items() if path and row.entries}
        self.assertEqual(sorted(r["path"] for r in shown), sorted(entered))
        for r in shown:
            row = entered[r["path"]]
            self.assertEqual(
                [r[n] for n in ("entries", "views", "bounces", "exits")],
                [row.entries, row.views, row.bounces, row.exits],
            )
        judged = [r for r in shown if r["lost"] is not None]
        for r in judged:
            row = entered[r["path"]]
            self.assertEqual((r["goal"], r["converted"]), (rule.name, min(len(row.led), row.entries)))
            # The page's own rate lies within what is said of it.
            low, high = proportion_confint(r["converted"], row.entries, method="wilson")
            self.assertAlmostEqual(r["conversion_rate"]["low"], low, 6)
            self.assertAlmostEqual(r["conversion_rate"]["high"], high, 6)
            if r["certain"]:
                self.assertLess(high, r["typical"])
        keys = [(r["thin"] and not r["certain"], -r["lost"]["estimate"]) for r in judged]
        self.assertEqual(keys, sorted(keys))

    def _yesterday(self, member: Member, plain: Recomputed, rule: ConversionRule) -> None:
        told = member.ask("GET", "/today")["yesterday"]
        day = date.fromisoformat(told["day"])
        visits = sum(v.counted and bool(v.views) and plain.day(v.start) == day for v in plain.visits)
        converted = sum(
            (c.visit is None or c.visit.counted) and plain.day(c.hit.time) == day
            for c in plain.conversions("mark", "every")
        )
        self.assertEqual([c["count"] for c in told["counts"]], [visits, converted])

    def _mail(
        self, site: Site, rule: ConversionRule, first: date, today: date, rows: dict[str | None, Row]
    ) -> None:
        """The table in a mail, read as whoever gets it reads it."""
        said = {"period": f"{first}..{today}", "conversion": rule.pk}
        view = save_view(site, "Mine", "pages", said, None)
        _, body, _ = composed(view)
        lines = {line.split()[0]: line.split()[1:] for line in body.splitlines() if line.startswith("/")}
        entered = {path: row for path, row in rows.items() if path and (row.entries or row.views)}
        self.assertEqual(set(lines), set(entered))
        for path, row in entered.items():
            cells = [lines[path][0], lines[path][1]]
            self.assertEqual([int(c) for c in cells], [row.entries, len(row.led)], path)
            if row.entries and len(row.led) <= row.entries:
                low, high = proportion_confint(len(row.led), row.entries, method="wilson")
                self.assertEqual(lines[path][2:5], [f"{low * 100:.2f}", "-", f"{high * 100:.2f}"])


class Exposures(TestCase):
    def test_content_exposures_whatever_order_hits_arrive_in(self) -> None:
        """Each is the first claim, in a visit that is reported, that the lot confirms; own visits and forgers are none."""
        for seed in range(4):
            chance = random.Random(seed)
            keys = random.Random(seed)
            with (
                self.subTest(seed=seed),
                patch(
                    "clabo.judge.splits.models.secrets.token_hex",
                    lambda n, keys=keys: keys.randbytes(n).hex(),
                ),
            ):
                self._one(chance)

    def _one(self, chance: random.Random) -> None:
        site = make_site(time_zone="UTC")
        rule = make_rule(site, "/thank-you")
        began = datetime.now(UTC).replace(microsecond=0) - timedelta(days=4)
        receive(walk(site, 1, began - timedelta(days=1), "/a"))
        content = services.SplitContent(
            name="Words",
            rule=rule,
            addresses=["/a"],
            shares=[50, 50],
            traffic=80,
            baseline=0.1,
            smallest_lift=0.5,
            what="content",
            changes=[[], [{"words": {"selector": "h1", "text": "Other"}}]],
        )
        test = life.start(services.save_test(site, content), began)
        variants = list(test.variants.all())
        sent = []
        for _ in range(150):
            visitor, claim = chance.randint(10, 30), chance.choice(["A", "B", ""])
            at = began + timedelta(minutes=chance.randint(-600, 3000), seconds=chance.randint(0, 59))
            own = chance.random() < 0.15
            said = event("/a", kind=chance.choice(["view", "note"]))
            if claim:
                said["variants"] = {test.key: claim}
            sent.append((visitor, at, said, own, claim))
        arriving = list(sent)
        chance.shuffle(arriving)
        for start in range(0, len(arriving), 40):
            receive(
                [
                    hit(site, at, beacon(v, said, own=own))
                    for v, at, said, own, _ in arriving[start : start + 40]
                ]
            )
        expected: dict[int, tuple[str, datetime]] = {}
        for visitor, at, _, own, claim in sorted(sent, key=lambda s: (s[1], s[2]["id"])):
            confirmed = claim and test.assigned(f"{visitor:032x}", variants) == claim
            if confirmed and not own and at >= began and visitor not in expected:
                expected[visitor] = claim, at
        stored = {
            int(e.visitor.key.hex, 16): (e.letter, e.first_at)
            for e in Exposure.objects.filter(test=test).select_related("visitor")
        }
        self.assertEqual(stored, expected)
        self.assertEqual(
            [(a["letter"], a["visitors"]) for a in Member(site).ask("GET", f"/tests/{test.pk}")["arms"]],
            [(k, sum(letter == k for letter, _ in expected.values())) for k in "AB"],
        )
