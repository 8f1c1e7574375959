"""Whom the network knows of itself, counted by a plain loop."""

from __future__ import annotations

from itertools import combinations
from math import hypot
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from practice_network.simulation.population import (
    DEVICES,
    INTERESTS,
    SIZE,
    TOWNS,
    Population,
    Seek,
    population,
)

seeks = st.builds(
    Seek,
    st.sampled_from(["", *TOWNS]),
    st.floats(1, 120),
    st.lists(st.sampled_from(list(INTERESTS)), unique=True, max_size=4).map(tuple),
    st.booleans(),
    st.integers(18, 40),
    st.integers(41, 90),
    st.lists(st.sampled_from(DEVICES), unique=True, max_size=2).map(tuple),
)


class Counting(TestCase):
    few: Population

    @classmethod
    def setUpClass(cls) -> None:
        everybody = population()
        names = ("seeds", "east", "north", "interests", "age", "device")
        cls.few = Population(**{name: getattr(everybody, name)[:400] for name in names})

    def plain(self, seek: Seek) -> list[set[str]]:
        """The asked-for interests of each person who is as asked otherwise."""
        found = []
        for i in range(400):
            p = self.few
            if not seek.youngest <= p.age[i] <= seek.oldest:
                continue
            if seek.devices and DEVICES[p.device[i]] not in seek.devices:
                continue
            if seek.town:
                east, north, _ = TOWNS[seek.town]
                if hypot(p.east[i] - east, p.north[i] - north) > seek.km:
                    continue
            has = {name for place, name in enumerate(INTERESTS) if int(p.interests[i]) >> place & 1}
            found.append(has & set(seek.interests))
        return found

    @settings(max_examples=120, deadline=None)
    @given(seeks)
    def test_as_a_plain_loop_counts(self, seek: Seek) -> None:
        around, wanted = self.plain(seek), set(seek.interests)
        met = [has for has in around if not wanted or (has == wanted if seek.every else has)]
        found = self.few.count(seek)
        self.assertEqual(found.people, len(met))
        self.assertEqual(len(self.few.matching(seek)), len(met))
        self.assertEqual(found.each, {i: sum(i in has for has in around) for i in wanted})
        self.assertEqual(
            found.both,
            [(a, b, sum({a, b} <= has for has in around)) for a, b in combinations(seek.interests, 2)],
        )

    def test_narrower_with_all_and_wider_with_any(self) -> None:
        both = ("gardening", "farm animals")
        one, every, either = (
            population().count(s).people
            for s in (Seek(interests=both[:1]), Seek(interests=both, every=True), Seek(interests=both))
        )
        self.assertTrue(0 < every < one < either < SIZE)

    def test_who_converts_often_has_some_interests_rather(self) -> None:
        keen = population().seeds % np.uint64(6) == 5
        farm = population().interests >> list(INTERESTS).index("farm animals") & 1
        self.assertGreater(farm[keen].mean(), 1.5 * farm[population().seeds % np.uint64(6) == 0].mean())
