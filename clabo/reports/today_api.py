"""Today: what asks for somebody, as JSON. The interface words it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema

from clabo.conversions.api import ChangeOut, change_out
from clabo.core.returns import break_even
from clabo.install.coverage import Covered
from clabo.reports.api import IntervalOut, interval
from clabo.reports.mending import to_mend
from clabo.reports.today import today
from clabo.reports.yesterday import Yesterday
from clabo.sites.access import site_for
from clabo.splits.api import VerdictOut, verdict_out
from clabo.splits.results import Result

router = Router(tags=["reports"])
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


class TestNote(Schema):
    __test__ = False

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


class MendCount(Schema):
    """How many things there are to mend."""

    to_mend: int


class TodayOut(MendCount):
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
    broken: list[TestNote]
    led_back: list[LedBackNote]
    spend_until: date | None
    spend_overdue: bool
    spend_total: Decimal
    # What joined no visit, where it is more than a trifle.
    spend_unjoined: Decimal
    decided: list[TestNote]
    overdue: list[TestNote]
    findings: list[PageNote]
    # In which money, and from which return ads pay for themselves.
    currency: str
    has_margin: bool
    break_even_roas: float
    changed: list[ChangedRule]
    yesterday: YesterdayOut | None


def _note(r: Result) -> TestNote:
    return TestNote(
        id=r.test.pk,
        name=r.test.name,
        category=r.test.rule.category,
        visitors=sum(a.counts.trials for a in r.arms),
        verdict=verdict_out(r),
    )


def _named(pages: Sequence[Covered]) -> list[NamedPage]:
    return [
        NamedPage(host=c.host, path=c.path, per_day=c.per_day, stopped_at=c.stopped_at)
        for c in pages[:MOST_NAMED]
    ]


def _yesterday(y: Yesterday) -> YesterdayOut:
    counts = [
        CountOut(
            id=c.rule.pk if c.rule else None,
            name=c.rule.name if c.rule else "visits",
            count=c.count,
            usual=interval(c.usual),
        )
        for c in y.counts
    ]
    return YesterdayOut(day=y.day, days=y.days, away=y.away, counts=counts)


@router.get("/sites/{int:site_id}/today", response=TodayOut)
def get_today(request: HttpRequest, site_id: int) -> TodayOut:
    site = site_for(request, site_id)
    t = today(site)
    m = t.mend
    return TodayOut(
        now=t.now,
        to_mend=m.count,
        first_at=m.tag.first_at,
        last_at=m.tag.last_at,
        rules=t.rules,
        has_spend=m.spend.last_day is not None,
        silent_since=m.silent_since,
        late_since=m.late_since,
        set_aside=m.set_aside,
        owed=m.owed,
        refused_hosts=[
            RefusedHostNote(host=r.host, count=r.count, last_at=r.last_at) for r in m.tag.refused_hosts
        ],
        suspect=[
            SuspectNote(
                **{n: getattr(s, n) for n in SuspectNote.model_fields if n != "counting"},
                counting=s.rule.name if s.rule else None,
            )
            for s in t.suspect
        ],
        stopped=_named(m.stopped),
        stopped_total=len(m.stopped),
        twice=_named(m.twice),
        twice_total=len(m.twice),
        quiet=[
            QuietOut(id=q.rule.pk, name=q.rule.name, per_day=q.per_day, last_at=q.last_at) for q in m.quiet
        ],
        broken=[_note(r) for r in m.broken],
        led_back=[
            LedBackNote(
                test=v.test_id,
                name=v.test.name,
                control=v.test.variants.all()[0].path,
                path=v.path,
                times=v.led_back,
                last_at=v.led_back_at,
            )
            for v in m.led_back
        ],
        spend_until=m.spend.last_day,
        spend_overdue=m.spend.overdue,
        spend_total=m.spend.total,
        spend_unjoined=m.spend.unjoined,
        decided=[_note(r) for r in t.decided],
        overdue=[_note(r) for r in t.overdue],
        findings=[
            PageNote(
                kind=f.finding.kind,
                page_id=f.row.page.pk,
                path=f.row.page.path,
                spend=round(f.row.spend, 2),
                revenue=round(f.row.revenue, 2),
                profit=round(f.finding.profit, 2),
                roas_interval=interval(f.row.roas_interval),
                entries=f.row.entries,
                converted=f.row.converted,
                conversion_rate=interval(f.row.conversion_rate),
                lost=f.finding.lost,
                counting=f.rule.name,
                category=f.rule.category,
                own_goal=f.own,
                together=f.together if math.isfinite(f.together) else None,
            )
            for f in t.findings
            if f.row.page
        ],
        currency=site.currency,
        has_margin=site.margin is not None,
        break_even_roas=break_even(site.margin),
        changed=[ChangedRule(id=v.rule_id, name=v.rule.name, **change_out(v).dict()) for v in t.changed],
        yesterday=_yesterday(t.yesterday) if t.yesterday else None,
    )


@router.get("/sites/{int:site_id}/today/count", response=MendCount)
def count_to_mend(request: HttpRequest, site_id: int) -> MendCount:
    site = site_for(request, site_id)
    return MendCount(to_mend=to_mend(site, datetime.now(UTC)).count)
