"""Addresses, channels, attribution, splits and money."""

from __future__ import annotations

import json
from collections import Counter
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from unittest import TestCase
from urllib.parse import urlencode

from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from clabo.core.money.attribution import MODELS, Touch, credit, eligible
from clabo.core.money.returns import spread
from clabo.core.pages.addresses import AddressError, PageReading, campaign_of, canonical_query, normalise
from clabo.core.pages.traffic_source import CHANNELS, classify
from clabo.core.splits.assignment import Slot, assign, hash32

ROOT = Path(__file__).parents[4]
segments = st.lists(st.text(alphabet="abcXYZ019-._~!$&'()*+,;=:@ %äß🐝", max_size=8), max_size=5)


class Addresses(TestCase):
    def test_what_is_the_same_page(self) -> None:
        """RFC 3986 §6.2.2, and what definitions.md adds."""
        same = [
            "https://shop.example/a/b",
            "HTTP://SHOP.example:80/a/b/",
            "https://shop.example:443/a/./x/../b?utm_source=1#part",
            "https://shop.example./%61/b",
        ]
        self.assertEqual({str(normalise(url)) for url in same}, {"shop.example/a/b"})
        self.assertEqual(
            str(normalise("https://www.shop.example:8443/%c3%a4")), "www.shop.example:8443/%C3%A4"
        )
        kept = normalise("https://shop.example/p?b=2&x=1&a=%26", frozenset({"a", "b"}), keep_fragment=True)
        self.assertEqual(kept.path, "/p?a=%26&b=2")
        self.assertEqual(normalise("https://shop.example/#/step/2", keep_fragment=True).path, "/#/step/2")

    @given(segments)
    def test_normalising_twice_changes_nothing(self, parts: list[str]) -> None:
        once = normalise("https://shop.example/" + "/".join(parts))
        self.assertEqual(normalise("https://" + str(once)), once)

    def test_what_is_no_address(self) -> None:
        for text in (
            "",
            "javascript:alert(1)",
            "https://",
            "https://a b/",
            "https://[::1",
            "https://x/" + "é" * 2000,
            "http://a:99999/",
        ):
            with self.assertRaises(AddressError, msg=text):
                normalise(text)

    def test_campaign_parameters_and_click_ids(self) -> None:
        campaign = campaign_of(
            "https://x.example/?utm_source=meadow&utm_campaign=Spring%20start&xyclid=9&sub2=b&other=1#?utm_term=no"
        )
        self.assertEqual(
            (campaign.source, campaign.name, campaign.click_kind, campaign.click_id),
            ("meadow", "Spring start", "xyclid", "9"),
        )
        self.assertEqual((campaign.ad_group, dict(campaign.sub_ids)), ("", {"sub2": "b"}))

    @given(st.lists(st.tuples(st.text(max_size=5), st.text(max_size=5)), max_size=4))
    def test_a_query_has_one_spelling(self, pairs: list[tuple[str, str]]) -> None:
        once = canonical_query("/x?" + urlencode(pairs))
        self.assertEqual(canonical_query("?" + once), once)
        self.assertEqual(canonical_query("/x?%C3%A4=a%20b&c#?d=1"), canonical_query("/x?ä=a+b&c="))

    @given(
        st.lists(
            st.tuples(st.sampled_from(["utm_source", "adclid", "sub1", "x"]), st.text(max_size=30)),
            max_size=130,
        )
    )
    def test_what_is_read_at_once_is_what_is_read_out_of_what_was_kept(
        self, pairs: list[tuple[str, str]]
    ) -> None:
        """Also of addresses with more parameters, or longer ones, than are kept."""
        url = "https://shop.example/a?" + urlencode(pairs)
        self.assertEqual(campaign_of(url), campaign_of("?" + canonical_query(url)))

    def test_a_campaign_is_found_however_many_parameters_follow(self) -> None:
        url = "https://shop.example/a?utm_source=meadow&" + "&".join(f"p{n}=1" for n in range(150))
        self.assertEqual(campaign_of(url).source, "meadow")

    @given(
        st.lists(st.tuples(st.sampled_from(["step", "kind", "x"]), st.sampled_from("ab ä&=+")), max_size=4),
        st.sampled_from(["", "#/done", "#top"]),
        *(st.sets(st.sampled_from(["step", "kind"])) for _ in range(2)),
        *(st.booleans() for _ in range(2)),
    )
    def test_a_page_read_again_by_other_settings(
        self,
        pairs: list[tuple[str, str]],
        fragment: str,
        before: set[str],
        now: set[str],
        kept: bool,
        keeps: bool,
    ) -> None:
        """As if it had come in under them, but for a fragment that was not kept."""
        url = "https://shop.example/shop/" + ("?" + urlencode(pairs) if pairs else "") + fragment
        first = PageReading(frozenset(before), kept).page(url)
        again = PageReading(frozenset(now), keeps, {"shop.example": "other.example"})
        expected = PageReading(frozenset(now), keeps and kept, {"shop.example": "other.example"}).page(url)
        self.assertEqual(again.again(first, canonical_query(url)), expected)


