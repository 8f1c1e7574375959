"""Plans written, started, changed while they run, ended and copied."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db import IntegrityError, transaction

from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.delivery.channels import use_audience
from clabo.use.delivery.syncing.trouble import noted
from clabo.use.plans.calls import PlanCalls, Standing
from clabo.use.plans.content import PlanContent, Written, as_asked, check, of_plan, slug
from clabo.use.plans.models import AdPlan, PlanCreative, PlanLine
from clabo.use.plans.results import return_said
from clabo.use.plans.tasks import tell_later

MOST_PLANS = 500


def plan_of(site: Site, plan_id: int) -> AdPlan:
    """One of the site's; raises Problem."""
    found = AdPlan.objects.filter(site=site, pk=plan_id).select_related("channel", "aim", "site").first()
    if found is None:
        raise missing("plan")
    return found


def save_plan(site: Site, content: PlanContent, by: User | None, plan: AdPlan | None = None) -> AdPlan:
    """Write a plan down, or change one; raises Problem naming the field. A plan that runs goes on by its new terms."""
    written = check(site, content, plan)
    if plan is None and AdPlan.objects.filter(site=site).count() >= MOST_PLANS:
        raise Problem(f"A site has at most {MOST_PLANS} plans. Remove drafts first.", "name")
    if plan is not None and plan.state == AdPlan.State.ENDED:
        raise Problem("This plan has ended. Duplicate it, and start the copy.", status=409)
    if plan is not None and plan.state == AdPlan.State.RUNNING:
        _as_it_was_shown(plan, written)
    plan = plan or AdPlan(site=site, made_by=by)
    for name in (
        "name",
        "channel",
        "aim",
        "placements",
        "daily_budget",
        "highest_click",
        "cap",
        "first",
        "last",
        "sharing",
    ):
        setattr(plan, name, getattr(written, name))
    try:
        with transaction.atomic():
            if plan.state == AdPlan.State.RUNNING:
                plan.version += 1
            plan.save()
            plan.left_out.set(written.left_out)
            _keep_parts(plan, written)
            if plan.state == AdPlan.State.RUNNING:
                give_audiences(plan, written, by)
    except IntegrityError:
        raise Problem("Another plan has this name.", "name") from None
    if plan.state == AdPlan.State.RUNNING:
        tell(plan)
    return plan


def _as_it_was_shown(plan: AdPlan, written: Written) -> None:
    """What has been shown stays under its name; raises Problem."""
    if plan.channel_id != written.channel.pk or plan.aim_id != written.aim.pk:
        raise Problem("A plan that runs keeps its channel and its aim. End it, and copy it.", "channel", 409)
    if not {c.key for c in plan.creatives.all()} <= {c.key for c in written.creatives}:
        raise Problem(
            "What was shown stays as it is, else its numbers would be another’s. Add a creative beside it.",
            "creatives",
            409,
        )
    lines = {line.key: line for line in written.lines}
    for line in plan.lines.all():
        kept = lines.get(line.key)
        same = kept is not None and (not line.seek or (kept.seek and line.seek == kept.seek.model_dump()))
        if not same:
            raise Problem(
                "To whom it was shown stays. Add an audience beside it, or leave some out.", "lines", 409
            )
    if plan.first != written.first:
        raise Problem("It has begun: its first day stays.", "first", 409)


def _keep_parts(plan: AdPlan, written: Written) -> None:
    plan.lines.exclude(key__in=[line.key for line in written.lines]).delete()
    for place, line in enumerate(written.lines):
        PlanLine.objects.update_or_create(
            plan=plan,
            key=line.key,
            defaults={
                "place": place,
                "audience": line.audience,
                "seek": line.seek.model_dump() if line.seek else None,
                "share": line.share,
            },
        )
    plan.creatives.exclude(key__in=[c.key for c in written.creatives]).delete()
    for place, c in enumerate(written.creatives):
        words = {
            name: getattr(c, name) for name in ("headline", "text", "button", "picture", "landing", "share")
        }
        PlanCreative.objects.update_or_create(plan=plan, key=c.key, defaults={"place": place, **words})


def give_audiences(plan: AdPlan, written: Written, by: User | None) -> None:
    """Have its channel given all audiences that it names; raises Problem."""
    those = [line.audience for line in written.lines if line.audience] + written.left_out
    for audience in those:
        use_audience(audience, plan.channel, by)


