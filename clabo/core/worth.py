"""What a conversion is worth (definitions: "Value")."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

PLACES = Decimal("0.0001")
LARGEST = Decimal(10**9)
_NUMBER = re.compile(r"\d{1,10}(?:\.\d{1,10})?")
_CURRENCY = re.compile(r"[A-Z]{3}")


@dataclass(frozen=True, slots=True)
class Worth:
    """A value and its currency; the currency is empty where it is the site's own."""

    value: Decimal | None
    currency: str = ""


def worth_of_event(properties: Mapping[str, Any], name: str, site_currency: str) -> Worth:
    """The value in the property `name`, with the currency in `currency` where that is another.

    A number, or a text that is one with a point as decimal mark. Anything else, what is negative and what
    reaches a thousand million is no value.

    >>> worth_of_event({"value": 59.9, "currency": "eur"}, "value", "EUR")
    Worth(value=Decimal('59.9000'), currency='')
    """
    value = properties.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return Worth(None)
    text = str(value).strip() if isinstance(value, str) else f"{value:.15g}"
    if not _NUMBER.fullmatch(text):
        return Worth(None)
    amount = Decimal(text).quantize(PLACES)
    if amount >= LARGEST:
        return Worth(None)
    currency = str(properties.get("currency") or "").strip().upper()
    if not _CURRENCY.fullmatch(currency) or currency == site_currency:
        currency = ""
    return Worth(amount, currency)
