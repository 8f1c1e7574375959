"""Plans that run are looked after by the worker: told what they have not heard, and asked how they stand."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.db.models import F, Q

from clabo.platform.jobs.job import job
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.plans.models import AdPlan

# So often a plan is asked how it stands; once it has ended for some days, no more.
EVERY = timedelta(minutes=2)
AFTER = timedelta(days=8)


@job("a plan to its channel", queue="outside")
def tell(site_id: int, plan_id: int) -> None:
    """Let the channel know of a change, or ask how the plan stands. What stands in the way is written at the plan."""
    # The services have changes told at once, and this job have it done later.
    from clabo.use.plans import services

    plan = AdPlan.objects.filter(pk=plan_id, site=site_id).select_related("channel", "aim", "site").first()
    if plan is None or plan.state == AdPlan.State.DRAFT:
        return
    if plan.waits:
        services.tell(plan)
        return
    try:
        services.look(plan)
    except (Away, Declined):
        return


def tell_later(plan: AdPlan) -> None:
    """Have the channel told soon."""
    tell.later(once=f"plan-{plan.pk}", site_id=plan.site_id, plan_id=plan.pk)


@job("plans", every="* * * * *", queue="soon")
def plans() -> None:
    """Those that have something to say or were not asked for a while; not while their channel is left alone."""
    now = datetime.now(UTC)
    waits = ~Q(state=AdPlan.State.DRAFT) & Q(told_version__lt=F("version"))
    recent = Q(state=AdPlan.State.RUNNING) | Q(state=AdPlan.State.ENDED, ended_at__gt=now - AFTER)
    stale = recent & (Q(told_at=None) | Q(told_at__lt=now - EVERY))
    rests = Q(channel__rests_until__gt=now)
    for plan in AdPlan.objects.filter(waits | stale, channel__deleted_at=None).exclude(rests):
        tell_later(plan)
