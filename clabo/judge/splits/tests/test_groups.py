"""For whom a test holds, against a plain loop over everybody; tests that are crossed among them."""

from __future__ import annotations

import random
from collections import Counter, defaultdict
from datetime import timedelta

from clabo.collect.events.models import Device
from clabo.core.evidence.experiments.adjusted import FEWEST_IN_STRATUM
from clabo.core.evidence.experiments.sequential import START_UP
from clabo.core.splits.assignment import assign
from clabo.judge.splits import life, services
from clabo.judge.splits.analysis.groups import groups
from clabo.judge.splits.analysis.results import result
from clabo.judge.splits.models import SplitTest
from clabo.judge.splits.tests.test_content import BUTTON, HEADLINE, ContentCase
from clabo.judge.splits.tests.test_split_tests import STARTED
from clabo.setup.conversions.lens import read_lens
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, receive, walk


class Groups(ContentCase):
    def crossed(self) -> tuple[SplitTest, SplitTest]:
        one, two = (
            life.start(
                services.save_test(
                    self.site, self.drafted(name=name, changes=[[], [change]], beside="crossed")
                ),
                STARTED,
            )
            for name, change in (("Words", HEADLINE), ("Button", BUTTON))
        )
        return one, two

    def test_everybody_is_counted_where_they_belong(self) -> None:
        one, two = self.crossed()
        chance = random.Random(7)
        hits = []
        wanted: defaultdict[tuple[str, str], defaultdict[str, list[int]]] = defaultdict(
            lambda: defaultdict(lambda: [0, 0])
        )
        for visitor in range(2000, 2400):
            letters = {t.key: "AB"[assign(f"{visitor:032x}", t.key, [50, 50]) or 0] for t in (one, two)}
            if chance.random() < 0.2:
                del letters[two.key]
            device = chance.choice(["phone", "desktop"])
            returning = chance.random() < 0.4
            if returning:
                earlier = STARTED - timedelta(days=2)
                hits.append(hit(self.site, earlier, beacon(visitor, event("/a"), device=device)))
            at = STARTED + timedelta(hours=chance.randrange(1, 9 * 24))
            body = beacon(visitor, event("/a", kind="note", variants=letters), event("/a"), device=device)
            hits.append(hit(self.site, at, body))
            # Words work only without the button.
            works = letters[one.key] == "B" and letters.get(two.key) != "B"
            converts = chance.random() < (0.8 if works else 0.15)
            if converts:
                hits += walk(self.site, visitor, at + timedelta(minutes=4), "/thank-you")
            kinds = {
                "device": device,
                "visits": "returning" if returning else "new",
                "week": "first" if at < STARTED + timedelta(days=7) else "later",
                "days": "weekend" if at.isoweekday() > 5 else "weekdays",
                f"test {two.pk}": letters.get(two.key, ""),
            }
            for way, name in kinds.items():
                of = wanted[way, name][letters[one.key]]
                of[0] += converts
                of[1] += 1
        receive(hits)
        found = groups(read_lens(self.site), one)["B"]
        self.assertEqual({d.label for d in Device} >= set(found["device"]), True)
        for (way, name), by_letter in wanted.items():
            # With fewer who did it, or did not, a group says nothing by itself.
            if not name or min(min(k, n - k) for k, n in by_letter.values()) < START_UP:
                continue
            effect = found[way][name]
            for counts, letter in ((effect.control, "A"), (effect.challenger, "B")):
                self.assertEqual([counts.conversions, counts.trials], by_letter[letter], (way, name, letter))
        both = found[f"test {two.pk}"]
        self.assertEqual(sorted(both), ["A", "B"])
        self.assertTrue(both["A"].differs and both["B"].differs)
        told = [g for g in Member(self.site).ask("GET", f"/tests/{one.pk}/groups") if g["way"] == "test"]
        self.assertEqual(
            [(g["other"], g["other_name"], g["group"]) for g in told],
            [(two.pk, "Button", "A"), (two.pk, "Button", "B")],
        )

    def test_adjusted_by_what_was_known_before(self) -> None:
        test = self.started()
        chance = random.Random(11)
        hits = []
        seen: list[tuple[str, tuple[str, bool, bool], bool]] = []
        for visitor in range(3000, 3800):
            letter = "AB"[assign(f"{visitor:032x}", test.key, [50, 50]) or 0]
            device, returning = chance.choice(["phone", "desktop"]), chance.random() < 0.5
            bought = returning and chance.random() < 0.6
            if returning:
                earlier = STARTED - timedelta(days=3)
                path = "/thank-you" if bought else "/a"
                hits.append(hit(self.site, earlier, beacon(visitor, event(path), device=device)))
            at = STARTED + timedelta(hours=chance.randrange(1, 100))
            body = beacon(
                visitor, event("/a", kind="note", variants={test.key: letter}), event("/a"), device=device
            )
            hits.append(hit(self.site, at, body))
            converts = chance.random() < (0.7 if bought else 0.2 if returning else 0.1) + 0.1 * (
                letter == "B"
            )
            if converts:
                hits += walk(self.site, visitor, at + timedelta(minutes=4), "/thank-you")
            seen.append((letter, (device, returning, bought), converts))
        receive(hits)
        [against] = result(read_lens(self.site), test).against
        sizes = Counter((letter, known) for letter, known, _ in seen)
        did = Counter((letter, known) for letter, known, converts in seen if converts)
        strata = {known for _, known in sizes}
        # Small ones stand together.
        small = {k for k in strata if min(sizes["A", k], sizes["B", k]) < FEWEST_IN_STRATUM}
        merged = [[k] for k in strata - small] + ([sorted(small)] if small else [])
        self.assertGreater(len(merged), 3)
        difference = plain = variance = 0.0
        for several in merged:
            n = [sum(sizes[letter, k] for k in several) for letter in "AB"]
            c = [sum(did[letter, k] for k in several) for letter in "AB"]
            if min(n) < FEWEST_IN_STRATUM:
                self.skipTest("the random strata are too small together")
            weight = sum(n) / len(seen)
            difference += weight * (c[1] / n[1] - c[0] / n[0])
            variance += weight**2 * sum(p / q * (1 - p / q) / (q - 1) for p, q in zip(c, n, strict=True))
        for letter, sign in (("A", -1), ("B", 1)):
            n_all = sum(n for (of, _), n in sizes.items() if of == letter)
            plain += sign * sum(n for (of, _), n in did.items() if of == letter) / n_all
        self.assertAlmostEqual(against.adjusted.estimate, difference, 9)
        self.assertAlmostEqual(against.range.estimate, plain, 9)
        self.assertTrue(0.05 < against.saved < 0.6, against.saved)
        self.assertLess(against.adjusted.high - against.adjusted.low, against.range.high - against.range.low)
        said = Member(self.site).ask("GET", f"/tests/{test.pk}")["against"][0]
        self.assertAlmostEqual(said["adjusted"]["estimate"], difference, 9)
        self.assertEqual(said["saved"], against.saved)
        # Under another lens, of phones alone, the same of these.
        [phones] = result(read_lens(self.site, device="phone"), test).against
        self.assertNotEqual(phones.adjusted.estimate, against.adjusted.estimate)

    def test_tests_that_share_no_page_or_no_time_are_not_crossed(self) -> None:
        receive(walk(self.site, 3, STARTED - timedelta(days=1), "/elsewhere"))
        early = life.start(services.save_test(self.site, self.drafted()), STARTED - timedelta(days=9))
        life.end(early, STARTED - timedelta(days=3))
        self.started(addresses=["/elsewhere"])
        one = self.started(changes=[[], [BUTTON]])
        self.assertFalse([way for way in groups(read_lens(self.site), one)["B"] if way.startswith("test")])
