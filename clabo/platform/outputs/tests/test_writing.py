"""Tables as files, read back by other programs' readers."""

from __future__ import annotations

import csv
import io
import json
import tracemalloc
from datetime import UTC, date, datetime
from decimal import Decimal

import pyarrow.parquet as pq
from django.test import SimpleTestCase, TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import load_workbook

import clabo.platform.config.api  # noqa: F401  (every table is registered by then)
from clabo.platform.outputs.answering import TABLES
from clabo.platform.outputs.tables import Column, Table, table_of
from clabo.platform.outputs.writing import Format, write
from clabo.testing.asking import Member
from clabo.testing.traffic import START, make_rule, make_site, receive, walk

COLUMNS = [
    Column("name", "text", "Its name"),
    Column("n", "count"),
    Column("cost", "amount"),
    Column("rate", "number"),
    Column("sure", "yes"),
    Column("day", "day"),
    Column("at", "moment"),
]
texts = st.text(max_size=12) | st.sampled_from(
    ["=1+1", "+4", "-2", "@x", "\t=1", "<b>", "a,b", 'say "x"', "two\nlines", "_x0041_", "￾"]
)
rows = st.lists(
    st.tuples(
        texts,
        st.none() | st.integers(-(2**40), 2**40),
        st.none() | st.decimals(-(10**9), 10**9, places=4),
        st.none() | st.floats(-1e9, 1e9, allow_nan=False),
        st.booleans(),
        st.none() | st.dates(date(1990, 1, 1), date(2100, 1, 1)),
        st.none() | st.datetimes(datetime(1990, 1, 1), datetime(2100, 1, 1), timezones=st.just(UTC)),
    ),
    max_size=6,
)


def made(table: Table, form: Format) -> bytes:
    return b"".join(write(table, form))


class ReadBack(SimpleTestCase):
    @settings(max_examples=40, deadline=None)
    @given(rows)
    def test_every_format_says_the_same(self, some: list[tuple[object, ...]]) -> None:
        table = Table("T", COLUMNS, some, [("What", "=all")])  # type: ignore[arg-type]
        lines = list(csv.DictReader(io.StringIO(made(table, "csv").decode(), newline="")))
        said = json.loads(made(table, "json"))
        columns = pq.read_table(io.BytesIO(made(table, "parquet"))).to_pylist()
        self.assertEqual(said["about"], {"What": "=all"})
        for row, line, of_json, of_parquet in zip(some, lines, said["rows"], columns, strict=True):
            name, n, cost, _, sure, day, _ = row
            self.assertIn(line["name"], (name, f"'{name}"))
            self.assertFalse(line["name"].startswith(("=", "+", "-", "@", "\t", "\r", "\n")))
            self.assertEqual(line["n"], "" if n is None else str(n))
            self.assertEqual(Decimal(line["cost"]) if line["cost"] else None, cost)
            self.assertEqual((of_json["name"], of_json["n"], of_json["sure"]), (name, n, sure))
            self.assertEqual(None if of_json["cost"] is None else Decimal(of_json["cost"]), cost)
            self.assertEqual(of_parquet, dict(zip(of_parquet, row, strict=True)))
            self.assertEqual(of_json["day"], day and day.isoformat())  # type: ignore[attr-defined]

    @settings(max_examples=15, deadline=None)
    @given(rows)
    def test_a_workbook_has_numbers_as_numbers_and_no_formula(self, some: list[tuple[object, ...]]) -> None:
        book = load_workbook(io.BytesIO(made(Table("T", COLUMNS, some, [("What", "=all")]), "xlsx")))  # type: ignore[arg-type]
        cells = list(book["Table"].iter_rows(min_row=2))
        self.assertEqual(len(cells), len(some))
        for row, line in zip(some, cells, strict=True):
            self.assertNotEqual(line[0].data_type, "f")
            if row[1] is not None:
                self.assertEqual((line[1].data_type, line[1].value), ("n", row[1]))
            if row[2] is not None:
                self.assertAlmostEqual(line[2].value, float(row[2]), places=4)  # type: ignore[arg-type]
            self.assertEqual(line[4].value, row[4])
        about = [[c.value for c in line] for line in book["About"].iter_rows()]
        self.assertIn(["What", "=all"], about)
        self.assertIn(["name", "Its name"], about)
        self.assertFalse(any(c.data_type == "f" for line in book["About"].iter_rows() for c in line))

    def test_a_long_workbook_is_never_in_memory(self) -> None:
        long = ((f"row {i}", i, Decimal(i), i / 7, True, None, None) for i in range(4_000))
        tracemalloc.start()
        try:
            size = sum(len(piece) for piece in write(Table("T", COLUMNS, long), "xlsx"))
            most = tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()
        self.assertGreater(size, 60_000)
        self.assertLess(most, 3_000_000)


class EveryTable(TestCase):
    def test_every_column_says_what_it_means(self) -> None:
        self.assertGreater(len(TABLES), 8)
        silent = [
            (name, c.key)
            for name, shape in TABLES.items()
            for c in table_of(name, shape, []).columns
            if not c.means
        ]
        self.assertEqual(silent, [])

    def test_a_table_of_the_api_as_a_file(self) -> None:
        site = make_site()
        make_rule(site, "/thank-you")
        receive(walk(site, 1, START, "/a?utm_source=%3D1%2B1&utm_medium=cpc", "/thank-you"))
        member = Member(site)
        words = "period=2026-10-01..2026-10-31"
        answer = member.client.get(f"{member.base}/sources?{words}&by=source&format=csv")
        self.assertIn('filename="sources-', answer["content-disposition"])
        lines = list(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode())))  # type: ignore[arg-type]
        self.assertEqual([(r["name"], r["entries"]) for r in lines], [("'=1+1", "1"), ("", "1")])
        asked = member.ask("GET", f"/sources?{words}&by=source")["rows"][0]
        self.assertAlmostEqual(
            float(lines[0]["conversion_rate_low"]), asked["conversion_rate"]["low"], places=12
        )
        answer = member.client.get(f"{member.base}/pages?{words}&format=json")
        told = json.loads(b"".join(answer.streaming_content))  # type: ignore[arg-type]
        self.assertIn(
            "Visits to Shop, 1 Oct to 31 Oct 2026, from anywhere", told["about"]["What is looked at"]
        )
        refused = member.ask("GET", f"/pages?{words}&format=pdf", status=422)
        self.assertEqual(refused["field"], "format")
