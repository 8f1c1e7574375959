"""Files in, all or nothing; the same file twice; out again; what joins which page."""

from __future__ import annotations

import io
import threading
import tracemalloc
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from functools import partial
from typing import Any

from django.db import connection
from django.db.models import Sum
from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.core.money.spend_file import ColumnMapping
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.sites.models import Site
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import START, make_site, receive, walk
from clabo.testing.uploads import own_uploads
from clabo.use.spend import services
from clabo.use.spend.joining import joined, rejoin
from clabo.use.spend.models import CostPart, SpendImport, SpendRow

HEAD = "day,source,campaign,ad group,ad,impressions,clicks,cost,landing"
ROW = "2026-10-05,meadow,autumn,garden,smoke,100,10,12.50,/a"


class SpendCase(TestCase):
    def setUp(self) -> None:
        self.folder = own_uploads(self)
        self.site = make_site()

    def upload(self, content: str | bytes, name: str = "f.csv") -> SpendImport:
        data = content.encode() if isinstance(content, str) else content
        return services.upload(self.site, name, io.BytesIO(data), None)

    def reading(self, batch: SpendImport, **changes: Any) -> ColumnMapping:
        return replace(services.propose(batch)[1].reading, **changes)

    def take(self, content: str | bytes, **changes: Any) -> SpendImport:
        batch = self.upload(content)
        return services.take_in(batch, self.reading(batch, **changes))


class Files(SpendCase):
    def test_how_such_a_file_was_read_is_remembered(self) -> None:
        odd = "when,what,paid\n{day},{name},3\n"
        first = self.upload(odd.format(day="03/04/2026", name="a"))
        self.assertIn("day", services.propose(first)[1].doubts)
        columns = {"day": 0, "campaign": 1, "cost": 2}
        chosen = ColumnMapping(columns, "mdy", ".", "meadow")  # type: ignore[arg-type]
        services.take_in(first, chosen)
        guess = services.propose(self.upload(odd.format(day="05/06/2026", name="b")))[1]
        # Columns, and what the file itself leaves open; the source is said anew each time.
        self.assertEqual(
            (guess.reading.columns, guess.reading.day_order, guess.reading.source, guess.doubts),
            (columns, "mdy", "", []),
        )
        # What a file says of itself goes before that; another site has learnt nothing.
        clear = services.propose(self.upload(odd.format(day="25.06.2026", name="c")))[1]
        self.assertEqual(clear.reading.day_order, "dmy")
        other = services.upload(
            make_site(), "f.csv", io.BytesIO(odd.format(day="1", name="d").encode()), None
        )
        self.assertEqual(dict(services.propose(other)[1].reading.columns), {})

    def test_every_way_a_file_is_written(self) -> None:
        euro = 'Tag;Kampagne;Kosten\r\n05.10.2026;"Größe; 2";"1.234,50"\r\n'
        for encoded in (
            euro.encode("latin-1"),
            euro.encode("utf-8-sig"),
            euro.encode(),
            euro.encode("utf-16"),
        ):
            batch = self.upload(encoded)
            check = services.check(batch, self.reading(batch, source="m"))
            self.assertEqual((check.good, check.bad, check.cost), (1, [], Decimal("1234.5")))
            self.assertEqual(check.sample[0][1], "Größe; 2")
        tabs = "Report for Shop\nday\tsource\tspend\n2026-10-05\tm\t3\n\nTotal\t\t3\n"
        check = services.check(self.upload(tabs))
        self.assertEqual((check.good, check.sum_lines, check.layout.head_line), (1, 1, 2))
        lines = f'{HEAD}\n2026-10-05,m,"two\nlines, and ""quotes""",,,1,1,1,\n'
        self.take(lines)
        self.assertEqual(SpendRow.objects.get().campaign, 'two\nlines, and "quotes"')

    def test_what_is_no_table_is_refused_and_not_kept(self) -> None:
        for content in (b"", b"\x89PNG\r\n\x1a\n" + bytes(99), b"just a letter to you", b"a,b\n" * 2):
            with self.assertRaises(Problem) as caught:
                batch = self.upload(content)
                if not services.check(batch).importable:
                    raise Problem("no column for the day or the cost", "file")
            self.assertEqual(caught.exception.field, "file", content)

    def test_one_bad_row_and_nothing_is_imported(self) -> None:
        batch = self.upload(f"{HEAD}\n{ROW}\n2026-10-06,meadow,autumn,garden,smoke,1.5,1,zwei,/a\n")
        check = services.check(batch)
        self.assertEqual((check.good, check.bad_count, check.bad[0][0]), (1, 1, 3))
        with self.assertRaises(Problem):
            services.take_in(batch, check.reading)
        self.assertFalse(SpendRow.objects.exists())

    def test_a_formula_stays_text(self) -> None:
        self.take(f"{HEAD}\n2026-10-05,m,=HYPERLINK(1),<b>x</b>,@sum,1,1,1,\n")
        row = SpendRow.objects.get()
        self.assertEqual((row.campaign, row.ad_group, row.ad), ("=HYPERLINK(1)", "<b>x</b>", "@sum"))

    def test_a_quote_that_never_closes_is_said_by_its_line(self) -> None:
        with self.assertRaises(Problem) as caught:
            self.upload(f'{HEAD}\n{ROW}\n2026-10-06,m,"' + "x" * 30_000)
        self.assertIn("Line 3", caught.exception.detail)
        self.assertIn("quote", caught.exception.detail)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_memory_does_not_grow_with_the_file(self) -> None:
        def peak(rows: int) -> int:
            lines = (f"2026-10-05,m,c{number},g,a,100,10,1.25,/a\n" for number in range(rows))
            batch = self.upload(HEAD + "\n" + "".join(lines))
            tracemalloc.start()
            check = services.check(batch)
            most = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            self.assertEqual(check.good, rows)
            return most

        self.assertLess(peak(24_000), peak(6_000) * 1.2)


