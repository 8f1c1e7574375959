"""Proven orders and people: the site's own server signs what an order is worth, and who somebody is.

The site key is public, and whoever reads a page can send what its tag sends. What a visitor's browser cannot make is
the signature of somebody who knows the site's proof key.
"""

from __future__ import annotations

import hmac
import re
from collections.abc import Iterable, Mapping
from decimal import Decimal, InvalidOperation

from clabo.core.trust.identities import digest

PROPERTY = "proof"
_PROOF = re.compile(r"[0-9a-f]{64}")


def told(order: str, value: object, currency: object) -> str:
    """The text that is signed: order, value and currency, a line each.

    The value is written as a plain decimal number without trailing zeros, so that 59.9, 59.90 and "59.90" are one;
    the currency in capitals; what is missing is an empty line.

    >>> told("BH-1", 59.90, "eur")
    'BH-1\\n59.9\\nEUR'
    >>> told("BH-2", None, None)
    'BH-2\\n\\n'
    """
    return f"{order}\n{_plain(value)}\n{str(currency or '').strip().upper()}"


def _plain(value: object) -> str:
    if value is None or isinstance(value, bool) or not isinstance(value, int | float | str | Decimal):
        return ""
    text = f"{value:.15g}" if isinstance(value, float) else str(value).strip()
    try:
        number = Decimal(text)
    except InvalidOperation:
        return text
    if not number.is_finite() or abs(number.adjusted()) > 30:
        return text
    plain = f"{number:f}"
    plain = plain.rstrip("0").rstrip(".") if "." in plain else plain
    return "0" if plain == "-0" else plain


def sign(secret: str, order: str, value: object = None, currency: object = None) -> str:
    """The proof of an order: HMAC-SHA256 (RFC 2104) of `told`, in hexadecimal. What the site's server computes."""
    return hmac.new(secret.encode(), told(order, value, currency).encode(), "sha256").hexdigest()


def is_proven(properties: Mapping[str, object], order: str, secrets: Iterable[str]) -> bool:
    """Whether an event's properties carry the proof of its order under one of the site's keys.

    The proof is of the properties `order`, `value` and `currency`; without an order number there is none.
    """
    given = properties.get(PROPERTY)
    if not order or not isinstance(given, str) or not _PROOF.fullmatch(given):
        return False
    told_value, told_currency = properties.get("value"), properties.get("currency")
    return any(hmac.compare_digest(given, sign(s, order, told_value, told_currency)) for s in secrets)


def sign_person(secret: str, visitor: str, email: str = "", customer: str = "") -> str:
    """The proof of who is at a browser: HMAC-SHA256 (RFC 2104) of `told_person`. What the site's server computes.

    Parameters
    ----------
    secret : str
        A proof key of the site.
    visitor : str
        The browser's id, as the cookie `clabo_id` says it: a proof is good for that browser alone.
    email, customer : str
        What the page states, as text; empty where it states no such thing.
    """
    hashes = {kind: digest(kind, text) for kind, text in (("email", email), ("id", customer)) if text}
    return hmac.new(secret.encode(), told_person(visitor, hashes).encode(), "sha256").hexdigest()


def told_person(visitor: str, hashes: Mapping[str, str]) -> str:
    """The text that is signed: the word, the browser's id, and the hashes of e-mail address and customer id, a line each.

    >>> told_person("0" * 32, {"id": "ab"})
    'person\\n00000000000000000000000000000000\\n\\nab'
    """
    return f"person\n{visitor}\n{hashes.get('email', '')}\n{hashes.get('id', '')}"


def is_person_proven(person: Mapping[str, str], visitor: str, secrets: Iterable[str]) -> bool:
    """Whether what a page states (hashes by kind, and the proof) carries the proof of it for this browser."""
    given = person.get(PROPERTY, "")
    if not _PROOF.fullmatch(given):
        return False
    told = told_person(visitor, person).encode()
    return any(hmac.compare_digest(given, hmac.new(s.encode(), told, "sha256").hexdigest()) for s in secrets)
