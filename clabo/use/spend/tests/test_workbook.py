"""Excel workbooks read as the same text file would be; what is none, or too much, is refused with a remedy."""

from __future__ import annotations

import io
import re
import signal
import subprocess
import sys
import tempfile
import time
import zipfile
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest import TestCase as PlainTestCase
from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from clabo.platform.problems import Problem
from clabo.use.spend import services
from clabo.use.spend.formats import workbook, workbook_reader
from clabo.use.spend.models import SpendRow
from clabo.use.spend.tests.test_import import SpendCase

HEAD = ["Day", "Campaign", "Impressions", "Clicks", "Cost"]


def book(*rows: list[Any], before: tuple[str, ...] = ()) -> bytes:
    made = Workbook()
    sheet = made.active
    for name in before:
        sheet.title = name
        sheet.append(["Exported by", "Ines"])
        sheet = made.create_sheet("Costs")
    for row in rows:
        sheet.append(row)
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


class Workbooks(SpendCase):
    def test_days_numbers_and_formulas_as_they_were_last_seen(self) -> None:
        content = book(
            ["Report of autumn"],
            HEAD,
            [date(2026, 10, 5), "garden; “Größe 2”", 1000, 40, 12.5],
            [datetime(2026, 10, 6), "garden; “Größe 2”", 1e3, 41.0, 0.1 + 0.2],
            ["2026-10-07", "=1+1", None, None, 3],
            [None, None, None, None, None],
            ["Total", None, 2000, 81, 15.8],
            before=("Cover",),
        )
        batch = self.upload(content, "costs.xlsx")
        check = services.check(batch, self.reading(batch, source="meadow"))
        self.assertEqual(
            (check.layout.encoding, check.layout.delimiter, check.layout.head_line), ("Excel", "Costs", 2)
        )
        self.assertEqual((check.good, check.bad, check.sum_lines, check.clicks), (3, [], 1, 81))
        self.assertEqual(check.cost, Decimal("12.5") + Decimal("0.3") + 3)
        services.take_in(batch, self.reading(batch, source="meadow"))
        self.assertEqual(SpendRow.objects.count(), 3)
        # A formula that nobody has computed is empty, and no formula is ever read as a text.
        self.assertEqual(set(SpendRow.objects.values_list("campaign", flat=True)), {"garden; “Größe 2”", ""})

    def test_the_same_rows_as_text(self) -> None:
        rows = [[date(2026, 10, d), "autumn", 100 * d, d, d / 8] for d in range(1, 9)]
        lines = "\n".join(",".join(map(str, row)) for row in [HEAD, *rows])
        as_book, as_text = self.upload(book(HEAD, *rows), "a.xlsx"), self.upload(lines, "a.csv")
        both = [services.check(b, self.reading(b, source="m")) for b in (as_book, as_text)]
        self.assertEqual(
            len({(c.good, c.cost, c.clicks, c.impressions, c.first_day, c.last_day) for c in both}), 1
        )

    def test_what_is_none_or_too_much(self) -> None:
        plain = io.BytesIO()
        with zipfile.ZipFile(plain, "w") as archive:
            archive.writestr("hello.txt", "no workbook")
        whole = book(HEAD, [date(2026, 10, 5), "a", 1, 1, 1])
        for content in (
            plain.getvalue(),
            whole[: len(whole) // 2],
            b"PK\x03\x04" + bytes(50),
            b"\xd0\xcf\x11\xe0" * 9,
        ):
            with self.assertRaises(Problem) as caught:
                self.upload(content, "x.xlsx")
            self.assertEqual(caught.exception.field, "file")
            self.assertIn("CSV", str(caught.exception))
        with tempfile.NamedTemporaryFile() as file:
            file.write(whole)
            file.flush()
            with (
                patch.object(workbook_reader, "MOST_BYTES", 100),
                self.assertRaisesMessage(workbook_reader.Unreadable, "too_large"),
            ):
                list(workbook_reader.read(Path(file.name), None))
        most = workbook_reader.MOST_COLUMNS
        wide = book([f"c{n}" for n in range(most + 50)])
        self.assertEqual(len(services.propose(self.upload(wide, "w.xlsx"))[0].head), most)

    def test_rows_far_beyond_the_others_are_not_counted_to(self) -> None:
        whole = book(HEAD, [date(2026, 10, 5), "a", 1, 1, 1])
        hostile = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(hostile, "w") as new:
            for part in old.namelist():
                content = old.read(part)
                if part.endswith("sheet1.xml"):
                    # It does not say how far it reaches.
                    content = re.sub(rb"<dimension[^>]*>", b"", content)
                    content = content.replace(b'<row r="2"', b'<row r="2000000000"')
                new.writestr(part, content)
        began = time.process_time()
        with self.assertRaises(Problem) as caught:
            services.check(
                batch := self.upload(hostile.getvalue(), "x.xlsx"), self.reading(batch, source="m")
            )
        self.assertIn("blank", caught.exception.detail)
        # It is read elsewhere: this process, which serves others, has done nothing.
        self.assertLess(time.process_time() - began, 2)

    def test_what_reads_it_is_ended_however_long_it_would_take(self) -> None:
        with tempfile.NamedTemporaryFile() as file:
            burning = (
                "import pathlib, sys; from clabo.use.spend.formats import workbook_reader as r; r.SECONDS = 1;"
                "r.limit(pathlib.Path(sys.argv[1])); print('[]', flush=True)\nwhile True: pass"
            )
            reader = subprocess.Popen([sys.executable, "-c", burning, file.name], stdout=subprocess.PIPE)
            said = workbook._said(reader)
            self.assertEqual(next(said), [])
            with self.assertRaisesMessage(Problem, "too long"):
                next(said)
            self.assertEqual(reader.wait(5), -signal.SIGXCPU)
            assert reader.stdout
            reader.stdout.close()


class Numbers(PlainTestCase):
    @given(st.floats(0, 1e9, allow_nan=False) | st.integers(0, 10**12))
    def test_a_number_is_the_same_number_as_text(self, value: float) -> None:
        text = workbook_reader.text(value)
        self.assertNotIn("e", text.lower())
        self.assertEqual(Decimal(text), Decimal(repr(value)))