class Twice(SpendCase):
    def test_the_same_file_and_the_same_rows(self) -> None:
        first = self.take(f"{HEAD}\n{ROW}\n")
        again = self.upload(f"{HEAD}\n{ROW}\n", "copy.csv")
        self.assertEqual(services.check(again).same_file, first)
        with self.assertRaises(Problem) as caught:
            services.take_in(again, self.reading(again))
        self.assertIn("Undo that import first", caught.exception.detail)
        longer = services.check(self.upload(f"{HEAD}\n{ROW}\n{ROW.replace('-05', '-06')}\n"))
        self.assertEqual((longer.good, longer.bad_count), (1, 1))
        self.assertIn("imported before, from f.csv", say(longer.bad[0][1].told))

    def test_out_again_and_in_again(self) -> None:
        batch = self.take(f"{HEAD}\n{ROW}\n")
        services.undo(batch)
        self.assertFalse(SpendRow.objects.exists())
        with self.assertRaises(Problem):
            services.undo(batch)
        self.take(f"{HEAD}\n{ROW}\n")
        self.assertEqual(SpendRow.objects.count(), 1)

    def test_a_finished_import_is_not_taken_in_twice(self) -> None:
        batch = self.upload(f"{HEAD}\n{ROW}\n")
        services.take_in(batch, self.reading(batch))
        with self.assertRaises(Problem) as caught:
            services.take_in(batch, self.reading(batch))
        self.assertEqual(caught.exception.status, 409)


class Joining(SpendCase):
    day = START.date()

    def cost(self) -> dict[tuple[str, int], Decimal]:
        parts = CostPart.objects.filter(site=self.site, day=self.day).exclude(page=None)
        return {(p.page.path, p.device): p.cost for p in parts.select_related("page") if p.page}

    def ad(self, path: str, ad: str = "smoke") -> str:
        return f"{path}?utm_source=Meadow&utm_medium=cpc&utm_campaign=Autumn&utm_term=garden&utm_content={ad}"

    def test_cost_follows_the_clicks(self) -> None:
        receive(
            walk(self.site, 1, START, self.ad("/a"))
            + walk(self.site, 2, START, self.ad("/b"))
            + walk(self.site, 3, START, self.ad("/b"))
            + walk(self.site, 4, START, self.ad("/c", "other"))
        )
        self.take(f"{HEAD}\n{ROW.removesuffix('/a')}\n")
        self.assertEqual(self.cost(), {("/a", 1): Decimal("4.166667"), ("/b", 1): Decimal("8.333333")})

    def test_a_link_that_says_less_than_the_file(self) -> None:
        receive(walk(self.site, 1, START, "/a?utm_source=meadow&utm_medium=cpc&utm_campaign=autumn"))
        self.take(f"{HEAD}\n{ROW.removesuffix('/a')}\n")
        self.assertEqual(self.cost(), {("/a", 1): Decimal("12.5")})

    def test_by_address_where_no_visit_answers_and_unjoined_where_nothing_does(self) -> None:
        receive(walk(self.site, 1, START, "/a"))
        self.take(f"{HEAD}\n{ROW}\n{ROW.replace('/a', '/gone').replace('autumn', 'print')}\n")
        state = joined(self.site, self.day, self.day)
        self.assertEqual((state.total, state.by_address), (Decimal(25), Decimal("12.5")))
        self.assertEqual([(u.campaign, u.cost) for u in state.unjoined], [("print", Decimal("12.5"))])


