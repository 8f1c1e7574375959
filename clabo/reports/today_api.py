"""Today: what asks for somebody, as JSON. The interface words it."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.conversions.schemas import change_out
from clabo.core.returns import break_even
from clabo.reports.rail import keep, rail
from clabo.reports.today import today
from clabo.reports.today_schemas import (
    ChangedRule,
    LedBackNote,
    PageNote,
    QuietOut,
    RailOut,
    RefusedHostNote,
    SuspectNote,
    TodayOut,
    named_pages,
    test_note,
    yesterday_out,
)
from clabo.shapes import finite, known_interval
from clabo.sites.access import site_for

router = Router(tags=["reports"])


@router.get("/sites/{int:site_id}/today", response=TodayOut)
def get_today(request: HttpRequest, site_id: int) -> TodayOut:
    site = site_for(request, site_id)
    t = today(site)
    m = t.mend
    keep(site, m)
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
        stopped=named_pages(m.stopped),
        stopped_total=len(m.stopped),
        twice=named_pages(m.twice),
        twice_total=len(m.twice),
        quiet=[
            QuietOut(id=q.rule.pk, name=q.rule.name, per_day=q.per_day, last_at=q.last_at) for q in m.quiet
        ],
        broken=[test_note(r) for r in m.broken],
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
        decided=[test_note(r) for r in t.decided],
        overdue=[test_note(r) for r in t.overdue],
        findings=[
            PageNote(
                kind=f.finding.kind,
                page_id=f.row.page.pk,
                path=f.row.page.path,
                spend=round(f.row.spend, 2),
                revenue=round(f.row.revenue, 2),
                profit=round(f.finding.profit, 2),
                roas_interval=known_interval(f.row.roas_interval),
                entries=f.row.entries,
                converted=f.row.converted,
                conversion_rate=known_interval(f.row.conversion_rate),
                lost=f.finding.lost,
                counting=f.rule.name,
                category=f.rule.category,
                own_goal=f.own,
                together=finite(f.together),
            )
            for f in t.findings
            if f.row.page
        ],
        currency=site.currency,
        has_margin=site.margin is not None,
        break_even_roas=break_even(site.margin),
        changed=[ChangedRule(id=v.rule_id, name=v.rule.name, **change_out(v).dict()) for v in t.changed],
        yesterday=yesterday_out(t.yesterday) if t.yesterday else None,
    )


@router.get("/sites/{int:site_id}/rail", response=RailOut)
def get_rail(request: HttpRequest, site_id: int) -> RailOut:
    r = rail(site_for(request, site_id))
    return RailOut(
        to_mend=r.mending.to_mend,
        broken_tests=r.mending.broken_tests,
        **{n: getattr(r, n) for n in RailOut.model_fields if n not in ("to_mend", "broken_tests")},
    )
