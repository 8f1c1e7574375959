"""Which field a heading names: 40 made-up files, and what must not matter."""

from __future__ import annotations

import doctest
from pathlib import Path
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.money import spend_headings
from clabo.core.money.spend_headings import FIELDS, fields_of, ranked_field

FILES = [
    [tuple(part.strip() for part in cell.split(":", 1)) for cell in line.split("|")]
    for line in Path(__file__).with_name("headings.txt").read_text().splitlines()
    if line and not line.startswith("#")
]
NAMED = [(field, heading) for file in FILES for field, heading in file if field != "-"]


class Headings(TestCase):
    def test_forty_files(self) -> None:
        self.assertEqual(len(FILES), 40)
        for file in FILES:
            head = [heading for _, heading in file]
            asked = {field: place for place, (field, _) in enumerate(file) if field != "-"}
            self.assertEqual(fields_of(head), asked, head)

    @given(st.sampled_from(NAMED), st.sampled_from(" _-./"), st.booleans())
    def test_case_order_and_punctuation_do_not_matter(
        self, named: tuple[str, str], between: str, upper: bool
    ) -> None:
        field, heading = named
        if "/" in heading or not heading.isascii() or any(c.isupper() for c in heading[1:].replace(" ", "")):
            return
        words = heading.replace("(", "").replace(")", "").split()
        written = between.join(reversed(words))
        found = ranked_field(written.upper() if upper else written)
        self.assertEqual(found and found[0], field, written)

    @given(st.text(max_size=60))
    def test_any_text_is_read(self, text: str) -> None:
        found = ranked_field(text)
        self.assertTrue(found is None or found[0] in FIELDS)

    def test_names_before_ids_and_link_clicks_before_all(self) -> None:
        self.assertEqual(fields_of(["Campaign ID", "Campaign"]), {"campaign": 1})
        self.assertEqual(fields_of(["Clicks (all)", "Link clicks"]), {"clicks": 1})
        self.assertEqual(fields_of(["Cost", "Amount spent"]), {"cost": 0})

    def test_what_names_nothing(self) -> None:
        for heading in (
            *(
                "",
                "Week",
                "Day of week",
                "Weekday",
                "CPC",
                "Cost per click",
                "CTR",
                "ROAS",
                "Clicks %",
                "Ad status",
            ),
            *(
                "Campaign budget",
                "End date",
                "Landing page views",
                "Video views",
                "Account",
                "Name",
                "ID",
                "Total",
            ),
        ):
            self.assertIsNone(ranked_field(heading), heading)

    def test_examples(self) -> None:
        self.assertEqual(doctest.testmod(spend_headings).failed, 0)
