"""Everybody by the index is everybody one by one, whatever happened and whatever is asked."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Statement, Visitor
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories, running_test
from clabo.collect.presence.merging import merge
from clabo.collect.presence.models import Trail
from clabo.collect.presence.trails import pack
from clabo.core import audiences
from clabo.core.audiences import InList, What
from clabo.core.audiences.person import Person
from clabo.core.trust.identities import digest
from clabo.setup.conversions.recount import recount_all
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, make_rule, make_site, receive, walk
from clabo.use.audiences.evaluation.people import Population, day_by_day
from clabo.use.audiences.evaluation.persons import histories as pasts
from clabo.use.audiences.evaluation.stays import FURTHEST, stays
from clabo.use.audiences.lists import make_list, put_on
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others

WHATS = st.sampled_from(
    [
        {"page": {"match": "equals", "value": "/a"}},
        {"any": [{"page": {"match": "equals", "value": p}} for p in ("/", "/thank-you")]},
        {"event": {"name": "x"}},
        {"event": {"name": "x", "where": [{"property": "value", "comparison": "at_least", "value": 10}]}},
        {"parameter": {"name": "utm_source", "value": "s1"}},
        {"seen": {"pages": 2}},
        {"sale": {}},
        {"conversion": 0},
        {"came": {"source": "s1"}},
        {"came": {"channel": "paid"}},
        {"device": "phone"},
        {"visit": "new"},
        {"visit": "returning"},
        {"variant": {"test": 0, "letter": "A"}},
        {"variant": {"test": 0, "letter": "B"}},
    ]
)
AGES = st.sampled_from([(0, 1), (0, 2), (0, 21), (1, 2), (1, 730)])
PARTS = st.builds(
    lambda what, ages, n: {"what": what, "from": ages[0], "to": ages[1], "times": n},
    WHATS,
    AGES,
    st.sampled_from([1, 1, 2]),
)
SEQUENCES = st.builds(
    lambda steps, within: (
        {"sequence": [{**s, "times": 1} for s in steps]} | ({"within": within} if within else {})
    ),
    st.lists(PARTS, min_size=1, max_size=3),
    st.sampled_from([0, 600, 86_400]),
)
NODES = st.one_of(
    PARTS,
    st.just({"what": {"list": 0}}),
    SEQUENCES,
    st.builds(lambda k, n: {k: n}, st.sampled_from(["all", "any"]), st.lists(PARTS, min_size=1, max_size=2)),
)
DEFINITIONS = st.builds(
    lambda include, exclude: {"include": include} | ({"exclude": exclude} if exclude else {}),
    NODES,
    st.one_of(st.none(), NODES),
)


def with_ids(data: Any, ids: dict[str, int]) -> Any:
    """The ids of the conversion, the test and the list in the place of 0."""
    if isinstance(data, dict):
        return {k: ids[k] if v == 0 and k in ids else with_ids(v, ids) for k, v in data.items()}
    return [with_ids(d, ids) for d in data] if isinstance(data, list) else data


def site_with_all() -> tuple[Site, dict[str, int]]:
    """A site with a conversion, a running split test and a list, and their ids."""
    site = make_site()
    rule = make_rule(site, "/thank-you", counting="visit")
    make_rule(site, "/", name="mark", rule={"event": {"name": "x"}})
    test = running_test(site)
    brought = make_list(site, "Customers", "email", None).row
    put_on(brought, [digest("email", "ada"), digest("email", "nobody")])
    recount_all()
    return site, {"conversion": rule.pk, "test": test.pk, "list": brought.pk}


def belonging(site: Site, ids: dict[str, int]) -> dict[int, dict[What, bool]]:
    """By visitor, whether any of the person's browsers has stated what is on the list, and is not contradicted."""
    on_it = bytes.fromhex(digest("email", "ada"))
    stating = [
        s
        for s in Statement.objects.filter(identity__site=site).select_related("identity")
        if bytes(s.identity.hash) == on_it
    ]
    any_proven = any(s.proven for s in stating)
    said = {s.visitor_id for s in stating if s.proven or not any_proven}
    found = {}
    for visitor in Visitor.objects.filter(site=site):
        theirs = {visitor.pk, *visitor.joined.values_list("pk", flat=True)}
        found[visitor.pk] = {InList(ids["list"]): visitor.joined_to_id is None and bool(said & theirs)}
    return found


