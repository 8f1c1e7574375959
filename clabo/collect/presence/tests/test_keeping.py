"""The index says what the stored events say, whatever came when and was changed afterwards."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace
from datetime import date
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event, Kind, TrafficClass, Visit, Visitor
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories
from clabo.collect.presence import keeping, mirror
from clabo.collect.presence.merging import merge
from clabo.collect.presence.mirror import snapshot
from clabo.collect.presence.models import Atom, DayPresence, Piece
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.recount import recount_all
from clabo.setup.monitoring import excluding
from clabo.setup.sites.models import Site
from clabo.testing.traffic import make_rule, make_site, receive

Index = dict[tuple[Any, ...], set[int]]


def as_events_say(site: Site) -> Index:
    """The index by a plain loop over what is stored."""
    found: defaultdict[tuple[Any, ...], set[int]] = defaultdict(set)

    def day(time: Any) -> date:
        return time.astimezone(site.zone).date()

    for e in Event.objects.filter(site=site).select_related("visit", "visitor"):
        if e.kind != Kind.NOTE and (e.visit is None or e.visit.traffic_class == TrafficClass.COUNTED):
            found["event", e.kind, e.page_id, e.element_id, e.name, day(e.time)].add(e.visitor.number)
    for v in Visit.objects.filter(site=site).select_related("visitor"):
        if v.traffic_class == TrafficClass.COUNTED:
            first = v.number == 1
            found["visit", v.entry_page_id, v.origin_id, v.device, first, v.day].add(v.visitor.number)
    for c in Conversion.objects.filter(site=site).select_related("visit", "visitor"):
        if c.visit is None or c.visit.traffic_class == TrafficClass.COUNTED:
            found["conversion", c.rule_id, day(c.time)].add(c.visitor.number)
    return dict(found)


def as_index_says(site: Site) -> Index:
    """The same, as it is read."""
    atoms = {a.pk: a for a in Atom.objects.filter(site=site)}
    found: Index = {}
    for day, sets in snapshot(site.pk).days.items():
        for pk, people in sets.items():
            a = atoms[pk]
            name: tuple[Any, ...] = {
                Atom.Sort.EVENT: ("event", a.kind, a.page_id, a.element_id, a.name, day),
                Atom.Sort.VISIT: ("visit", a.page_id, a.origin_id, a.device, a.first, day),
                Atom.Sort.CONVERSION: ("conversion", a.conversion, day),
            }[Atom.Sort(a.sort)]
            if people:
                found[name] = set(people)
    return found


class Kept(TestCase):
    @settings(max_examples=22, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.randoms(use_true_random=False), st.integers(1, 5), st.sampled_from([1, 22]))
    def test_it_equals_the_events(self, history: list[Act], chance: Any, batches: int, stretch: int) -> None:
        """Over some midnights, in any order, merged now and then, with a visitor set aside and a rule changed."""
        site = make_site()
        make_rule(site, "/thank-you", counting="visit")
        sales = make_rule(site, "/", name="sale", counting="visitor", rule={"sale": {}})
        recount_all()
        envelopes = envelopes_of(site, [replace(act, second=act.second * stretch) for act in history])
        chance.shuffle(envelopes)
        for batch in range(batches):
            receive(envelopes[batch::batches])
            if chance.random() < 0.5:
                merge(site.pk)
            self.assertEqual(as_index_says(site), as_events_say(site))
        exclusion = excluding.exclude(site, "visitor", None, visitor_id=Visitor.objects.latest("id").pk)
        while excluding.apply_next(site.pk):
            pass
        self.assertEqual(as_index_says(site), as_events_say(site))
        if chance.random() < 0.5:
            merge(site.pk)
        excluding.undo(site, exclusion.pk)
        while excluding.apply_next(site.pk):
            pass
        ConversionRule.objects.filter(pk=sales.pk).update(rule={"event": {"name": "x"}}, version=2)
        recount_all()
        expected = as_events_say(site)
        self.assertEqual(as_index_says(site), expected)
        merge(site.pk)
        self.assertFalse(Piece.objects.exists())
        self.assertEqual(as_index_says(site), expected)
        # Made anew out of nothing it is the same.
        events_only = {name: people for name, people in expected.items() if name[0] != "conversion"}
        DayPresence.objects.exclude(atom__sort=Atom.Sort.CONVERSION).delete()
        mirror.forget(site.pk)
        keeping.refresh(site.pk, site.zone, list(Visitor.objects.values_list("pk", flat=True)))
        again = {name: people for name, people in as_index_says(site).items() if name[0] != "conversion"}
        self.assertEqual(again, events_only)

    @given(st.integers(1, 30))
    @settings(max_examples=5, deadline=None)
    def test_visitors_are_numbered_without_gaps(self, count: int) -> None:
        site = make_site()
        history = [
            Act(n, n, "/", "view", "phone", "Mozilla/5.0 Firefox/120.0", 0, "", 0, "") for n in range(count)
        ]
        for one in envelopes_of(site, history):
            receive([one])
        numbers = sorted(Visitor.objects.filter(site=site).values_list("number", flat=True))
        self.assertEqual(numbers, list(range(1, count + 1)))