class Channels(TestCase):
    def test_the_first_that_fits(self) -> None:
        own = {"shop.example"}
        cases = {
            ("?utm_source=a&utm_medium=CPC", "https://lantern-search.example/"): "paid",
            ("?xclid=1", ""): "paid",
            ("?utm_medium=newsletter", ""): "email",
            ("?utm_medium=affiliate", ""): "affiliate",
            ("", "https://www.meadowgram.example/p"): "social",
            ("", "https://lantern-search.example/q"): "search",
            ("", "https://elsewhere.example/"): "referral",
            ("", "https://shop.example/"): "direct",
            ("", "not an address"): "direct",
            ("?utm_campaign=print", ""): "other",
        }
        for (query, referrer), channel in cases.items():
            self.assertEqual(classify(campaign_of(query), referrer, own).channel, channel, (query, referrer))


touches = st.lists(
    st.tuples(st.integers(0, 90 * 24), st.sampled_from(CHANNELS)),
    min_size=1,
    max_size=12,
    unique_by=lambda t: t[0],
)


class Attribution(TestCase):
    start = datetime(2026, 8, 1, tzinfo=UTC)

    def made(self, hours: list[tuple[int, str]]) -> list[Touch]:
        return [Touch(i, self.start + timedelta(hours=h), c) for i, (h, c) in enumerate(hours)]  # type: ignore[arg-type]

    def test_of_visits_in_one_moment_the_number_tells_the_order(self) -> None:
        # Ids are given in the order of arrival.
        first, second = Touch(9, self.start, "paid", 1), Touch(3, self.start, "paid", 2)
        for touches in ([first, second], [second, first]):
            fitting = eligible(sorted(touches, key=lambda t: t.place), self.start, 30)
            self.assertEqual([t.visit for t in fitting], [9, 3])
            self.assertEqual(credit(fitting, "last_paid"), [(second, Decimal(1))])

    @given(touches)
    def test_shares_sum_to_one_exactly(self, hours: list[tuple[int, str]]) -> None:
        made = sorted(self.made(hours), key=lambda t: t.place)
        last = max(t.start for t in made)
        for window in (1, 30, 90):
            fitting = eligible(made, last, window)
            for model in MODELS:
                self.assertEqual(sum(share for _, share in credit(fitting, model)), 1)

    def test_last_paid_falls_back(self) -> None:
        for channels, expected in (
            (["paid", "email", "direct"], 0),
            (["search", "email", "direct"], 1),
            (["direct", "direct"], 1),
        ):
            made = self.made(list(enumerate(channels)))
            self.assertEqual(credit(made, "last_paid")[0][0].visit, expected)

    @given(touches, st.integers(-10, 3000), st.integers(0, 20))
    def test_eligible_are_those_of_the_window_and_the_own(
        self, hours: list[tuple[int, str]], at: int, own: int
    ) -> None:
        made = sorted(self.made(hours), key=lambda t: t.place)
        converted = self.start + timedelta(hours=at)
        expected = [
            t for t in made if t.visit == own or converted - timedelta(days=7) <= t.start <= converted
        ]
        self.assertEqual(eligible(made, converted, 7, own), expected)

    def test_the_last_hundred_share_linear_credit(self) -> None:
        made = self.made([(hour, "paid") for hour in range(250)])
        shares = credit(made, "linear")
        self.assertEqual([t.visit for t, _ in shares], list(range(150, 250)))
        self.assertEqual({share for _, share in shares}, {Decimal("0.01")})
        self.assertEqual(credit(made, "first"), [(made[0], Decimal(1))])

    def test_the_window_includes_its_edge(self) -> None:
        made = self.made([(0, "paid"), (24, "direct")])
        self.assertEqual(len(eligible(made, made[1].start, 1)), 2)
        self.assertEqual(len(eligible(made, made[1].start + timedelta(seconds=1), 1)), 1)


