"""What was seen that rules can be made of, counted again by hand, and as quick with names that somebody made up."""

from __future__ import annotations

import random
from collections import Counter
from datetime import UTC, datetime, timedelta

from django.test import TestCase

from clabo.collect.events.models import Event
from clabo.setup.conversions.matching.seen import seen_on
from clabo.testing.traffic import beacon, event, hit, make_site, receive


class Seen(TestCase):
    def test_the_most_frequent_with_all_their_pages(self) -> None:
        chance, site = random.Random(8), make_site()
        now = datetime.now(UTC) - timedelta(hours=3)
        for visitor in range(1, 40):
            events = [
                event(
                    f"/p{chance.randrange(4)}",
                    kind="mark",
                    name=f"n{min(chance.randrange(9), chance.randrange(9))}",
                )
                for _ in range(6)
            ]
            events += [
                event(f"/p{chance.randrange(4)}", kind="form", element={"id": f"f{chance.randrange(3)}"})
            ]
            receive([hit(site, now + timedelta(minutes=visitor), beacon(visitor, *events))])
        rows = Event.objects.values_list("name", "element__traits__id", "page__path", "time")
        times = Counter((name, element) for name, element, _, _ in rows)
        for most in (300, 4):
            found = seen_on(site, most=most)
            self.assertEqual(len(found), min(most, len(times)))
            least = sorted(times.values(), reverse=True)[len(found) - 1]
            for one in found:
                key = (one.name, one.element.traits["id"] if one.element else None)
                self.assertEqual(one.times, times[key])
                self.assertGreaterEqual(one.times, least)
                pages = Counter(path for name, element, path, _ in rows if (name, element) == key)
                self.assertEqual({page.path: n for page, n in one.pages}, dict(pages))
                self.assertEqual(one.last_at, max(at for n, e, _, at in rows if (n, e) == key))
            self.assertEqual([s.times for s in found], sorted((s.times for s in found), reverse=True))
        self.assertEqual({s.kind for s in seen_on(site, "form")}, {"form"})