class NothingIsLost(HypothesisTestCase):
    @settings(max_examples=25, deadline=None)
    @given(
        st.lists(
            st.tuples(st.integers(0, 2), st.sampled_from(["", "x", "y"]), st.sampled_from("ab")), max_size=8
        ),
        st.lists(
            st.tuples(st.integers(0, 2), st.sampled_from(["", "x", "y", "z"]), st.integers(0, 10**6)),
            max_size=8,
            unique_by=lambda r: r[:2],
        ),
    )
    def test_the_parts_are_the_whole_and_the_order_of_events_does_not_matter(
        self, visits: list[tuple[int, str, str]], rows: list[tuple[int, str, int]]
    ) -> None:
        """Spend that comes before, between or after the visits joins alike."""
        site = make_site()
        days = {START.date() + timedelta(days=d) for d in range(3)}
        batch = SpendImport.objects.create(site=site, file_name="f", digest="0", stored_as="0", state="done")
        for day, campaign, cents in rows:
            SpendRow.objects.create(
                site=site,
                batch=batch,
                day=START.date() + timedelta(days=day),
                source="meadow",
                campaign=campaign,
                impressions=cents % 97,
                clicks=cents % 13,
                cost=Decimal(cents) / 100,
                fingerprint="0",
            )
        rejoin(site.pk, days)
        for number, (day, campaign, path) in enumerate(visits):
            url = f"/{path}?utm_source=meadow&utm_medium=cpc&utm_campaign={campaign}"
            receive(walk(site, number + 1, START + timedelta(days=day), url))
        after_each = self.parts(site)
        rejoin(site.pk, days)
        self.assertEqual(after_each, self.parts(site))
        state = joined(site, min(days), max(days))
        self.assertEqual(state.total, Decimal(sum(c for *_, c in rows)) / 100)
        whole = CostPart.objects.filter(site=site).aggregate(Sum("clicks"), Sum("impressions"))
        told = (sum(c % 13 for *_, c in rows), sum(c % 97 for *_, c in rows))
        self.assertEqual((whole["clicks__sum"] or 0, whole["impressions__sum"] or 0), told)

    def parts(self, site: Site) -> list[tuple[Any, ...]]:
        found = CostPart.objects.filter(site=site)
        return sorted(
            found.values_list("day", "how", "source", "campaign", "device", "page__path", "cost", "clicks"),
            key=str,
        )


class AtOnce(ClearedCase):
    """Two files taken in, one taken out and hits stored, all at the same time: none waits for ever."""

    def test_no_order_of_locks_ends_in_a_circle(self) -> None:
        own_uploads(self)  # type: ignore[arg-type]
        site = make_site()
        receive(walk(site, 1, START, "/a?utm_source=meadow&utm_medium=cpc"))

        def uploaded(campaign: str) -> SpendImport:
            content = f"{HEAD}\n{ROW.replace('autumn', campaign)}\n".encode()
            return services.upload(site, "f.csv", io.BytesIO(content), None)

        def take(batch: SpendImport) -> None:
            services.take_in(batch, services.propose(batch)[1].reading)

        first = uploaded("one")
        take(first)
        works = [
            partial(services.undo, first),
            partial(take, uploaded("two")),
            partial(take, uploaded("three")),
            partial(receive, walk(site, 2, START, "/a?utm_source=meadow&utm_medium=cpc")),
        ]
        failed: list[BaseException] = []

        def run(work: Any) -> None:
            try:
                work()
            except BaseException as error:
                failed.append(error)
            finally:
                connection.close()

        threads = [threading.Thread(target=run, args=(work,)) for work in works]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(30)
        self.assertEqual(failed, [])
        rows = SpendRow.objects.values_list("campaign", flat=True)
        self.assertEqual(sorted(rows), ["three", "two"])
        self.assertEqual(joined(site, START.date(), START.date()).total, Decimal(25))
