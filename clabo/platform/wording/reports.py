"""Words of reports: channels, attribution models, days."""

from __future__ import annotations

from datetime import date

CHANNELS = {
    "paid": "paid ads",
    "email": "e-mail",
    "affiliate": "affiliates",
    "social": "social",
    "search": "organic search",
    "referral": "referrals",
    "direct": "direct",
    "other": "other campaigns",
}
MODELS = {
    "last_paid": "last paid touch",
    "last": "last touch",
    "first": "first touch",
    "linear": "all touches alike",
}


def day_span(first: date, last: date) -> str:
    """ "27 Nov 2026", or "31 Oct to 27 Nov 2026"."""
    if first == last:
        return f"{last.day} {last:%b %Y}"
    year = f" {first.year}" if first.year != last.year else ""
    return f"{first.day} {first:%b}{year} to {last.day} {last:%b %Y}"
