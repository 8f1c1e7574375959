"""Where money goes and what it brought, by page and source, against plain sums; and what came of a decision."""

from __future__ import annotations

import json
import random
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.core.money.allocation import Spent, best_move, elasticity
from clabo.judge.decisions.models import Decision
from clabo.judge.reports.today.next_euro import best_place, places_under
from clabo.judge.reports.today.outcomes import outcomes
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.recount import recount_all
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

ADS = [("/a", "meadow", 0.08), ("/a", "lantern", 0.9), ("/b", "meadow", 0.3), ("/b", "lantern", 0.1)]


class Moves(TestCase):
    def setUp(self) -> None:
        self.site = make_site(margin=Decimal("0.6"))
        self.rule = make_rule(self.site, "/order", value=Decimal(40))
        self.now = datetime.now(UTC)
        chance = random.Random(3)
        self.visits: Counter[tuple[str, str]] = Counter()
        self.orders: Counter[tuple[str, str]] = Counter()
        self.by_day: Counter[tuple[str, str, date]] = Counter()
        hits = []
        for visitor in range(1, 321):
            path, source, rate = ADS[visitor % 4]
            begun = self.now - timedelta(days=2 + visitor % 20, minutes=visitor)
            hits.append(
                hit(self.site, begun, beacon(visitor, event(f"{path}?utm_source={source}&utm_medium=cpc")))
            )
            self.visits[path, source] += 1
            if chance.random() < rate:
                hits.append(hit(self.site, begun + timedelta(minutes=2), beacon(visitor, event("/order"))))
                self.orders[path, source] += 1
                self.by_day[path, source, begun.astimezone(self.site.zone).date()] += 1
        receive(hits)
        recount_all()
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="", stored_as="", state="done"
        )
        self.days = {(self.now - timedelta(days=n)).astimezone(self.site.zone).date() for n in range(2, 23)}
        for place, (path, source, _) in enumerate(ADS):
            page = Page.objects.get(path=path)
            for day in self.days:
                SpendRow.objects.create(
                    **{"site": self.site, "batch": batch, "day": day, "source": source, "page": page},
                    **{"landing": str(page), "impressions": 0, "clicks": 5, "cost": 10},
                    fingerprint=f"{place} {day}",
                )
        rejoin(self.site.pk, self.days)
        self.spent = {(path, source): 10 * len(self.days) for path, source, _ in ADS}

    def test_each_place_is_the_sum_of_its_visits(self) -> None:
        found = places_under(read_lens(self.site))
        paths = {p.pk: p.path for p in Page.objects.all()}
        told = {(paths[p], s): (x.spend, x.converted, x.conversions, x.value) for (p, s), x in found.items()}
        self.assertEqual(
            told,
            {k: (self.spent[k], n, n, n * 40) for k in self.spent for n in [self.orders[k]]},
        )

    def test_the_move_is_the_cores(self) -> None:
        best = best_place(read_lens(self.site))
        assert best and best.take.page and best.give.page
        keys = list(self.spent)
        days = [read_lens(self.site).last - timedelta(days=n) for n in range(83, -1, -1)]
        places = [
            Spent(
                self.spent[k],
                self.orders[k],
                40.0,
                0.0,
                [(self.by_day[*k, d], 10.0 * (d in self.days)) for d in days],
            )
            for k in keys
        ]
        expected = best_move(places, 0.6)
        assert expected
        self.assertAlmostEqual(best.move.elasticity.estimate, elasticity(places).estimate, 9)
        self.assertEqual((best.take.page.path, best.take.source), keys[expected.take])
        self.assertEqual((best.give.page.path, best.give.source), keys[expected.give])
        self.assertAlmostEqual(best.move.gain.estimate / expected.gain.estimate, 1, 9)
        self.assertEqual(keys[expected.take], ("/a", "lantern"))

    def test_answered_and_what_came_of_it(self) -> None:
        here = f"/api/sites/{self.site.pk}/"
        self.client.force_login(make_user(self.site, Role.EDITOR, "e@shop.example"))

        def send(method: str, path: str, **body: object) -> int:
            call = getattr(self.client, method)
            return int(call(here + path, json.dumps(body), content_type="application/json").status_code)

        today = self.client.get(here + "today").json()
        key = today["move"]["key"]
        gain, best = today["move"]["gain"]["estimate"], best_place(read_lens(self.site))
        assert best
        self.assertAlmostEqual(gain, best.move.gain.estimate / 28, 6)
        self.assertEqual(today["move"]["elasticity"]["estimate"], best.move.elasticity.estimate)
        self.assertAlmostEqual(float(today["move"]["stake"]), best.move.gain.estimate, 2)
        self.assertEqual(send("post", "decisions", key="move:nothing", answer="done"), 409)
        self.assertEqual(send("post", "decisions", key=key, answer="never"), 422)
        self.assertEqual(send("post", "decisions", key=key, answer="later", days=0), 422)
        self.assertEqual(send("post", "decisions", key=key, answer="later", days=7), 200)
        self.assertIsNone(self.client.get(here + "today").json()["move"])
        with patch("clabo.judge.reports.today.queries.datetime") as clock:
            clock.now.return_value = self.now + timedelta(days=7)
            self.assertIn(key, [self.client.get(here + "today").json()["move"] and key])
        [put_off] = self.client.get(here + "decisions").json()
        self.assertEqual((put_off["answer"], put_off["came"]), ("later", []))
        self.assertEqual(send("delete", f"decisions/{put_off['id']}"), 204)
        self.assertEqual(self.client.get(here + "today").json()["move"]["key"], key)
        self.assertEqual(send("post", "decisions", key=key, answer="done"), 200)
        decided = self.now - timedelta(days=10)
        Decision.objects.filter(answer="done").update(made_at=decided)
        [(_, came)] = outcomes(self.site, self.now)
        place = came[1]
        path = Page.objects.get(pk=place.page_id).path
        decided_on = decided.astimezone(self.site.zone).date()
        parts = {
            "before": [d for d in self.days if d < decided_on],
            "since": [d for d in self.days if d > decided_on],
        }
        self.assertEqual((path, place.source, place.days), ("/a", "lantern", 9))
        for part, days, spend, profit in (
            ("before", 28, place.spend_before, place.profit_before),
            ("since", 9, place.spend_since, place.profit_since),
        ):
            spent = 10 * len(parts[part])
            orders = sum(self.by_day["/a", "lantern", d] for d in parts[part])
            self.assertEqual(spend, Decimal(spent) / days)
            self.assertEqual(round(profit, 6), round((orders * Decimal(24) - spent) / days, 6))
