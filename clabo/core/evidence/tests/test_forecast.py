"""When a test will be decided: held against plain simulated tests that are read day by day."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from clabo.core.evidence import Counts, Moments, dry_run, forecast, information, looks


class Forecasts(TestCase):
    def test_the_days_are_those_of_tests_that_are_played_to_their_end(self) -> None:
        """Many futures played one by one through `looks`, as the reading itself does it."""
        seen = [Counts(200, 4000), Counts(260, 4000)]
        daily, needed, worth = 300, 14_000, 0.01
        told = forecast(seen, [daily, daily], needed, worth, [[0.4]])
        assert told is not None
        chance = np.random.default_rng(9)
        planned = information(needed / 2, needed / 2)
        found = []
        for _ in range(400):
            rates = [chance.beta(c.conversions + 0.5, c.trials - c.conversions + 0.5) for c in seen]
            counts = [[c] for c in seen]
            for _ in range(told.days):
                for arm, rate in zip(counts, rates, strict=True):
                    come = int(chance.poisson(daily))
                    arm.append(arm[-1] + Counts(int(chance.binomial(come, rate)), come))
            a, b = ([Moments.of_counts(c) for c in arm[1:]] for arm in counts)
            first = told.days + 1
            for look in looks(a, b, planned, 0.955):
                i = look.interval
                if i.low > 0 or i.high < worth:
                    first = look.place + 1
                    break
            found.append(first)
        found.sort()
        # The plain tests have no look before today; one at 0.4 spends next to nothing.
        for said, share in ((told.early, 0.1), (told.middle, 0.5)):
            self.assertAlmostEqual(said or told.days + 1, found[int(share * 400)], delta=2)
        self.assertAlmostEqual(told.undecided, sum(d > told.days for d in found) / 400, delta=0.1)

    def test_a_clear_difference_is_decided_at_once_and_none_at_the_end_or_never(self) -> None:
        clear = forecast([Counts(100, 4000), Counts(300, 4000)], [200, 200], 16_000, 0.01, [[]])
        assert clear is not None
        self.assertEqual((clear.early, clear.late, clear.undecided), (1, 1, 0))
        narrow = forecast([Counts(200, 4000), Counts(220, 4000)], [200, 200], 16_000, 0.01, [[]])
        assert narrow is not None and narrow.early is not None
        self.assertGreater(narrow.early, 1)
        self.assertGreater(narrow.undecided, 0.05)

    def test_what_cannot_be_foreseen(self) -> None:
        two = [Counts(10, 100), Counts(10, 100)]
        self.assertIsNone(forecast(two, [0, 0], 1000, 0.01, [[]]))
        self.assertIsNone(forecast(two, [10, 10], 200, 0.01, [[]]))
        self.assertIsNone(forecast(two, [1, 1], 100_000, 0.01, [[]]))
        with self.assertRaises(ValueError):
            forecast(two, [10], 1000, 0.01, [[]])

    def test_three_arms_and_the_same_futures_each_time(self) -> None:
        arms = [Counts(100, 2000), Counts(130, 2000), Counts(90, 2000)]
        first = forecast(arms, [100, 100, 100], 12_000, 0.01, [[0.2], [0.2]], 0.975)
        self.assertEqual(first, forecast(arms, [100, 100, 100], 12_000, 0.01, [[0.2], [0.2]], 0.975))
        assert first is not None and first.middle is not None
        self.assertLessEqual(first.early or 0, first.middle)


class DryRuns(TestCase):
    def test_no_difference_is_called_one_in_five_of_a_hundred_at_most(self) -> None:
        days = [(90 + 60 * (n % 3), 4 + 3 * (n % 3)) for n in range(28)]
        for shares, level in (([50, 50], 0.95), ([34, 33, 33], 0.975)):
            found = dry_run(days, shares, 6000, 0.01, level, runs=2000, seed=3)
            assert found
            # Looks alone spend 4.5 %.
            self.assertLess(found.alarms, 0.045 + 3 * (0.045 * 0.955 / 2000) ** 0.5)
            self.assertGreater(found.alarms, 0.005)
            self.assertTrue(all(a <= b for a, b in zip(found.decided, found.decided[1:], strict=False)))

    def test_everybody_who_came_is_in_one_arm(self) -> None:
        """Where nobody converts, or everybody does, there is nothing to read; and the days are as many as the plan takes."""
        for did in (0, 100):
            found = dry_run([(100, did)], [50, 50], 1000, 0.01, runs=50)
            assert found
            self.assertEqual((found.alarms, found.decided), (0, [0.0] * 10))

    def test_what_cannot_be_played(self) -> None:
        self.assertIsNone(dry_run([], [50, 50], 1000, 0.01))
        self.assertIsNone(dry_run([(1, 0)], [50, 50], 10_000, 0.01))
        for days, shares in (([(10, 11)], [50, 50]), ([(10, 1)], [100])):
            with self.assertRaises(ValueError):
                dry_run(days, shares, 100, 0.01)
