"""The landing page table against a recount of the raw events by the definitions."""

from __future__ import annotations

from collections import defaultdict
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect.events.models import Page
from clabo.core.evidence import Counts, compare_rates, holm
from clabo.judge.reports.pages.table import beside, compare_pages, page_table
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

AD = "?utm_source=meadow&utm_medium=cpc&utm_campaign=autumn"
LANDINGS = ["/a", "/b", f"/a{AD}", f"/b{AD}", "/thank-you"]
NOON = datetime.now(UTC).replace(hour=10, minute=0, second=0, microsecond=0) - timedelta(days=3)

visits = st.lists(
    st.tuples(
        st.integers(1, 3),  # visitor
        st.sampled_from(LANDINGS),
        st.lists(st.sampled_from(["/a", "/b", "/thank-you"]), max_size=3),
        st.sampled_from(["desktop", "phone"]),
    ),
    min_size=1,
    max_size=7,
)


def browse(site: Site, made: list[Any]) -> None:
    """Visits two hours apart, in the order given; a visitor keeps the device of the first visit."""
    devices: dict[int, str] = {}
    for place, (visitor, landing, more, device) in enumerate(made):
        device = devices.setdefault(visitor, device)
        for step, path in enumerate([landing, *more]):
            at = NOON + timedelta(hours=2 * place, minutes=step)
            receive([hit(site, at, beacon(visitor, event(path), device=device))])


class AgainstTheDefinitions(HypothesisTestCase):
    @settings(max_examples=30, deadline=None)
    @given(
        visits, st.sampled_from(["any", "channel:paid", "source:meadow"]), st.sampled_from(["any", "phone"])
    )
    def test_every_count(self, made: list[Any], origin: str, device: str) -> None:
        site = make_site(time_zone="UTC")
        make_rule(site, "/thank-you", counting="every", value=Decimal(10))
        browse(site, made)
        lens = read_lens(site, "7d", origin, device)
        found = {
            r.page.path: (
                r.entries,
                r.views,
                r.begun_views,
                r.bounces,
                r.exits,
                r.converted,
                r.conversions,
                r.revenue,
            )
            for r in page_table(lens).rows
        }
        self.assertEqual(found, self.recount(made, origin, device))

    def recount(self, made: list[Any], origin: str, device: str) -> dict[str, tuple[Any, ...]]:
        """From the visits as they were made, with the words of definitions.md."""
        devices: dict[int, str] = {}
        counts: defaultdict[str, list[Any]] = defaultdict(lambda: [0] * 5 + [set(), Decimal(0), Decimal(0)])
        touches: defaultdict[int, list[tuple[int, str, bool]]] = defaultdict(list)
        for place, (visitor, landing, more, own_device) in enumerate(made):
            own_device = devices.setdefault(visitor, own_device)
            paid = "utm_medium" in landing
            pages = [landing.partition("?")[0], *more]
            touches[visitor].append((place, pages[0], paid))
            inside = (origin == "any" or paid) and device in ("any", own_device)
            conversions = pages.count("/thank-you")
            if inside:
                entry = counts[pages[0]]
                entry[0] += 1
                entry[2] += len(pages)
                entry[3] += len(pages) == 1 and not conversions
                counts[pages[-1]][4] += 1
                for page in pages:
                    counts[page][1] += 1
            for _ in range(conversions):
                # Last paid touch, else the last that is not direct, else the last. All but ads are direct.
                credited = next((t for t in reversed(touches[visitor]) if t[2]), touches[visitor][-1])
                if (origin == "any" or credited[2]) and device in ("any", own_device):
                    row = counts[credited[1]]
                    row[5].add(credited[0])
                    row[6] += 1
                    row[7] += 10
        return {p: (*row[:5], len(row[5]), row[6], row[7]) for p, row in counts.items()}


