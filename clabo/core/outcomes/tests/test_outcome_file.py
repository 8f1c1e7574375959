"""What headings name, and what rows say."""

from __future__ import annotations

import doctest
from datetime import UTC, datetime, timedelta, timezone
from decimal import Decimal
from unittest import TestCase

from clabo.core.money.spend_file import BadRow
from clabo.core.outcomes import outcome_file
from clabo.core.outcomes.outcome_file import OutcomeLine, OutcomeMapping, fields_of, guess_mapping, read_line
from clabo.core.outcomes.tests.test_stages import USUAL
from clabo.core.trust.identities import digest

STAGES = {s.key: s for s in USUAL}

# Headings of made-up files, with what each column is.
FILES = [
    "order: Order ID | stage: Status | time: Date | value: Amount | currency: Currency",
    "order: order_number | stage: outcome | time: changed_at | value: revenue",
    "email: E-Mail | stage: Stage | time: Close date | value: Deal value | -: Owner",
    "customer: Customer ID | stage: Lead status | time: Updated",
    "email: Email address | customer: Contact ID | stage: Result | -: Created at | time: Closed on",
    "order: Bestellnummer | stage: Status | time: Datum | value: Betrag | currency: Währung",
    "order: Auftrags-Nr. | stage: Stand | value: Umsatz (EUR) | time: Geändert am",
    "customer: Kundennummer | stage: Ergebnis | time: Tag",
    "email: Courriel | stage: Statut | time: Date | value: Montant | currency: Devise",
    "order: Numéro de commande | stage: Résultat | value: Prix",
    "order: Pedido | stage: Estado | time: Fecha | value: Importe | currency: Moneda",
    "order: Numero ordine | stage: Stato | time: Data | value: Valore",
    "customer: Klantnummer | stage: Resultaat | time: Datum | value: Bedrag",
    "row: Row ID | order: Transaction ID | stage: State | time: Timestamp | value: Total",
    "order: leadId | stage: leadStage | time: stageChangedAt | value: dealAmount",
    "order: order | order2: transaction | stage: status | time: order date | -: conversion rate",
    "-: Name | -: Phone | email: Mail | stage: Phase | time: When",
]


class Headings(TestCase):
    def test_examples_hold(self) -> None:
        self.assertFalse(doctest.testmod(outcome_file).failed)

    def test_made_up_files(self) -> None:
        for file in FILES:
            cells = [tuple(part.strip() for part in cell.split(":", 1)) for cell in file.split("|")]
            asked = {name: place for place, (name, _) in enumerate(cells) if name.isalpha()}
            with self.subTest(file):
                self.assertEqual(fields_of([heading for _, heading in cells]), asked)


class Lines(TestCase):
    mapping = OutcomeMapping(
        {"order": 0, "email": 1, "customer": 2, "stage": 3, "time": 4, "value": 5, "currency": 6},
        {"Won": "sold", "Money back": "refunded", "Open": "-"},
        "dmy",
        ",",
    )

    def read(self, *cells: str) -> OutcomeLine | BadRow | None:
        return read_line(cells, self.mapping, STAGES)

    def test_an_order_goes_before_an_address_and_an_address_before_an_id(self) -> None:
        full = self.read("A-1", "ada@shop.example", "7", "Won", "3.11.2026 14:05", "1.820,50", "eur")
        self.assertEqual(
            full, OutcomeLine("order", "A-1", "sold", datetime(2026, 11, 3, 14, 5), Decimal("1820.5"), "EUR")
        )
        by_mail = self.read("", " Ada@Shop.example", "7", "Won", "", "", "")
        self.assertEqual(by_mail, OutcomeLine("email", digest("email", "ada@shop.example"), "sold"))
        hashed = self.read("", digest("email", "ada@shop.example").upper(), "", "Won", "", "", "")
        self.assertEqual(hashed, by_mail)
        self.assertEqual(
            self.read("", "", "7", "Won", "", "", ""), OutcomeLine("customer", digest("id", "7"), "sold")
        )

    def test_what_is_given_back_may_have_a_minus(self) -> None:
        found = self.read("A-1", "", "", "Money back", "03.11.2026", "−59,90", "")
        assert isinstance(found, OutcomeLine)
        self.assertEqual((found.value, found.at), (Decimal("59.9"), datetime(2026, 11, 3, 12)))

    def test_times_with_an_offset(self) -> None:
        for text, at in {
            "2026-11-03T14:05:06Z": datetime(2026, 11, 3, 14, 5, 6, tzinfo=UTC),
            "2026-11-03 14:05:06.123 +02:00": datetime(
                2026, 11, 3, 14, 5, 6, tzinfo=timezone(timedelta(hours=2))
            ),
            "3.11.26 9:05": datetime(2026, 11, 3, 9, 5),
        }.items():
            with self.subTest(text):
                found = self.read("A-1", "", "", "Won", text, "", "")
                assert isinstance(found, OutcomeLine), found
                self.assertEqual(found.at, at)

    def test_each_thing_that_is_wrong_names_its_field(self) -> None:
        for cells, field in (
            (("A-1", "", "", "", "", "", ""), "stage"),
            (("A-1", "", "", "Sold", "", "", ""), "stage"),
            (("", "", "", "Won", "", "", ""), "order"),
            (("", "ada", "", "Won", "", "", ""), "email"),
            (("A-1", "", "", "Won", "31.2.2026", "", ""), "time"),
            (("A-1", "", "", "Won", "3.11.2026 25:00", "", ""), "time"),
            (("A-1", "", "", "Won", "", "-5", ""), "value"),
            (("A-1", "", "", "Won", "", "1.5.2", ""), "value"),
            (("A-1", "", "", "Won", "", "5", "euro"), "currency"),
            (("A" * 101, "", "", "Won", "", "", ""), "order"),
        ):
            with self.subTest(cells):
                found = self.read(*cells)
                assert isinstance(found, BadRow), found
                self.assertEqual(found.field, field)
        self.assertIsNone(self.read("A-1", "", "", "Open", "", "", ""))

    def test_what_is_proposed_for_a_file(self) -> None:
        rows = [["A-1", "Closed won", "13.11.2026", "1.820,00"], ["A-2", "Waiting", "02.11.2026", "5,00"]]
        guess = guess_mapping(["Order ID", "Status", "Date", "Amount"], rows, USUAL)
        self.assertEqual(guess.doubts, [])
        self.assertEqual(
            guess.mapping,
            OutcomeMapping(
                {"order": 0, "stage": 1, "time": 2, "value": 3},
                {"Closed won": "sold", "Waiting": ""},
                "dmy",
                ",",
            ),
        )
        self.assertEqual(
            guess_mapping(["Name", "Date"], [["x", "2026-01-01"]], USUAL).doubts, ["identity", "stage"]
        )
