"""Edges that mutants of the core were found to slip through: lengths, kinds, short rows, plans by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

from scipy import stats

from clabo.core import rules
from clabo.core.evidence import Counts, fair_comparison, plan_mean_test
from clabo.core.money.spend_file import BadRow, ColumnMapping, guess_reading, read_row
from clabo.core.pages.addresses import MAX_LENGTH, Address, AddressError, canonical_query, host_of, normalise
from clabo.core.rules import KINDS, Occurrence


class Sato(TestCase):
    def test_the_variance_of_a_difference_over_uneven_strata(self) -> None:
        """Sato, Biometrics 45 (1989) 1323-1324, as printed: by the sums P and Q over strata, in fractions."""
        strata = {"a": (30, 900, 8, 200), "b": (6, 100, 90, 800), "c": (1, 40, 3, 60)}
        p, q, weights, gaps = Fraction(0), Fraction(0), Fraction(0), Fraction(0)
        for x0, n0, x1, n1 in strata.values():
            n, weight = n0 + n1, Fraction(n0 * n1, n0 + n1)
            p += Fraction(n1**2 * x0 - n0**2 * x1, n**2) + Fraction(n0 * n1 * (n0 - n1), 2 * n**2)
            q += Fraction(x1 * (n0 - x0) + x0 * (n1 - x1), 2 * n)
            weights += weight
            gaps += weight * (Fraction(x1, n1) - Fraction(x0, n0))
        gap = gaps / weights
        reach = stats.norm.isf(0.025) * math.sqrt((gap * p + q) / weights**2)
        found = fair_comparison({k: (Counts(a, b), Counts(c, d)) for k, (a, b, c, d) in strata.items()})
        self.assertAlmostEqual(found.difference.estimate, float(gap), places=12)
        self.assertAlmostEqual(found.difference.low, float(gap) - reach, places=12)
        self.assertAlmostEqual(found.difference.high, float(gap) + reach, places=12)

    def test_rates_are_held_to_the_mix_of_both_sides(self) -> None:
        """Direct standardisation: each stratum counts as it does among the entries of both."""
        strata = {"a": (30, 900, 8, 200), "b": (6, 100, 90, 800)}
        found = fair_comparison({k: (Counts(a, b), Counts(c, d)) for k, (a, b, c, d) in strata.items()})
        self.assertAlmostEqual(found.control_rate, (1100 * 30 / 900 + 900 * 6 / 100) / 2000, places=12)
        self.assertAlmostEqual(found.challenger_rate, (1100 * 8 / 200 + 900 * 90 / 800) / 2000, places=12)


class Lengths(TestCase):
    def test_an_address_of_2048_characters_and_no_longer(self) -> None:
        base = "https://shop.example/"
        longest = base + "a" * (2048 - len(base))
        self.assertEqual((MAX_LENGTH, len(longest)), (2048, 2048))
        self.assertEqual(host_of(longest), "shop.example")
        self.assertEqual(normalise(longest).path, "/" + "a" * (2048 - len(base)))
        for read in (host_of, normalise):
            with self.assertRaises(AddressError):
                read(longest + "a")

    def test_a_query_is_cut_at_the_hundredth_parameter_and_at_its_length(self) -> None:
        many = canonical_query("https://x.example/?" + "&".join(f"p{n}=1" for n in range(150)))
        self.assertEqual(many.count("&"), 99)
        long = canonical_query("https://x.example/?a=" + "x" * 2000 + "&b=" + "y" * 60 + "&c=1")
        self.assertEqual(long, "a=" + "x" * 2000)


class OneKindEach(TestCase):
    def test_a_condition_is_met_by_its_own_kind_only(self) -> None:
        for rule, kind in (
            ({"event": {"name": "order"}}, "mark"),
            ({"step": {}}, "step"),
            ({"sale": {}}, "sale"),
            ({"page": {"match": "equals", "value": "/a"}}, "view"),
        ):
            met = [
                k
                for k in KINDS
                if rules.meets(rules.parse(rule), Occurrence(k, Address("shop.example", "/a"), name="order"))
            ]
            self.assertEqual(met, [kind], rule)


class ShortRows(TestCase):
    head = ("day", "cost", "campaign")

    def test_rows_shorter_than_the_head_are_no_error(self) -> None:
        guess = guess_reading(self.head, [["2026-01-02"], ["2026-01-03", "1.50"], []])
        self.assertEqual(guess.reading.columns, {"day": 0, "cost": 1, "campaign": 2})
        self.assertEqual(guess.reading.day_order, "ymd")
        full = read_row(["2026-01-02", "1.50"], replace(guess.reading, source="meadow"))
        self.assertNotIsInstance(full, BadRow)

    def test_a_column_that_is_not_there_is_empty(self) -> None:
        for place in (-1, -100, 3, 10**9):
            reading = ColumnMapping({"day": place, "cost": 1}, "ymd", ".", "meadow")
            self.assertIsInstance(read_row(["2026-01-02", "1.50", "x"], reading), BadRow, place)


class MeanPlans(TestCase):
    def test_by_the_textbook(self) -> None:
        """n = (z + z)² · 2 s² / d² an arm; the power of that size, by the normal distribution, is what was asked for."""
        mean, deviation, lift, power = 2.5, 12.0, 0.2, 0.8
        plan = plan_mean_test(mean, deviation, lift, power)
        z = stats.norm.ppf(0.975) + stats.norm.ppf(power)
        self.assertEqual(plan.per_arm[0], math.ceil(z**2 * 2 * deviation**2 / (mean * lift) ** 2))
        error = math.sqrt(2 * deviation**2 / plan.per_arm[0])
        reached = stats.norm.sf(stats.norm.ppf(0.975) - mean * lift / error)
        self.assertAlmostEqual(reached, power, places=3)
        for wrong in ((0, 1, 0.1), (1, 0, 0.1), (1, 1, 0)):
            with self.assertRaises(ValueError):
                plan_mean_test(*wrong)