class Money(TestCase):
    @given(
        st.decimals(0, 10**6, places=2),
        st.dictionaries(st.integers(), st.integers(0, 99), min_size=1, max_size=9),
    )
    def test_spreading_loses_nothing(self, amount: Decimal, weights: dict[int, int]) -> None:
        if not any(weights.values()):
            with self.assertRaises(ValueError):
                spread(amount, weights)
            return
        self.assertEqual(sum(spread(amount, weights).values()), amount)


class Splits(TestCase):
    def test_shares_and_traffic_are_kept(self) -> None:
        visitors = [f"{i:032x}" for i in range(20_000)]
        places = Counter(assign(v, "a1b2c3d4", [50, 30, 20]) for v in visitors)
        self.assertGreater(stats.chisquare([places[i] for i in range(3)], [10_000, 6000, 4000]).pvalue, 1e-4)
        inside = [v for v in visitors if assign(v, "a1b2c3d4", [50, 50], Slot(20)) is not None]
        self.assertAlmostEqual(len(inside) / 20_000, 0.2, delta=0.012)
        self.assertTrue(
            all(
                assign(v, "a1b2c3d4", [50, 50], Slot(20)) == assign(v, "a1b2c3d4", [50, 50], Slot(90))
                for v in inside
            )
        )
        both = Counter((assign(v, "a1b2c3d4", [50, 50]), assign(v, "a1b2c3d5", [50, 50])) for v in visitors)
        self.assertGreater(
            stats.chi2_contingency([[both[0, 0], both[0, 1]], [both[1, 0], both[1, 1]]]).pvalue, 1e-4
        )

    def test_the_tag_agrees_on_the_shared_vectors(self) -> None:
        vectors = json.loads((ROOT / "tag" / "split-vectors.json").read_text())
        for v in vectors:
            self.assertEqual(hash32(f"{v['test']}.{v['visitor']}"), v["hash"])
            slot = Slot(v["traffic"], v.get("start", 0), v.get("layer", ""))
            self.assertEqual(assign(v["visitor"], v["test"], v["shares"], slot), v["variant"])

    def test_slots_of_one_layer_share_nobody_and_leave_nobody_out(self) -> None:
        slots = [Slot(25, 0, "l"), Slot(35, 25, "l"), Slot(40, 60, "l")]
        for n in range(3000):
            held = [place for place, slot in enumerate(slots) if slot.holds(f"{n:032x}", f"t{n % 3}")]
            self.assertEqual(len(held), 1)

    def test_pages_agree_with_the_vectors_that_the_tag_is_held_to(self) -> None:
        for v in json.loads((ROOT / "tag" / "page-vectors.json").read_text()):
            found = normalise(v["url"], frozenset(v["meaningful"]), v["fragment"])
            self.assertEqual((found.host, found.path), (v["host"], v["path"]), v["url"])
