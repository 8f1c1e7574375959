"""Browsers that are one person's count as if they had been one browser, and taken apart as if never joined."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.test import TestCase
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect.events.models import Event, Identity, Statement, Visit, Visitor
from clabo.collect.pipeline import rejoining
from clabo.collect.pipeline.tests.test_runner import (
    Act,
    envelopes_of,
    histories,
    picture,
    running_test,
    stated_in,
)
from clabo.collect.presence.tests.test_keeping import as_events_say, as_index_says
from clabo.core.trust import identities
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.testing.traffic import BROWSER, START, beacon, event, hit, make_rule, make_site, receive


def told(history: list[Act], change: Callable[[Act], Act]) -> Site:
    """A site to which this history happened, in order."""
    site = make_site()
    make_rule(site, "/thank-you", counting="visit")
    for kind, what in (("mark", {"event": {"name": "x"}}), ("sale", {"sale": {}})):
        make_rule(site, "/", name=kind, counting="visitor", rule=what, value_property="value")
    running_test(site)
    receive(sorted(envelopes_of(site, list(map(change, history))), key=lambda e: e.received_ms))
    return site


def without_exposures(site: Site) -> dict[str, Any]:
    """Which variant a browser shows is by its own id, and not the person's."""
    return {name: seen for name, seen in picture(site).items() if name not in ("exposures", "results")}


class Joined(HypothesisTestCase):
    @settings(max_examples=18, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.randoms(use_true_random=False))
    def test_it_is_as_if_there_had_been_one_browser_and_taken_apart_as_if_never(
        self, history: list[Act], chance: Any
    ) -> None:
        # No browser is anything but a browser: a crawler would be nobody.
        history = [replace(act, agent=BROWSER, claims="") for act in history]
        site = told(history, lambda act: act)
        stated = stated_in(history)
        owners = identities.joined(stated)
        one = told(history, lambda act: replace(act, visitor=owners.get(act.visitor, act.visitor), said=""))
        self.assertEqual(without_exposures(site), without_exposures(one))
        self.assertEqual(as_index_says(site), as_events_say(site))
        pks = list(Identity.objects.filter(site=site).values_list("pk", flat=True))
        chance.shuffle(pks)
        for pk in pks:
            rejoining.switch(site, pk, off=True)
        never = told(history, lambda act: replace(act, said=""))
        self.assertEqual(picture(site), picture(never))
        self.assertEqual(as_index_says(site), as_events_say(site))
        self.assertFalse(Event.objects.filter(site=site, via__isnull=False).exists())
        for pk in pks:
            rejoining.switch(site, pk, off=False)
        self.assertEqual(without_exposures(site), without_exposures(one))


class Crowds(TestCase):
    def setUp(self) -> None:
        self.site = make_site()

    def say(self, number: int, text: str) -> None:
        person = {"email": identities.digest("email", text)}
        receive([hit(self.site, START, beacon(number, event("/a", id=f"{number:032x}", person=person)))])

    def test_an_address_that_everybody_states_joins_nobody(self) -> None:
        for number in range(1, identities.MOST_BROWSERS + 1):
            self.say(number, "shop@example.com")
        self.assertEqual(Visitor.objects.filter(joined_to=None).count(), 1)
        self.assertEqual(Visit.objects.values("visitor").distinct().count(), 1)
        self.say(99, "shop@example.com")
        self.assertFalse(Visitor.objects.exclude(joined_to=None).exists())
        self.assertEqual(Visit.objects.values("visitor").distinct().count(), identities.MOST_BROWSERS + 1)

    def test_nothing_else_of_another_site_can_be_switched(self) -> None:
        self.say(1, "ada@example.com")
        with self.assertRaises(Problem):
            rejoining.switch(make_site(), Identity.objects.get().pk, off=True)
        self.assertEqual(Statement.objects.count(), 1)
