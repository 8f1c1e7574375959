"""The shapes of Today in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from ninja import Schema

from clabo.conversions.schemas import ChangeOut
from clabo.install.coverage import Covered
from clabo.reports.yesterday import Yesterday
from clabo.shapes import IntervalOut, known_interval
from clabo.splits.results import Result
from clabo.splits.schemas import VerdictOut, verdict_out

MOST_NAMED = 20


class NamedPage(Schema):
    host: str
    path: str
    # Views a day as it was, and when the tag was last heard; missing where it goes on.
    per_day: float | None
    stopped_at: datetime | None


class QuietOut(Schema):
    id: int
    name: str
    per_day: float
    last_at: datetime


class SplitTestNote(Schema):
    id: int
    name: str
    category: str
    visitors: int
    verdict: VerdictOut


class PageNote(Schema):
    """A finding among the landing pages of the last 28 days."""

    kind: Literal["loses_money", "earns", "converts_badly"]
    page_id: int
    path: str
    spend: Decimal
    revenue: Decimal
    profit: Decimal
    roas_interval: IntervalOut | None
    entries: int
    converted: int
    conversion_rate: IntervalOut | None
    lost: float
    # The conversion that the page is judged by, and the rate of all pages that are there for it.
    counting: str
    category: str
    together: float | None
    # It is the page's own goal; otherwise the page has none that its visits name.
    own_goal: bool


class ChangedRule(ChangeOut):
    id: int
    name: str


class LedBackNote(Schema):
    """A variant of a running test whose page leads back to its control."""

    test: int
    name: str
    control: str
    path: str
    times: int
    last_at: datetime | None


class SuspectNote(Schema):
    """Something of the last week that looks made up, and what of it could be set aside."""

    kind: Literal["values", "beyond", "pages", "one_network", "visits", "conversions"]
    count: int
    usual: float | None
    counting: str | None
    value: Decimal | None
    order: str
    network: str
    visitor_id: int | None
    from_at: datetime | None
    until_at: datetime | None


class RefusedHostNote(Schema):
    host: str
    count: int
    last_at: datetime


class CountOut(Schema):
    """A count of the day, and the range in which it usually falls."""

    # Nothing for visits.
    id: int | None
    name: str
    count: int
    usual: IntervalOut | None


class YesterdayOut(Schema):
    day: date
    days: int
    away: bool
    counts: list[CountOut]


class RailOut(Schema):
    """The state of each section; `to_mend` and `broken_tests` as of a minute or two ago."""

    to_mend: int
    broken_tests: int
    pages: int
    stopped_pages: int
    last_hit_at: datetime | None
    conversions: int
    audiences: int
    running_tests: int


class TodayOut(Schema):
    to_mend: int
    now: datetime
    first_at: datetime | None
    last_at: datetime | None
    rules: int
    has_spend: bool
    silent_since: datetime | None
    late_since: datetime | None
    set_aside: int
    # Stages after storing that have failed and are tried again.
    owed: int
    # Hosts that have the tag and are none of the site's.
    refused_hosts: list[RefusedHostNote]
    suspect: list[SuspectNote]
    # At most twenty of each are named.
    stopped: list[NamedPage]
    stopped_total: int
    twice: list[NamedPage]
    twice_total: int
    quiet: list[QuietOut]
    broken: list[SplitTestNote]
    led_back: list[LedBackNote]
    spend_until: date | None
    spend_overdue: bool
    spend_total: Decimal
    # What joined no visit, where it is more than a trifle.
    spend_unjoined: Decimal
    decided: list[SplitTestNote]
    overdue: list[SplitTestNote]
    findings: list[PageNote]
    # In which money, and from which return ads pay for themselves.
    currency: str
    has_margin: bool
    break_even_roas: float
    changed: list[ChangedRule]
    yesterday: YesterdayOut | None


def test_note(r: Result) -> SplitTestNote:
    return SplitTestNote(
        id=r.test.pk,
        name=r.test.name,
        category=r.test.rule.category,
        visitors=sum(a.counts.trials for a in r.arms),
        verdict=verdict_out(r),
    )


def named_pages(pages: Sequence[Covered]) -> list[NamedPage]:
    return [
        NamedPage(host=c.host, path=c.path, per_day=c.per_day, stopped_at=c.stopped_at)
        for c in pages[:MOST_NAMED]
    ]


def yesterday_out(y: Yesterday) -> YesterdayOut:
    counts = [
        CountOut(
            id=c.rule.pk if c.rule else None,
            name=c.rule.name if c.rule else "visits",
            count=c.count,
            usual=known_interval(c.usual),
        )
        for c in y.counts
    ]
    return YesterdayOut(day=y.day, days=y.days, away=y.away, counts=counts)