def start(plan: AdPlan, by: User | None) -> AdPlan:
    """Have it run: its audiences go to the channel, and the channel hears of it; raises Problem.

    Where the channel cannot be reached it is told as soon as it can be.
    """
    if plan.state != AdPlan.State.DRAFT:
        raise Problem("This plan has begun already.", status=409)
    written = of_plan(plan)
    if lacks := written.missing():
        raise Problem(lacks[1], lacks[0])
    today = datetime.now(UTC).date()
    if plan.last and plan.last < today:
        raise Problem("Its last day is over. Give it another.", "last")
    with transaction.atomic():
        give_audiences(plan, written, by)
        plan.campaign = f"{slug(plan.name, (), 80)}-{plan.pk}"
        plan.state, plan.started_at, plan.version = AdPlan.State.RUNNING, datetime.now(UTC), 1
        plan.first = plan.first or today
        plan.save()
    tell(plan)
    return plan


def end(plan: AdPlan) -> AdPlan:
    """Show it no more; raises Problem. Where the channel cannot be reached it is told as soon as it can be."""
    if plan.state != AdPlan.State.RUNNING:
        raise Problem("This plan does not run.", status=409)
    plan.state, plan.ended_at = AdPlan.State.ENDED, datetime.now(UTC)
    plan.version += 1
    plan.save(update_fields=["state", "ended_at", "version"])
    tell(plan)
    return plan


def copy(plan: AdPlan, by: User | None) -> AdPlan:
    """The same as a new draft, that begins when it is started."""
    written = of_plan(plan)
    with transaction.atomic():
        names = AdPlan.objects.filter(site=plan.site).values_list("name", flat=True)
        made = AdPlan(
            site=plan.site,
            channel=plan.channel,
            name=_copied_name(plan.name, set(names)),
            aim=plan.aim,
            placements=plan.placements,
            daily_budget=plan.daily_budget,
            highest_click=plan.highest_click,
            cap=plan.cap,
            sharing=plan.sharing,
            made_by=by,
        )
        made.save()
        made.left_out.set(written.left_out)
        _keep_parts(made, written)
    return made


def _copied_name(name: str, taken: set[str]) -> str:
    number, found = 1, name
    while found in taken:
        number += 1
        found = f"{name[:72]}, {number}"
    return found


def remove(plan: AdPlan) -> None:
    """Delete a draft, until it is restored; raises Problem: what has run stays, for its numbers' sake."""
    if plan.state != AdPlan.State.DRAFT:
        raise Problem("What has run stays, for its numbers. End it instead.", status=409)
    plan.deleted_at = datetime.now(UTC)
    plan.save(update_fields=["deleted_at"])


def tell(plan: AdPlan) -> bool:
    """Let the channel know how the plan is to go on now; whether it has been told. If not, the minute's look tries again."""
    version = plan.version
    try:
        with noted(plan.channel):
            if standing := _said(plan):
                store_standing(plan, standing)
    except (Away, Declined) as error:
        plan.failure = error.why[:300]
        plan.save(update_fields=["failure"])
        tell_later(plan)
        return False
    plan.told_version, plan.failure = version, ""
    plan.save(update_fields=["told_version", "failure"])
    return True


def _said(plan: AdPlan) -> Standing | None:
    calls = PlanCalls(plan.channel)
    if plan.state == AdPlan.State.RUNNING:
        lists = dict(plan.channel.uses.values_list("audience", "key"))
        return calls.put(plan.key, as_asked(of_plan(plan), plan.campaign, datetime.now(UTC).date(), lists))
    return calls.end(plan.key)


def store_standing(plan: AdPlan, standing: Standing) -> None:
    """Keep how the channel says that the plan stands."""
    plan.told, plan.told_at = standing.model_dump(mode="json"), datetime.now(UTC)
    plan.save(update_fields=["told", "told_at"])


def look(plan: AdPlan) -> None:
    """Ask the channel how the plan stands; raises Away and Declined."""
    with noted(plan.channel):
        store_standing(plan, PlanCalls(plan.channel).read(plan.key))
    if (said := return_said(plan)) != plan.return_said:
        plan.return_said = said
        plan.save(update_fields=["return_said"])
