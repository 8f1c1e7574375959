"""A plan that has run for a while: so that there is something to look at in a moment, not in two months."""

from __future__ import annotations

import sqlite3
from urllib.parse import parse_qs, urlsplit

import numpy as np

from practice_network import plans
from practice_network.clicks import CLICK_PARAMETER
from practice_network.plans import Plan
from practice_network.running import Clicked, go_on

# What is told of meanwhile is named so, and forgotten in the end: the site that it is led to tells of it itself.
_NAME = "history"


def run(db: sqlite3.Connection, plan_id: str, plan: Plan, days: int, now: float, seed: int) -> list[Clicked]:
    """Have the plan begin so many days ago, and be told each day of whoever went through; whom it led where, in order of time."""
    plans.put(db, plan_id, plan, now - days * 86400)
    found = go_on(db, now, np.random.default_rng(seed), days * 24.0 + 1, plan_id, _tell)
    db.execute("DELETE FROM conversions WHERE name = ?", (_NAME,))
    return sorted(found, key=lambda who: who.at)


def _tell(db: sqlite3.Connection, those: list[Clicked]) -> None:
    for who in those:
        click = parse_qs(urlsplit(who.link).query).get(CLICK_PARAMETER)
        if click and who.through:
            db.execute(
                "INSERT OR IGNORE INTO conversions VALUES (?, ?, 1, ?, ?, NULL, '', 0)",
                (_NAME, click[0], click[0], who.at),
            )
