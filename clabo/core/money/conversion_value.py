"""What a conversion is worth (definitions: "Value")."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

PLACES = Decimal("0.0001")
LARGEST = Decimal(10**9)
# A number as a text states it: PostgreSQL reads it the same (setup/conversions/matching/selecting.py).
NUMBER = r"-?[0-9]{1,10}(?:\.[0-9]{1,10})?"
_NUMBER = re.compile(NUMBER)
_CURRENCY = re.compile(r"[A-Z]{3}")


@dataclass(frozen=True, slots=True)
class ConversionValue:
    """A value and its currency; the currency is empty where it is the site's own."""

    value: Decimal | None
    currency: str = ""


def number_of(value: Any) -> Decimal | None:
    """The number that an event's property states, as one or as a text that is one; None where it is neither.

    >>> number_of(59.9), number_of(" 59.90 "), number_of("59,90"), number_of(True)
    (Decimal('59.9'), Decimal('59.90'), None, None)
    """
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return None
    if isinstance(value, str):
        return Decimal(value.strip(" ")) if _NUMBER.fullmatch(value.strip(" ")) else None
    return Decimal(f"{value:.15g}") if math.isfinite(value) else None


def value_of_event(properties: Mapping[str, Any], name: str, site_currency: str) -> ConversionValue:
    """The value in the property `name`, with the currency in `currency` where that is another.

    A number, or a text that is one with a point as decimal mark. Anything else, what is negative (a refund is an event
    of its own, and no order of less than nothing) and what reaches a thousand million is no value.

    >>> value_of_event({"value": 59.9, "currency": "eur"}, "value", "EUR")
    ConversionValue(value=Decimal('59.9000'), currency='')
    """
    value = number_of(properties.get(name))
    if value is None or not 0 <= value < LARGEST:
        return ConversionValue(None)
    amount = value.quantize(PLACES)
    # Something that would be kept as nothing is no value either.
    if value and not amount:
        return ConversionValue(None)
    currency = str(properties.get("currency") or "").strip().upper()
    if not _CURRENCY.fullmatch(currency) or currency == site_currency:
        currency = ""
    return ConversionValue(amount, currency)
