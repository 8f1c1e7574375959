"""Today: what asks for somebody, as JSON. The interface words it."""

from __future__ import annotations

from typing import Any, cast

from django.http import HttpRequest
from ninja import Router

from clabo.collect.events.models import Page
from clabo.core.money.returns import break_even
from clabo.judge.decisions.models import Decision
from clabo.judge.decisions.services import answer, take_back
from clabo.judge.reports.today.nav_badges import nav_badges, store_badges
from clabo.judge.reports.today.outcomes import outcomes
from clabo.judge.reports.today.queries import audience_key, today
from clabo.judge.reports.today.schemas import (
    AnswerIn,
    AudienceNote,
    ChangedRule,
    ChannelNote,
    DecisionOut,
    HindranceNote,
    LedBackNote,
    QuietOut,
    RailOut,
    RefusedHostNote,
    SuspectNote,
    TodayOut,
    decision_out,
    move_note,
    named_pages,
    page_note,
    test_note,
    yesterday_out,
)
from clabo.judge.reports.today.standing import note_said
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.problems import Problem
from clabo.platform.wording.delivery import reason_words
from clabo.setup.conversions.schemas import change_out
from clabo.setup.sites.access import site_for
from clabo.use.spend.schemas import budget_out

router = Router(tags=["reports"])


@router.get("/sites/{int:site_id}/today", response=TodayOut)
def get_today(request: HttpRequest, site_id: int) -> TodayOut:
    site = site_for(request, site_id)
    t = today(site)
    m = t.mend
    store_badges(site, m)
    note_said(site, t.said, [f.key for f in t.findings], t.holding, t.now)
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
        broken=[test_note(r, t.stakes) for r in m.broken],
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
        hindered=[
            HindranceNote(
                test=u.variant.test_id,
                name=u.variant.test.name,
                path=u.variant.path,
                letter=u.variant.letter,
                why=cast(Any, u.why),
                selector=u.selector,
                times=u.times,
                last_at=u.last_at,
            )
            for u in m.hindered
        ],
        budgets=[budget_out(each) for each in m.budgets],
        channels=[
            ChannelNote(
                id=c.channel.pk,
                name=c.channel.name,
                failing_since=c.channel.failing_since,
                failure=c.channel.failure,
                sent=c.feedback.sent,
                taken=c.feedback.taken,
                refused=c.feedback.refused,
                waiting=c.feedback.waiting,
                oldest_waiting=c.feedback.oldest_waiting,
                reason=reason_words(c.feedback.reasons[0][0]) if c.feedback.reasons else "",
                not_removed=c.not_removed,
                not_removed_why=reason_words(c.not_removed_why),
            )
            for c in m.channels
        ],
        spend_until=m.spend.last_day,
        spend_overdue=m.spend.overdue,
        spend_total=m.spend.total,
        spend_unjoined=m.spend.unjoined,
        decided=[test_note(r, t.stakes) for r in t.decided],
        overdue=[test_note(r, t.stakes) for r in t.overdue],
        findings=[
            page_note(f, f.row.page, t.stakes, t.said.get(f.key, t.now)) for f in t.findings if f.row.page
        ],
        move=move_note(t.move, t.stakes) if t.move else None,
        unused=AudienceNote(
            key=audience_key(t.unused),
            id=t.unused.audience.pk,
            name=t.unused.audience.name,
            people=t.unused.people,
        )
        if t.unused
        else None,
        currency=site.currency,
        has_margin=site.margin is not None,
        break_even_roas=break_even(site.margin),
        changed=[ChangedRule(id=v.rule_id, name=v.rule.name, **change_out(v).dict()) for v in t.changed],
        yesterday=yesterday_out(t.yesterday) if t.yesterday else None,
    )


@router.get("/sites/{int:site_id}/rail", response=RailOut)
def get_rail(request: HttpRequest, site_id: int) -> RailOut:
    r = nav_badges(site_for(request, site_id))
    return RailOut(
        to_mend=r.mending.to_mend,
        broken_tests=r.mending.broken_tests,
        **{n: getattr(r, n) for n in RailOut.model_fields if n not in ("to_mend", "broken_tests")},
    )


@router.get("/sites/{int:site_id}/decisions", response=list[DecisionOut], openapi_extra=FILES)
@as_table("Decisions", DecisionOut)
def get_decisions(request: HttpRequest, site_id: int) -> list[DecisionOut]:
    site = site_for(request, site_id)
    found = outcomes(site)
    pages = {s.page_id for _, came in found for s in came}
    paths = dict(Page.objects.filter(site=site, pk__in=pages).values_list("id", "path"))
    return [decision_out(d, came, paths) for d, came in found]


@router.post("/sites/{int:site_id}/decisions", response=DecisionOut)
def decide(request: HttpRequest, site_id: int, data: AnswerIn) -> DecisionOut:
    site = site_for(request, site_id, Role.EDITOR)
    now = today(site)
    about = now.about.get(data.key)
    if about is None:
        raise Problem("This is not proposed any more. Open Today anew.", "key", 409)
    how, by = Decision.Answer(data.answer), person(request)
    gain = now.move.gain_a_day if now.move and now.move.key == data.key else None
    made = answer(site, data.key, about, how, by, data.days, data.reason, gain)
    return decision_out(made, [], {})


@router.delete("/sites/{int:site_id}/decisions/{int:decision_id}", response={204: None})
def take_back_decision(request: HttpRequest, site_id: int, decision_id: int) -> tuple[int, None]:
    take_back(site_for(request, site_id, Role.EDITOR), decision_id)
    return 204, None
