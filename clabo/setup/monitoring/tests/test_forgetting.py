"""Somebody who is forgotten has never been."""

from __future__ import annotations

from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event, Identity, Visitor
from clabo.collect.pipeline.tests.test_runner import (
    Act,
    envelopes_of,
    histories,
    picture,
    running_test,
    stated_in,
)
from clabo.collect.presence.merging import merge
from clabo.collect.presence.tests.test_keeping import as_events_say, as_index_says
from clabo.core.trust.identities import digest, joined
from clabo.platform.problems import Problem
from clabo.setup.conversions.recount import recount_all
from clabo.setup.monitoring.forgetting import forget
from clabo.setup.sites.models import Site
from clabo.testing.traffic import BROWSER, make_rule, make_site, receive
from clabo.use.audiences.lists import make_list, put_on


def site_with(envelopes_of_site: Any) -> Site:
    site = make_site()
    make_rule(site, "/thank-you", counting="visit")
    for kind, what in (("mark", {"event": {"name": "x"}}), ("sale", {"sale": {}})):
        make_rule(site, "/", name=kind, counting="visitor", rule=what, value_property="value")
    recount_all()
    running_test(site)
    for envelope in envelopes_of_site(site):
        receive([envelope])
    return site


class Forgetting(TestCase):
    @settings(max_examples=18, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.booleans())
    def test_everything_is_as_if_they_had_never_been(self, history: list[Act], merged: bool) -> None:
        # A sale belongs to whoever made its step; without the step, to nobody of these.
        plain = [act for act in history if act.kind != "sale"]
        site = site_with(lambda s: envelopes_of(s, plain))
        visitor = Visitor.objects.filter(site=site, key__in=[f"{1:032x}"]).first()
        if visitor is None:
            return
        if merged:
            merge(site.pk)
        # Browsers that state one identity are one person; a crawler states nothing.
        owners = joined(stated_in(plain))
        theirs = {n for n in (1, 2, 3) if owners.get(n, n) == owners.get(1, 1)}
        names = {
            a: {
                act.said.removesuffix("!")
                for act in plain
                if act.visitor == a and act.said and act.agent == BROWSER
            }
            for a in (1, 2, 3)
        }
        said = set().union(*(names[a] for a in theirs))
        counted = {name for visitor, name in stated_in(plain) if visitor in theirs}
        brought = make_list(site, "Customers", "email", None).row
        put_on(brought, [digest("email", name) for name in ("ada", "carol")])
        removed = forget(site, visitor.pk)
        self.assertEqual(removed.events, sum(act.visitor in theirs for act in plain))
        self.assertEqual(removed.identities, len(said))
        self.assertEqual((removed.entries, brought.listed.count()), (1, 1) if "ada" in counted else (0, 2))
        self.assertEqual(
            Identity.objects.filter(site=site).count(),
            len(set().union(*(names[a] for a in {1, 2, 3} - theirs))),
        )
        self.assertFalse(Event.objects.filter(site=site, visitor_id=visitor.pk).exists())
        self.assertFalse(Visitor.objects.filter(pk=visitor.pk).exists())
        self.assertEqual(as_index_says(site), as_events_say(site))
        merge(site.pk)
        self.assertEqual(as_index_says(site), as_events_say(site))
        without = site_with(
            # Ids of events are their places in the history, which have to stay.
            lambda s: [
                e for e, act in zip(envelopes_of(s, plain), plain, strict=True) if act.visitor not in theirs
            ]
        )
        self.assertEqual(picture(site), picture(without))

    def test_nobody_of_another_site(self) -> None:
        here, there = make_site(), make_site()
        receive(
            envelopes_of(there, [Act(1, 1, "/", "view", "phone", "Mozilla/5.0 Firefox/120.0", 0, "", 0, "")])
        )
        with self.assertRaises(Problem):
            forget(here, Visitor.objects.get().pk)
