"""Reading what a file says of outcomes: which column is what, and what each row says (docs/data-formats.md, "Outcome files")."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta, timezone
from decimal import Decimal
from typing import Literal, get_args

from clabo.core.message import message
from clabo.core.money.spend_file import (
    BadRow,
    DayOrder,
    DecimalMark,
    day_order_of,
    decimal_mark_of,
    read_day,
    read_number,
)
from clabo.core.outcomes.stages import Stage, plain, stage_meant
from clabo.core.trust.identities import digest

Field = Literal["order", "email", "customer", "stage", "time", "value", "currency", "row"]
FIELDS: tuple[Field, ...] = get_args(Field)
# What a row may be known by, the surest first.
BY: tuple[Field, ...] = ("order", "email", "customer")
MAX_TEXT = 100
NOON = time(12)

_NOTIONS: dict[str, str] = {
    "order": "order transaction booking bestellung bestell auftrag auftrags transaktion transaktions buchung buchungs commande"
    " transazione pedido transaccion ordine prenotazione reservation bestelling transactie boeking",
    "deal": "lead deal opportunity vorgang affaire oportunidad trattativa offerte",
    "number": "id number no nr num nummer numero ref reference referenz code key",
    "email": "email mail mailadresse courriel correo",
    "customer": "customer client contact user member kunde kunden kontakt cliente contacto contatto klant klanten",
    "stage": "stage status state outcome result phase stand zustand stufe ergebnis etat statut estado etapa resultado stato fase"
    " risultato stadium resultaat resultat",
    "time": "date day time timestamp datum tag zeit zeitpunkt fecha dia data giorno dag tijd when jour",
    "change": "changed change updated close closed closing modified last geaendert abschluss abschlussdatum modifie cambio chiusura"
    " gewijzigd",
    "made": "created creation made first opened erstellt angelegt cree creado creato aangemaakt",
    "value": "value amount revenue price total sum turnover wert betrag umsatz preis summe valeur montant prix valor importe precio"
    " valore importo prezzo waarde bedrag omzet prijs",
    "currency": "currency waehrung devise moneda divisa valuta munt",
    "row": "row event entry record zeile eintrag ligne fila riga regel",
    "": "am um sur su op il el au the of in on at address adresse de la le des der die das e and und hash hashed sha256 eur usd gbp chf",
}
_WORDS = {word: notion for notion, words in _NOTIONS.items() for word in words.split()}
_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])")
_HASH = re.compile(r"[0-9a-fA-F]{64}")
_CLOCK = re.compile(r"[ T](\d{1,2}):(\d{2})(?::(\d{2})(?:[.,]\d+)?)?\s*(Z|[+-]\d{2}:?\d{2})?\s*$")
_CURRENCY = re.compile(r"[A-Z]{3}")


def _parts(word: str) -> tuple[str, ...]:
    """The known words of which it is made: itself, or two that are written together; none where it is made of others."""
    if word in _WORDS:
        return (word,)
    cuts = ((word[:n], word[n:]) for n in range(3, len(word) - 1))
    return next((cut for cut in cuts if cut[0] in _WORDS and cut[1] in _WORDS), ())


def ranked_field(heading: str) -> tuple[Field, int] | None:
    """The field that a heading names, and how well (0 is best); None where it names none.

    >>> ranked_field("Order ID"), ranked_field("Closed at"), ranked_field("Created on"), ranked_field("Kunden-Nr.")
    (('order', 0), ('time', 1), None, ('customer', 0))
    """
    said = plain(_CAMEL.sub(" ", heading) if not heading.isupper() else heading).replace("_", " ").split()
    parts = [_parts(word) for word in said]
    if not said or not all(parts):
        return None
    notions = {_WORDS[part] for several in parts for part in several} - {""}
    # A deal of its own is an order where there is no better column for that.
    is_deal = "deal" in notions
    notions = (notions - {"deal"}) | {"order"} if is_deal else notions
    if "email" in notions:
        return ("email", 0) if notions <= {"email", "customer"} else None
    if "currency" in notions:
        return ("currency", 0) if notions <= {"currency", "value", "order"} else None
    if "value" in notions:
        return ("value", 0 if notions == {"value"} else 1) if notions <= {"value", "order"} else None
    if "stage" in notions and notions <= {"stage", "order"}:
        return "stage", 0
    if "made" in notions:
        return None
    if "time" in notions and notions <= {"time", "change", "stage", "order"}:
        return "time", 0 if notions & {"change", "stage"} or notions == {"time"} else 2
    if "change" in notions and notions <= {"change", "stage", "order"}:
        return "time", 1
    if notions in ({"row", "number"}, {"change", "number"}, {"stage", "number"}):
        return "row", 0
    if notions in ({"order", "number"}, {"order"}):
        return "order", (0 if "number" in notions else 1) + 2 * is_deal
    if notions in ({"customer", "number"}, {"customer"}):
        return "customer", 0 if "number" in notions else 2
    return None


def fields_of(headings: Sequence[str]) -> dict[Field, int]:
    """The column of each field that a heading names: the best, and of those the first."""
    found: dict[Field, tuple[int, int]] = {}
    for place, heading in enumerate(headings):
        if named := ranked_field(heading):
            name, rank = named
            found[name] = min(found.get(name, (rank, place)), (rank, place))
    return {name: place for name, (_, place) in found.items()}


@dataclass(frozen=True, slots=True)
class OutcomeMapping:
    """How a file is read: column numbers by field, what its words for stages mean (by key), how days and numbers are written."""

    columns: Mapping[Field, int]
    stages: Mapping[str, str]
    day_order: DayOrder = "ymd"
    decimal_mark: DecimalMark = "."


@dataclass(frozen=True, slots=True)
class OutcomeLine:
    """What one row, or one call, says. `identity` is an order number, or a hash of an e-mail address or customer id.

    `at`: with its own offset, or by the clock of the site; None where no time is told. `row`: a name of its own, or empty.
    """

    by: Literal["order", "email", "customer"]
    identity: str
    stage: str
    at: datetime | None = None
    value: Decimal | None = None
    currency: str = ""
    row: str = ""
    withdrawn: bool = False


@dataclass(frozen=True, slots=True)
class OutcomeGuess:
    """A mapping proposed from the headings and some rows; `doubts` are fields to look at."""

    mapping: OutcomeMapping
    doubts: list[str] = field(default_factory=list)


def guess_mapping(
    headings: Sequence[str], rows: Sequence[Sequence[str]], stages: Sequence[Stage]
) -> OutcomeGuess:
    """How a file with these headings and first rows is probably meant."""
    columns = fields_of(headings)
    doubts: list[str] = [] if any(by in columns for by in BY) else ["identity"]
    doubts += [] if "stage" in columns else ["stage"]
    order, sure = day_order_of(_cells(rows, columns.get("time")))
    doubts += [] if sure or "time" not in columns else ["day_order"]
    mark, sure = decimal_mark_of(_cells(rows, columns.get("value")))
    doubts += [] if sure or "value" not in columns else ["decimal_mark"]
    meant = stages_said(_cells(rows, columns.get("stage")), stages)
    return OutcomeGuess(OutcomeMapping(columns, meant, order, mark), doubts)


def stages_said(cells: Sequence[str], stages: Sequence[Stage]) -> dict[str, str]:
    """What each word for a stage means, by key; empty where that is not sure."""
    found: dict[str, str] = {}
    for cell in cells:
        text = cell.strip()
        if text and text not in found and len(found) < 100:
            stage = stage_meant(text, stages)
            found[text] = stage.key if stage else ""
    return found


def _cells(rows: Sequence[Sequence[str]], place: int | None) -> list[str]:
    return [] if place is None else [row[place] for row in rows if place < len(row) and row[place].strip()]


def read_line(
    cells: Sequence[str], mapping: OutcomeMapping, stages: Mapping[str, Stage]
) -> OutcomeLine | BadRow | None:
    """What one row says, or why it cannot be read; None where its stage is left aside ("-" in the mapping)."""

    def text(name: Field) -> str:
        place = mapping.columns.get(name)
        return cells[place].strip() if place is not None and 0 <= place < len(cells) else ""

    said = text("stage")
    if not said:
        return BadRow("stage", message("stage_missing"))
    if mapping.stages.get(said) == "-":
        return None
    stage = stages.get(mapping.stages.get(said, ""))
    if stage is None:
        return BadRow("stage", message("stage_not_known", text=said[:40]))
    amount: Decimal | None = None
    if written := text("value"):
        # What is given back is often written with a minus.
        if stage.effect == "refund":
            written = written.lstrip("-−– ")
        number = read_number(written, mapping.decimal_mark, "value")
        if isinstance(number, BadRow):
            return number
        amount = number
    when: datetime | None = None
    if written := text("time"):
        found = read_time(written, mapping.day_order)
        if isinstance(found, BadRow):
            return found
        when = found
    currency = text("currency").upper()
    if currency and not _CURRENCY.fullmatch(currency):
        return BadRow("currency", message("not_a_currency", text=currency[:20]))
    for name in ("order", "customer", "row"):
        if len(text(name)) > MAX_TEXT:
            return BadRow(name, message("cell_too_long", most=MAX_TEXT))
    identity = identity_of(text("order"), text("email"), text("customer"))
    if isinstance(identity, BadRow):
        return identity
    return OutcomeLine(*identity, stage.key, when, amount, currency, text("row"))


def identity_of(
    order: str, email: str, customer: str
) -> tuple[Literal["order", "email", "customer"], str] | BadRow:
    """What a row is known by: its order number, else the hash of its e-mail address, else of its customer id.

    A text of 64 hexadecimal digits is a hash already.
    """
    if order:
        return "order", order
    if email:
        if _HASH.fullmatch(email):
            return "email", email.lower()
        if "@" not in email.strip("@"):
            return BadRow("email", message("not_an_email"))
        return "email", digest("email", email)
    if customer:
        return "customer", customer.lower() if _HASH.fullmatch(customer) else digest("id", customer)
    return BadRow("order", message("no_identity"))


def read_time(text: str, order: DayOrder) -> datetime | BadRow:
    """A day, or a day and a time, with an offset where one is written; a day alone is its noon."""
    clock = _CLOCK.search(text)
    day = read_day(text[: clock.start()] if clock else text, order)
    if isinstance(day, BadRow):
        return BadRow("time", day.told)
    if clock is None:
        return datetime.combine(day, NOON)
    hour, minute, second = int(clock[1]), int(clock[2]), int(clock[3] or 0)
    if hour > 23 or minute > 59 or second > 59:
        return BadRow("time", message("not_a_day", text=text[:40]))
    zone = None
    if clock[4]:
        digits = clock[4].replace("Z", "+0000").replace(":", "")
        offset = timedelta(hours=int(digits[1:3]), minutes=int(digits[3:5]))
        if offset > timedelta(hours=14):
            return BadRow("time", message("not_a_day", text=text[:40]))
        zone = timezone(-offset if digits[0] == "-" else offset)
    return datetime.combine(day, time(hour, minute, second), zone)
