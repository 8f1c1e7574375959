"""Plans: written with their effect beside them, started, read, changed, ended."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.problems import Problem
from clabo.setup.sites.access import site_for
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.delivery.channels import channel_of
from clabo.use.delivery.syncing.status import runs_plans
from clabo.use.plans import queries, services
from clabo.use.plans.calls import PlanCalls, Seek
from clabo.use.plans.content import check
from clabo.use.plans.effect import effect
from clabo.use.plans.results import results
from clabo.use.plans.schemas import (
    AdPlanIn,
    AdPlanOut,
    AdPlanRowOut,
    NewPeopleOut,
    PlanEffectOut,
    PlanResultsOut,
    SeekChoicesOut,
    SeekJson,
    choices_out,
    content_of,
    effect_out,
    new_people_out,
    plan_out,
    results_out,
    row_out,
)

router = Router(tags=["plans"])
HERE = "/sites/{int:site_id}/plans"
ONE = HERE + "/{int:plan_id}"
PEOPLE = "/sites/{int:site_id}/channels/{int:channel_id}/people"


@router.get(HERE, response=list[AdPlanRowOut], openapi_extra=FILES)
@as_table("Plans", AdPlanRowOut)
def ad_plans(request: HttpRequest, site_id: int) -> list[AdPlanRowOut]:
    return [row_out(p, r) for p, r in queries.plans_of(site_for(request, site_id))]


@router.post(HERE, response=AdPlanOut)
def make_plan(request: HttpRequest, site_id: int, data: AdPlanIn) -> AdPlanOut:
    site = site_for(request, site_id, Role.EDITOR)
    return plan_out(services.save_plan(site, content_of(data), person(request)))


@router.post(HERE + "/effect", response=PlanEffectOut)
def plan_effect(request: HttpRequest, site_id: int, data: AdPlanIn, plan: int | None = None) -> PlanEffectOut:
    """What it may bring; `plan` is the one that it is a change of."""
    site = site_for(request, site_id)
    kept = services.plan_of(site, plan) if plan is not None else None
    return effect_out(site, effect(check(site, content_of(data), kept), kept.pk if kept else None))


@router.get(ONE, response=AdPlanOut)
def ad_plan(request: HttpRequest, site_id: int, plan_id: int) -> AdPlanOut:
    return plan_out(services.plan_of(site_for(request, site_id), plan_id))


@router.put(ONE, response=AdPlanOut)
def change_plan(request: HttpRequest, site_id: int, plan_id: int, data: AdPlanIn) -> AdPlanOut:
    site = site_for(request, site_id, Role.EDITOR)
    plan = services.plan_of(site, plan_id)
    return plan_out(services.save_plan(site, content_of(data), person(request), plan))


@router.delete(ONE, response={204: None})
def remove_plan(request: HttpRequest, site_id: int, plan_id: int) -> tuple[int, None]:
    services.remove(services.plan_of(site_for(request, site_id, Role.EDITOR), plan_id))
    return 204, None


@router.post(ONE + "/start", response=AdPlanOut)
def start_plan(request: HttpRequest, site_id: int, plan_id: int) -> AdPlanOut:
    plan = services.plan_of(site_for(request, site_id, Role.EDITOR), plan_id)
    return plan_out(services.start(plan, person(request)))


@router.post(ONE + "/end", response=AdPlanOut)
def end_plan(request: HttpRequest, site_id: int, plan_id: int) -> AdPlanOut:
    return plan_out(services.end(services.plan_of(site_for(request, site_id, Role.EDITOR), plan_id)))


@router.post(ONE + "/copy", response=AdPlanOut)
def copy_plan(request: HttpRequest, site_id: int, plan_id: int) -> AdPlanOut:
    plan = services.plan_of(site_for(request, site_id, Role.EDITOR), plan_id)
    return plan_out(services.copy(plan, person(request)))


@router.post(ONE + "/look", response=PlanResultsOut)
def look_at_plan(request: HttpRequest, site_id: int, plan_id: int) -> PlanResultsOut:
    """Ask the channel at once how the plan stands."""
    plan = services.plan_of(site_for(request, site_id, Role.EDITOR), plan_id)
    try:
        services.look(plan)
    except (Away, Declined) as error:
        raise Problem(error.why, status=409) from None
    return results_out(plan, results(plan))


@router.get(ONE + "/results", response=PlanResultsOut)
def plan_results(request: HttpRequest, site_id: int, plan_id: int) -> PlanResultsOut:
    plan = services.plan_of(site_for(request, site_id), plan_id)
    return results_out(plan, results(plan))


@router.get(PEOPLE, response=SeekChoicesOut)
def seek_choices(request: HttpRequest, site_id: int, channel_id: int) -> SeekChoicesOut:
    """What new people can be sought by at a channel, and where it shows ads."""
    try:
        return choices_out(_calls(request, site_id, channel_id).choices())
    except (Away, Declined) as error:
        raise Problem(error.why, status=409) from None


@router.post(PEOPLE, response=NewPeopleOut)
def new_people(request: HttpRequest, site_id: int, channel_id: int, data: SeekJson) -> NewPeopleOut:
    """How many new people that is."""
    try:
        return new_people_out(_calls(request, site_id, channel_id).count(Seek(**data.model_dump())))
    except (Away, Declined) as error:
        raise Problem(error.why, status=409) from None


def _calls(request: HttpRequest, site_id: int, channel_id: int) -> PlanCalls:
    channel = channel_of(site_for(request, site_id), channel_id)
    if not runs_plans(channel):
        raise Problem("This channel runs no plans that are written here.", "channel", 404)
    return PlanCalls(channel)
