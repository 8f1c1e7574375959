"""Words for what the core says by codes, for the API and mail alike.

`say` turns a `Message` into a sentence. Each module below has the words of one subject; texts go through Django's
translation tools, so that another language is a file (`manage.py makemessages`).
"""

from __future__ import annotations

from clabo.platform.wording import audiences, delivery, links, outcomes, plans, spend
from clabo.platform.wording.rules import addresses, conditions, language, naming, rehearsals, rule_warnings
from clabo.platform.wording.splits import changes, measures, page_match, targeting, triggers
from clabo.platform.wording.words import say, say_all

__all__ = [
    "addresses",
    "audiences",
    "changes",
    "conditions",
    "delivery",
    "language",
    "links",
    "measures",
    "naming",
    "outcomes",
    "page_match",
    "plans",
    "rehearsals",
    "rule_warnings",
    "say",
    "say_all",
    "spend",
    "targeting",
    "triggers",
]
