"""Rehearsals of conversions."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts.access import person
from clabo.accounts.models import Role
from clabo.conversions.queries import rule_of
from clabo.rehearsals import services as rehearsing
from clabo.rehearsals.models import Rehearsal
from clabo.sites.access import site_for
from clabo.sites.models import Site

router = Router(tags=["rehearsals"])


class LineOut(Schema):
    should: Literal["fire", "silent"]
    says: str
    # The address that opens the page inside the rehearsal; empty where any page will do.
    link: str
    status: Literal["passed", "failed", "untried"]
    reason: str


class RehearsedRule(Schema):
    rule: int
    name: str
    sentence: str
    lines: list[LineOut]


class RehearsalShort(Schema):
    id: int
    started_at: datetime
    ended_at: datetime | None
    started_by: str
    by_itself: bool
    names: list[str]
    passed: int
    failed: int
    untried: int


class RehearsalOut(RehearsalShort):
    link: str
    hits: int
    rules: list[RehearsedRule]


class RehearsalIn(Schema):
    # One conversion, or all of the site's.
    rule_id: int | None = None


class StepsIn(Schema):
    steps: str = Field(max_length=20_000)


class StepsOut(Schema):
    steps: str


def _short(rehearsal: Rehearsal) -> RehearsalShort:
    stands = rehearsing.lines_so_far(rehearsal)
    return RehearsalShort(
        id=rehearsal.pk,
        started_at=rehearsal.started_at,
        ended_at=rehearsal.ended_at,
        started_by=str(rehearsal.started_by or ""),
        by_itself=rehearsal.by_itself,
        names=[c.name for c in stands],
        **rehearsing.counts(stands),
    )


def _out(site: Site, rehearsal: Rehearsal) -> RehearsalOut:
    return RehearsalOut(
        **_short(rehearsal).dict(),
        link=rehearsing.link(site, rehearsal, ""),
        hits=len(rehearsing.hits_of(rehearsal)),
        rules=[
            RehearsedRule(
                rule=c.rule_id,
                name=c.name,
                sentence=c.sentence,
                lines=[
                    LineOut(
                        should=line.should,
                        says=line.says,
                        link=rehearsing.link(site, rehearsal, line.open),
                        status=came.status,
                        reason=came.reason,
                    )
                    for line, came in c.lines
                ],
            )
            for c in rehearsing.lines_so_far(rehearsal)
        ],
    )


@router.get("/sites/{int:site_id}/rehearsals", response=list[RehearsalShort])
def rehearsals(request: HttpRequest, site_id: int) -> list[RehearsalShort]:
    site = site_for(request, site_id)
    last = Rehearsal.objects.filter(site=site).select_related("started_by").order_by("-started_at")[:30]
    return [_short(r) for r in last]


@router.post("/sites/{int:site_id}/rehearsals", response=RehearsalOut)
def begin_rehearsal(request: HttpRequest, site_id: int, data: RehearsalIn) -> RehearsalOut:
    site = site_for(request, site_id, Role.EDITOR)
    rule = rule_of(site, data.rule_id) if data.rule_id is not None else None
    return _out(site, rehearsing.begin(site, person(request), rule))


@router.get("/sites/{int:site_id}/rehearsals/{int:rehearsal_id}", response=RehearsalOut)
def get_rehearsal(request: HttpRequest, site_id: int, rehearsal_id: int) -> RehearsalOut:
    site = site_for(request, site_id)
    return _out(site, rehearsing.rehearsal_of(site, rehearsal_id))


@router.post("/sites/{int:site_id}/rehearsals/{int:rehearsal_id}/end", response=RehearsalOut)
def end_rehearsal(request: HttpRequest, site_id: int, rehearsal_id: int) -> RehearsalOut:
    site = site_for(request, site_id, Role.EDITOR)
    rehearsal = rehearsing.rehearsal_of(site, rehearsal_id)
    rehearsing.end(rehearsal)
    return _out(site, rehearsal)


@router.get("/sites/{int:site_id}/conversions/{int:rule_id}/steps", response=StepsOut)
def get_steps(request: HttpRequest, site_id: int, rule_id: int) -> StepsOut:
    return StepsOut(steps=rehearsing.steps_of(rule_of(site_for(request, site_id), rule_id)))


@router.put("/sites/{int:site_id}/conversions/{int:rule_id}/steps", response=StepsOut)
def set_steps(request: HttpRequest, site_id: int, rule_id: int, data: StepsIn) -> StepsOut:
    rule = rule_of(site_for(request, site_id, Role.EDITOR), rule_id)
    rehearsing.save_steps(rule, data.steps)
    return StepsOut(steps=rehearsing.steps_of(rule))
