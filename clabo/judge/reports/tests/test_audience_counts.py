"""Pages seen by the people of an audience are what the pages of a site would be that only they had visited."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.test import TestCase
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect.events.models import Visitor
from clabo.collect.pipeline.tests.test_runner import END, Act, envelopes_of, histories, running_test
from clabo.judge.reports.pages.table import compare_pages, page_table
from clabo.judge.splits.analysis.results import result
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import Lens, People, read_lens
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import START, make_rule, make_site, receive, walk
from clabo.use.audiences.evaluation.narrowing import narrowed
from clabo.use.audiences.models import Audience
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

PERIOD = f"{START.date()}..{START.date()}"


def told(history: list[Act], theirs: set[int]) -> Site:
    site = make_site()
    make_rule(site, "/thank-you", counting="visit", value=7)
    # Ids of events are their places in the history, which have to stay.
    envelopes = envelopes_of(site, history)
    receive([e for e, act in zip(envelopes, history, strict=True) if act.visitor in theirs])
    return site


def lens_of(site: Site, **words: Any) -> Lens:
    rule = ConversionRule.objects.get(site=site)
    return read_lens(site, PERIOD, conversion=rule.pk, **words)


def table(lens: Lens) -> dict[str, tuple[Any, ...]]:
    found = page_table(lens, with_before=True, with_visitors=True)
    return {
        row.page.path if row.page else row.kind: (
            *(row.entries, row.views, row.begun_views, row.bounces, row.exits, row.visitors),
            *(row.new_visitors, row.converted, row.conversions, row.revenue, str(row.conversion_rate)),
        )
        for row in [*found.rows, *found.apart]
    }


class Narrowed(HypothesisTestCase):
    @settings(max_examples=20, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(
        histories,
        st.sets(st.integers(1, 3)),
        st.sampled_from(["any", "source:s1", "channel:email"]),
        st.sampled_from(["any", "phone"]),
        st.sampled_from(["last_paid", "linear", "first"]),
    )
    def test_it_is_as_if_only_they_had_come(
        self, history: list[Act], theirs: set[int], origin: str, device: str, model: str
    ) -> None:
        # An order of one person takes its number from another's; a report belongs to whoever made its step.
        plain = [replace(act, order="", said="") for act in history if act.kind != "sale"]
        everybody, they = told(plain, {1, 2, 3}), told(plain, theirs)
        keys = [f"{n:032x}" for n in theirs]
        ids = tuple(Visitor.objects.filter(site=everybody, key__in=keys).values_list("pk", flat=True))
        words = {"origin": origin, "device": device, "model": model}
        lens = replace(lens_of(everybody, **words), people=People(1, "They", ids))
        self.assertEqual(table(lens), table(lens_of(they, **words)))


class Asked(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        make_rule(self.site, "/thank-you", counting="visit", value=7)
        receive(
            [
                hit
                for n in range(1, 7)
                for hit in walk(self.site, n, START, "/a" if n % 2 else "/b", "/thank-you" if n < 4 else "/c")
            ]
        )
        part = {"what": {"page": {"match": "equals", "value": "/c"}}}
        self.audience = Audience.objects.create(site=self.site, name="Lost", definition={"include": part})

    def test_the_report_says_whose_visits_it_shows(self) -> None:
        member = Member(self.site)
        report = member.ask("GET", f"/pages?period={PERIOD}&audience={self.audience.pk}")
        self.assertEqual(report["lens"]["audience"], {"id": self.audience.pk, "name": "Lost"})
        entries = {row["path"]: row["entries"] for row in report["rows"]}
        self.assertEqual((entries["/a"], entries["/b"]), (1, 2))
        # Who is chosen for not having ordered says nothing of how a page sells.
        self.assertEqual((report["findings"], report["thin"]), ([], 0))
        self.assertNotIn("/thank-you", entries)
        everybody = member.ask("GET", f"/pages?period={PERIOD}")
        self.assertEqual({r["path"]: r["entries"] for r in everybody["rows"]}["/a"], 3)
        member.ask("GET", "/pages?audience=999", status=404)

    def test_two_pages_are_compared_among_them(self) -> None:
        lens = narrowed(lens_of(self.site), self.audience.pk)
        pages = {row.page.path: row.page.pk for row in page_table(lens).rows if row.page}
        found = compare_pages(lens, pages["/a"], pages["/b"])
        self.assertEqual((found.a.entries, found.b.entries, found.a.converted), (1, 2, 0))
        with self.assertRaises(Problem):
            compare_pages(narrowed(lens_of(make_other(self.site)), None), pages["/a"], pages["/b"])

    def test_their_part_of_the_spend_is_that_of_their_visits(self) -> None:
        ad = "/a?utm_source=meadow&utm_medium=cpc"
        receive(
            [
                hit
                for n in (11, 12, 13, 14)
                for hit in walk(self.site, n, START, ad, *(["/c"] if n > 13 else []))
            ]
        )
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="0", stored_as="0", state="done"
        )
        SpendRow.objects.create(
            site=self.site,
            batch=batch,
            day=START.date(),
            source="meadow",
            impressions=900,
            clicks=9,
            cost=Decimal(60),
            fingerprint="0",
        )
        rejoin(self.site.pk, {START.date()})

        def spent(lens: Lens) -> dict[str, tuple[Decimal, int]]:
            rows = [r for r in page_table(lens).rows if r.page and r.spend]
            return {r.page.path: (r.spend, r.paid.clicks) for r in rows if r.page}

        lens = lens_of(self.site)
        self.assertEqual(spent(lens), {"/a": (60, 9)})
        theirs = narrowed(lens, self.audience.pk)
        self.assertEqual(spent(theirs), {"/a": (15, 0)})
        others = Visitor.objects.filter(site=self.site).exclude(
            pk__in=theirs.people.ids if theirs.people else []
        )
        rest = replace(lens, people=People(0, "", tuple(others.values_list("pk", flat=True))))
        self.assertEqual(spent(rest), {"/a": (45, 0)})


class Tested(HypothesisTestCase):
    @settings(max_examples=10, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.sets(st.integers(1, 3)))
    def test_a_split_test_counts_only_them(self, history: list[Act], theirs: set[int]) -> None:
        plain = [replace(act, order="", said="") for act in history if act.kind != "sale"]
        found = []
        for who in ({1, 2, 3}, theirs):
            site = make_site()
            make_rule(
                site,
                "/",
                name="mark",
                counting="visitor",
                rule={"event": {"name": "x"}},
                value_property="value",
            )
            test = running_test(site)
            envelopes = envelopes_of(site, plain)
            receive([e for e, act in zip(envelopes, plain, strict=True) if act.visitor in who])
            keys = [f"{n:032x}" for n in theirs]
            ids = tuple(Visitor.objects.filter(site=site, key__in=keys).values_list("pk", flat=True))
            lens = replace(read_lens(site), people=People(1, "They", ids))
            found.append([(a.counts, a.revenue, a.value) for a in result(lens, test, END).arms])
        self.assertEqual(found[0], found[1])


def make_other(site: Site) -> Site:
    other = make_site()
    make_rule(other, "/thank-you")
    return other