class EverybodyAndEachOne(TestCase):
    @settings(max_examples=25, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(
        histories,
        st.lists(DEFINITIONS, min_size=4, max_size=8),
        st.randoms(use_true_random=False),
        st.sampled_from([5, 25]),
    )
    def test_they_agree(self, history: list[Act], datas: list[Any], chance: Any, stretch: int) -> None:
        site, ids = site_with_all()
        envelopes = envelopes_of(site, [replace(act, second=act.second * stretch) for act in history])
        chance.shuffle(envelopes)
        half = len(envelopes) // 2
        receive(envelopes[:half])
        merge(site.pk)
        for day in list(Trail.objects.values_list("day", flat=True)):
            pack(site.pk, day)
        receive(envelopes[half:])
        if chance.random() < 0.5:
            for day in list(Trail.objects.filter(data=None).values_list("day", flat=True)):
                pack(site.pk, day)
        now = START + timedelta(seconds=chance.choice([100_000, 180_000, 400_000]))
        definitions = [audiences.parse(with_ids(d, ids)) for d in datas]
        population = Population(site, Others(site), reach=FURTHEST, now=now)
        population.read(definitions[::2])
        for definition in definitions:
            past = list(day_by_day(population, definition, None, 4))
            for ago in range(4):
                expected = self.one_by_one(site, ids, definition, now - timedelta(days=ago))
                self.assertEqual(set(population.asked(definition, None, ago)), expected, (ago, definition))
                self.assertEqual(set(past[ago]), expected, (ago, definition))
            self.whole_stays(site, population, definition)
            self.why(site, ids, population, definition)

    def why(
        self, site: Site, ids: dict[str, int], population: Population, definition: audiences.Definition
    ) -> None:
        """What somebody is told of each line is what an audience of that line alone would say of them."""
        visitors = dict(Visitor.objects.filter(site=site).values_list("pk", "number"))
        belongs, today = belonging(site, ids), population.today
        alone: dict[Any, set[int]] = {}
        for pk, history in pasts(site, list(visitors)).items():
            person = Person([h for h in history if h.day <= today], today, belongs[pk])
            for line in person.lines(definition):
                if line.part not in alone:
                    alone[line.part] = set(population.asked(audiences.Definition(line.part)))
                self.assertEqual(line.met, visitors[pk] in alone[line.part], (line.path, line.part))

    def one_by_one(
        self, site: Site, ids: dict[str, int], definition: audiences.Definition, now: Any
    ) -> set[int]:
        """Each visitor's history up to the end of that day, held against the definition."""
        today = now.astimezone(site.zone).date()
        visitors = dict(Visitor.objects.filter(site=site).values_list("pk", "number"))
        belongs = belonging(site, ids)
        found = set()
        for pk, history in pasts(site, list(visitors)).items():
            if Person([h for h in history if h.day <= today], today, belongs[pk]).member(definition):
                found.add(visitors[pk])
        return found

    def whole_stays(self, site: Site, population: Population, definition: audiences.Definition) -> None:
        """Since when and until when, by trying each day."""
        found = stays(population, definition)
        self.assertEqual(set(map(int, found.numbers)), set(population.asked(definition)))
        numbers = found.numbers.tolist()
        for number, (since, until) in zip(numbers, found.dates(numbers), strict=True):
            ago = (population.today - since).days
            for days in (0, ago):
                self.assertIn(number, population.asked(definition, None, days))
            if ago < FURTHEST - 1:
                self.assertNotIn(number, population.asked(definition, None, ago + 1))
            if until is not None:
                ahead = (until - population.today).days
                self.assertIn(number, population.asked(definition, None, 1 - ahead))
                self.assertNotIn(number, population.asked(definition, None, -ahead))

    @settings(max_examples=15, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.lists(DEFINITIONS, min_size=3, max_size=5), st.integers(0, 14))
    def test_what_starts_empty_counts_only_what_came_since(
        self, history: list[Act], datas: list[Any], place: int
    ) -> None:
        site, ids = site_with_all()
        receive(envelopes_of(site, history))
        now = START + timedelta(days=1)
        since = START + timedelta(seconds=history[place % len(history)].second)
        population = Population(site, Others(site), now=now)
        for data in datas:
            definition = audiences.parse(with_ids(data, ids))
            visitors = dict(Visitor.objects.filter(site=site).values_list("pk", "number"))
            belongs = belonging(site, ids)
            expected = set()
            for pk, past in pasts(site, list(visitors)).items():
                late = [
                    h for h in past if getattr(h.about, "received", h.time) >= since or self.late(h, since)
                ]
                if Person(late, population.today, belongs[pk]).member(definition):
                    expected.add(visitors[pk])
            self.assertEqual(set(population.asked(definition, since)), expected, definition)

    def late(self, h: Any, since: Any) -> bool:
        """Of a conversion, whether its event came since then."""
        from clabo.collect.events.models import Event

        return h.conversion is not None and Event.objects.get(id=h.about.event_id).received >= since

    def test_another_audience_is_asked_as_it_stands(self) -> None:
        site = make_site()
        receive(
            envelopes_of(
                site,
                [Act(n, n, "/a", "view", "phone", "Mozilla/5.0 Firefox/120.0", 0, "", 0, "") for n in (1, 2)],
            )
        )
        part = {"what": {"page": {"match": "equals", "value": "/a"}}}
        other = Audience.objects.create(site=site, name="A", definition={"include": part})
        rests = audiences.parse({"include": {"what": {"audience": other.pk}}})
        population = Population(site, Others(site), now=START + timedelta(hours=1))
        self.assertEqual(set(population.asked(rests)), {1, 2})
        Audience.objects.update(deleted_at=START)
        self.assertEqual(set(Population(site, Others(site), now=START).asked(rests)), set())


class DaysApart(TestCase):
    def test_days_that_are_not_packed_with_others_between_them(self) -> None:
        """Rows are in the order of time however many runs of days they were read in."""
        site = make_site()
        now = START + timedelta(days=2)
        receive(walk(site, 1, START, "/kit") + walk(site, 1, now, "/kit"))
        kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 2}
        definition = audiences.parse(
            {
                "include": {"sequence": [kit], "within": 86_400},
                "exclude": {"what": {"visit": "any"}, "from": 1, "to": 730, "times": 2},
            }
        )
        population = Population(site, Others(site), now=now + timedelta(hours=1))
        population.read([definition])
        self.assertEqual(set(population.asked(definition)), {1})
