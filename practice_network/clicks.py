"""Clicks, what they cost, and the conversions that are reported for them."""

from __future__ import annotations

import secrets
import sqlite3
import time
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Literal
from urllib.parse import parse_qsl, urlencode, urlsplit, urlunsplit

# The parameter of a link that carries the click, and the source that its links name.
CLICK_PARAMETER = "practiceclid"
SOURCE = "practice"
MILLION = 1_000_000
# It counts a conversion for a click of at most so many days before.
WINDOW_DAYS = 7
# And hears of none that is older.
OLDEST_DAYS = 90

Reason = Literal["click_unknown", "before_click", "too_old", "in_the_future", "currency"]


@dataclass(frozen=True, slots=True)
class Ad:
    """What was shown: campaign, ad group, ad, and the address it leads to."""

    campaign: str
    ad_group: str
    ad: str
    landing: str


@dataclass(frozen=True, slots=True)
class Reported:
    """What somebody's site says of one conversion now; a later revision takes the place of an earlier one."""

    name: str
    event: str
    revision: int
    click: str
    at: float
    value: Decimal | None
    currency: str
    withdrawn: bool


@dataclass(frozen=True, slots=True)
class SpendRow:
    """An ad on a day, with the network's own count: conversions of the clicks of that day, and of those who only saw it."""

    day: date
    ad: Ad
    impressions: int
    clicks: int
    cost: Decimal
    conversions: int
    value: Decimal
    view_conversions: int


def show(db: sqlite3.Connection, ad: Ad, day: date, impressions: int, clicks: int, cost: Decimal) -> None:
    """Add to an ad's day."""
    db.execute(
        "INSERT INTO days VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET "
        "impressions = impressions + excluded.impressions, clicks = clicks + excluded.clicks, cost = cost + excluded.cost",
        (
            day.isoformat(),
            ad.campaign,
            ad.ad_group,
            ad.ad,
            ad.landing,
            impressions,
            clicks,
            int(cost * MILLION),
        ),
    )


@dataclass(frozen=True, slots=True)
class Who:
    """Who clicked, as the network tells people apart, and by which plan."""

    plan: str
    segment: int
    band: int


def saw_and_converted(db: sqlite3.Connection, ad: Ad, day: date) -> None:
    """Somebody who saw the ad and did not click has come by themselves, and converted."""
    db.execute(
        "INSERT INTO seen_conversions VALUES (?, ?, ?, ?, ?, 1) ON CONFLICT DO UPDATE SET n = n + 1",
        (day.isoformat(), ad.campaign, ad.ad_group, ad.ad, ad.landing),
    )


def click(
    db: sqlite3.Connection,
    ad: Ad,
    cost: Decimal,
    at: datetime | None = None,
    who: Who | None = None,
    shown: int = 1,
) -> str:
    """Somebody clicks, having been shown the ad `shown` times since that was last said: the click's id."""
    at = at or datetime.now(UTC)
    day = at.date()
    click_id = secrets.token_hex(12)
    of = (who.plan, who.segment, who.band) if who else ("", None, None)
    db.execute(
        "INSERT INTO clicks VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (click_id, at.timestamp(), day.isoformat(), ad.campaign, ad.ad_group, ad.ad, ad.landing, *of),
    )
    show(db, ad, day, shown, 1, cost)
    return click_id


def link(ad: Ad, click_id: str) -> str:
    """Where a click leads: the ad's address as it is written, with what says where it comes from where it is not said."""
    parts = urlsplit(ad.landing)
    asked = parse_qsl(parts.query, keep_blank_values=True)
    said = {name.lower() for name, _ in asked}
    ours = {
        "utm_source": SOURCE,
        "utm_medium": "cpc",
        "utm_campaign": ad.campaign,
        "utm_term": ad.ad_group,
        "utm_content": ad.ad,
    }
    asked += [(name, value) for name, value in ours.items() if name not in said and value]
    asked.append((CLICK_PARAMETER, click_id))
    return urlunsplit(parts._replace(query=urlencode(asked)))


def report(db: sqlite3.Connection, one: Reported, currency: str) -> Reason | None:
    """Take in what is said of a conversion; None, or why it is not taken.

    The same revision once more, or an older one, changes nothing and is no error: whoever is not sure sends again.
    """
    now = time.time()
    if one.currency and one.currency != currency:
        return "currency"
    if one.at > now + 300:
        return "in_the_future"
    if one.at < now - OLDEST_DAYS * 86400:
        return "too_old"
    row = db.execute("SELECT at FROM clicks WHERE id = ?", (one.click,)).fetchone()
    if row is None:
        return "click_unknown"
    # Clocks differ by a moment.
    if one.at < row[0] - 60:
        return "before_click"
    db.execute(
        "INSERT INTO conversions VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (name, event) DO UPDATE SET "
        "revision = excluded.revision, click = excluded.click, at = excluded.at, value = excluded.value, "
        "currency = excluded.currency, withdrawn = excluded.withdrawn WHERE excluded.revision > revision",
        (
            one.name,
            one.event,
            one.revision,
            one.click,
            one.at,
            None if one.value is None else int(one.value * MILLION),
            one.currency,
            one.withdrawn,
        ),
    )
    return None


def spend(db: sqlite3.Connection, first: date, last: date) -> list[SpendRow]:
    """What was spent from day to day, the last included, and what came of it as the network counts."""
    days = (first.isoformat(), last.isoformat())
    rows = db.execute(
        """
        SELECT d.day, d.campaign, d.ad_group, d.ad, d.landing, d.impressions, d.clicks, d.cost,
               coalesce(c.n, 0), coalesce(c.value, 0), coalesce(s.n, 0)
        FROM days d LEFT JOIN seen_conversions s USING (day, campaign, ad_group, ad, landing) LEFT JOIN (
            SELECT k.day, k.campaign, k.ad_group, k.ad, k.landing, count(*) AS n, sum(coalesce(v.value, 0)) AS value
            FROM conversions v JOIN clicks k ON k.id = v.click
            WHERE NOT v.withdrawn AND v.at <= k.at + ? AND k.day BETWEEN ? AND ?
            GROUP BY 1, 2, 3, 4, 5
        ) c USING (day, campaign, ad_group, ad, landing)
        WHERE d.day BETWEEN ? AND ? ORDER BY 1, 2, 3, 4, 5
        """,
        (WINDOW_DAYS * 86400, *days, *days),
    )
    return [
        SpendRow(
            date.fromisoformat(day),
            Ad(campaign, group, ad, landing),
            impressions,
            clicks,
            Decimal(cost) / MILLION,
            n,
            Decimal(value) / MILLION,
            seen,
        )
        for day, campaign, group, ad, landing, impressions, clicks, cost, n, value, seen in rows
    ]
