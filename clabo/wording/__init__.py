"""Words for what the core says by codes, for the API and mail alike.

`say` turns a `Told` into a sentence. Each module below has the words of one subject; texts go through Django's
translation tools, so that another language is a file (`manage.py makemessages`).
"""

from __future__ import annotations

from clabo.wording import (
    addresses,
    audiences,
    changes,
    conditions,
    delivery,
    entrants,
    links,
    measures,
    moments,
    naming,
    places,
    plans,
    rehearsals,
    rules,
    spend,
    suspicion,
)
from clabo.wording.words import say, say_all

__all__ = [
    "addresses",
    "audiences",
    "changes",
    "conditions",
    "delivery",
    "entrants",
    "links",
    "measures",
    "moments",
    "naming",
    "places",
    "plans",
    "rehearsals",
    "rules",
    "say",
    "say_all",
    "spend",
    "suspicion",
]
