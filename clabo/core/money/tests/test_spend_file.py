"""ColumnMapping what exports say: columns, days, amounts."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.money.spend_file import (
    BadRow,
    ColumnMapping,
    SpendLine,
    guess_reading,
    is_sum_line,
    read_day,
    read_number,
    read_row,
)
from clabo.core.money.spend_headings import fields_of


class Guessing(TestCase):
    def test_columns_by_the_usual_words(self) -> None:
        head = [
            "Tag",
            "Kampagne",
            "Anzeigengruppe",
            "Anzeige",
            "Impr.",
            "Klicks",
            "Kosten (EUR)",
            "Zielseite",
            "?",
        ]
        found = fields_of(head)
        self.assertEqual(
            sorted(found, key=found.__getitem__),
            ["day", "campaign", "ad_group", "ad", "impressions", "clicks", "cost", "landing"],
        )

    def test_day_order_and_decimal_mark(self) -> None:
        cases = {
            ("2026-11-03", "1.50"): ("ymd", ".", set()),
            ("03.11.2026", "1.234,50"): ("dmy", ",", set()),
            ("11/23/2026", "1,234.50"): ("mdy", ".", set()),
            ("23/11/2026", "0,5"): ("dmy", ",", set()),
            ("03/11/2026", "1,234"): ("dmy", ".", {"day_order", "decimal_mark"}),
            ("03/11/2026", "12"): ("dmy", ".", {"day_order"}),
        }
        for (day, cost), (order, mark, doubts) in cases.items():
            guess = guess_reading(["day", "cost"], [[day, cost]])
            found = (guess.reading.day_order, guess.reading.decimal_mark, set(guess.doubts))
            self.assertEqual(found, (order, mark, doubts), (day, cost))

    def test_a_total_is_no_row(self) -> None:
        self.assertTrue(is_sum_line(["", "Total", "12"]))
        self.assertFalse(is_sum_line(["2026-11-01", "total recall"]))


class Amounts(TestCase):
    @given(st.decimals(0, 10**9, places=2), st.sampled_from(".,"), st.booleans())
    def test_what_is_written_is_read(self, amount: Decimal, mark: str, grouped: bool) -> None:
        text = f"{amount:,.2f}" if grouped else f"{amount:.2f}"
        if mark == ",":
            text = text.translate(str.maketrans(",.", ".,"))
        for noise in (text, f"€ {text}", f"{text} EUR", f"\u202f{text}\u00a0"):
            self.assertEqual(read_number(noise, mark, "cost"), amount, noise)  # type: ignore[arg-type]

    def test_what_is_no_amount(self) -> None:
        for text in ("zwei", "1.2.3", "12,34.5", "-3", "1e400", "NaN", "Infinity", "=1+1", ""):
            self.assertIsInstance(read_number(text, ".", "cost"), BadRow, text)
        self.assertEqual(read_number("–", ".", "clicks"), 0)


class Rows(TestCase):
    reading = ColumnMapping(
        {"day": 0, "cost": 1, "landing": 2, "ad": 3}, "dmy", ",", "meadow", "shop.example"
    )

    @given(st.dates(date(2000, 1, 1), date(2099, 12, 31)), st.sampled_from(["ymd", "dmy", "mdy"]))
    def test_days_in_every_order(self, day: date, order: str) -> None:
        written = {"ymd": "%Y-%m-%d", "dmy": "%d.%m.%Y", "mdy": "%m/%d/%Y"}[order]
        self.assertEqual(read_day(day.strftime(written), order), day)  # type: ignore[arg-type]

    def test_a_good_row(self) -> None:
        line = read_row(["3.11.26", "1.234,5", "/a/?utm_source=x", "=cmd()"], self.reading)
        self.assertEqual(
            line,
            SpendLine(
                date(2026, 11, 3),
                "meadow",
                "",
                "",
                "=cmd()",
                "shop.example/a?utm_source=x",
                0,
                0,
                Decimal("1234.500000"),
            ),
        )

    def test_bad_rows_name_the_field(self) -> None:
        cases = {
            ("31.02.2026", "1", "", ""): "day",
            ("", "1", "", ""): "day",
            ("1.1.1999", "1", "", ""): "day",
            ("1.1.2026", "x", "", ""): "cost",
            ("1.1.2026", "1", "http://a b/", ""): "landing",
            ("1.1.2026", "1", "", "x" * 201): "ad",
            ("1.1.2026",): "row",
        }
        for cells, field in cases.items():
            found = read_row(list(cells), self.reading)
            self.assertIsInstance(found, BadRow, cells)
            self.assertEqual(found.field, field, cells)  # type: ignore[union-attr]
