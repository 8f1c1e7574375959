"""Rehearsals of conversions."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.queries import rule_of
from clabo.setup.rehearsals import services as rehearsing
from clabo.setup.rehearsals.models import Rehearsal
from clabo.setup.rehearsals.schemas import (
    RehearsalIn,
    RehearsalOut,
    RehearsalShort,
    StepsIn,
    StepsOut,
    rehearsal_out,
    short_out,
)
from clabo.setup.sites.access import site_for

router = Router(tags=["rehearsals"])


@router.get("/sites/{int:site_id}/rehearsals", response=list[RehearsalShort])
def rehearsals(request: HttpRequest, site_id: int) -> list[RehearsalShort]:
    site = site_for(request, site_id)
    last = Rehearsal.objects.filter(site=site).select_related("started_by").order_by("-started_at")[:30]
    return [short_out(r) for r in last]


@router.post("/sites/{int:site_id}/rehearsals", response=RehearsalOut)
def begin_rehearsal(request: HttpRequest, site_id: int, data: RehearsalIn) -> RehearsalOut:
    site = site_for(request, site_id, Role.EDITOR)
    rule = rule_of(site, data.rule_id) if data.rule_id is not None else None
    return rehearsal_out(site, rehearsing.begin(site, person(request), rule))


@router.get("/sites/{int:site_id}/rehearsals/{int:rehearsal_id}", response=RehearsalOut)
def get_rehearsal(request: HttpRequest, site_id: int, rehearsal_id: int) -> RehearsalOut:
    site = site_for(request, site_id)
    return rehearsal_out(site, rehearsing.rehearsal_of(site, rehearsal_id))


@router.post("/sites/{int:site_id}/rehearsals/{int:rehearsal_id}/end", response=RehearsalOut)
def end_rehearsal(request: HttpRequest, site_id: int, rehearsal_id: int) -> RehearsalOut:
    site = site_for(request, site_id, Role.EDITOR)
    rehearsal = rehearsing.rehearsal_of(site, rehearsal_id)
    rehearsing.end(rehearsal)
    return rehearsal_out(site, rehearsal)


@router.get("/sites/{int:site_id}/conversions/{int:rule_id}/steps", response=StepsOut)
def get_steps(request: HttpRequest, site_id: int, rule_id: int) -> StepsOut:
    return StepsOut(steps=rehearsing.steps_of(rule_of(site_for(request, site_id), rule_id)))


@router.put("/sites/{int:site_id}/conversions/{int:rule_id}/steps", response=StepsOut)
def set_steps(request: HttpRequest, site_id: int, rule_id: int, data: StepsIn) -> StepsOut:
    rule = rule_of(site_for(request, site_id, Role.EDITOR), rule_id)
    rehearsing.save_steps(rule, data.steps)
    return StepsOut(steps=rehearsing.steps_of(rule))