class Table(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        make_rule(self.site, "/thank-you", value=Decimal(59))
        hits = []
        for visitor in range(40):
            more = ["/thank-you"] if visitor % 4 == 0 else []
            hits += walk(self.site, visitor, NOON, f"/a{AD}", *more)
            hits += walk(self.site, 100 + visitor, NOON, "/b", *(["/thank-you"] if visitor == 0 else []))
        receive(hits)
        self.ids = {p.path: p.pk for p in Page.objects.all()}

    def spend(self, cost: int, days: int = 1) -> None:
        """So much a day, for an ad that leads to /a."""
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="0", stored_as="0", state="done"
        )
        spent = [NOON.date() - timedelta(days=n) for n in range(days)]
        for n, day in enumerate(spent):
            SpendRow.objects.create(
                site=self.site,
                batch=batch,
                day=day,
                source="meadow",
                campaign="autumn",
                page_id=self.ids["/a"],
                impressions=0,
                clicks=0,
                cost=cost + n % 3,
                fingerprint="0",
            )
        rejoin(self.site.pk, spent)

    def test_money(self) -> None:
        self.spend(295)
        a, b = page_table(read_lens(self.site, "7d")).rows[:2]
        self.assertEqual((a.page.path, a.revenue, a.spend, a.roas), ("/a", 590, 295, 2))
        self.assertEqual(a.cost_per_conversion, Decimal("29.5"))
        self.assertEqual((b.page.path, b.spend, b.roas, b.cost_per_conversion), ("/b", 0, None, None))
        self.assertEqual(page_table(read_lens(self.site, "7d", device="phone")).rows, [])

    def test_spend_without_a_sale_is_a_loss_only_once_it_is_enough(self) -> None:
        make_rule(self.site, "/never", name="rare", value=Decimal(59))
        rare = ConversionRule.objects.get(name="rare").pk
        for a_day, kinds in ((5, []), (40, ["loses_money"])):
            SpendRow.objects.all().delete()
            self.spend(a_day, days=14)
            table = page_table(read_lens(self.site, "28d", conversion=rare))
            self.assertEqual([f.kind for f in table.findings.found], kinds)
            interval = table.rows[0].roas_interval
            assert interval
            self.assertAlmostEqual(interval.high, 3.689 * 59 / float(table.rows[0].spend), places=3)

    def test_what_has_no_value_returns_neither_money_nor_nothing(self) -> None:
        make_rule(self.site, "/a", name="seen")
        seen = ConversionRule.objects.get(name="seen").pk
        self.spend(500, days=14)
        table = page_table(read_lens(self.site, "28d", conversion=seen))
        row = table.rows[0]
        self.assertEqual((row.page.path, row.roas, row.roas_interval, row.valued), ("/a", None, None, False))
        self.assertEqual([f.kind for f in table.findings.found], [])
        said = Member(self.site).ask("GET", f"/pages?conversion={seen}")["rows"][0]
        self.assertEqual((said["revenue"], said["roas"], said["lifetime_revenue"]), (None, None, None))

    def test_the_period_before_has_as_many_days(self) -> None:
        day = (NOON + timedelta(days=1)).date()
        lens = read_lens(self.site, f"{day}..{day}")
        self.assertEqual(page_table(lens).rows, [])
        before = page_table(lens, with_before=True).before
        self.assertEqual(before[self.ids["/a"]].entries, 40)

    def test_the_thank_you_page_is_meant_to_be_left(self) -> None:
        rows = {r.page.path: r for r in page_table(read_lens(self.site, "7d")).rows}
        self.assertTrue(rows["/thank-you"].intended_exit)
        self.assertEqual(rows["/thank-you"].lost, 0)

    def test_two_pages_compared(self) -> None:
        lens = read_lens(self.site, "7d")
        found = compare_pages(lens, self.ids["/b"], self.ids["/a"])
        expected = compare_rates(Counts(1, 40), Counts(10, 40))
        self.assertEqual(
            (found.rates.difference, found.rates.p_value), (expected.difference, expected.p_value)
        )
        self.assertGreater(found.rates.difference.low, 0)
        self.assertEqual(sorted(k[0] for k in found.fair.left_out), ["direct", "paid"])  # type: ignore[index]
        for a, b, field in ((1, 1, "b"), (self.ids["/a"], 10**9, "b")):
            with self.assertRaises(Problem) as caught:
                compare_pages(lens, a, b)
            self.assertEqual(caught.exception.field, field)

    def test_several_pages_beside_each_other(self) -> None:
        receive(
            [
                h
                for n in range(30)
                for h in walk(self.site, 300 + n, NOON, "/c", *(["/thank-you"] if n < 3 else []))
            ]
        )
        ids = [self.ids["/b"], self.ids["/a"], Page.objects.get(path="/c").pk]
        found = beside(read_lens(self.site, "7d"), ids)
        counts = [Counts(1, 40), Counts(10, 40), Counts(3, 30)]
        plain = [compare_rates(counts[0], c, 1 - 0.05 / 2) for c in counts[1:]]
        self.assertEqual([c.rates.difference for c in found.against], [p.difference for p in plain])
        self.assertEqual(found.p_values, holm([p.p_value for p in plain]))
        self.assertGreaterEqual(min(found.p_values), min(p.p_value for p in plain) * 2 - 1e-12)
        for wrong in ([ids[0]], [ids[0], ids[0]], [*ids, 1, 2]):
            with self.assertRaises(Problem) as caught:
                beside(read_lens(self.site, "7d"), wrong)
            self.assertEqual(caught.exception.field, "page")

    def test_a_lens_that_cannot_be_read_names_its_word(self) -> None:
        for words, field in (
            ({"period": "soon"}, "period"),
            ({"period": "2026-10-31..2026-10-01"}, "period"),
            ({"period": "99999999999d"}, "period"),
            ({"origin": "channel:tv"}, "origin"),
            ({"device": "fridge"}, "device"),
            ({"conversion": 10**9}, "conversion"),
            ({"model": "best"}, "model"),
        ):
            with self.assertRaises(Problem, msg=words) as caught:
                read_lens(self.site, **words)  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, field)
