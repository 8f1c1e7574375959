"""The practice network as one of Brackenhive's channels, and three plans that have run there."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any
from urllib.parse import urlsplit
from uuid import UUID

import msgspec
from django.conf import settings

from clabo.collect.ingest.beacon import Beacon, BeaconEvent, Envelope, check
from clabo.collect.ingest.directory import TagSite, tag_site
from clabo.demo import scenario
from clabo.demo.scenario import DemoPlan
from clabo.demo.simulator import AGENTS
from clabo.platform.accounts.models import User
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.adapters.calling import Away, Declined, call
from clabo.use.delivery.models import AdChannel, AudienceUse
from clabo.use.delivery.syncing import sending, spending, status
from clabo.use.plans import services
from clabo.use.plans.content import CreativeContent, LineContent, PlanContent, as_asked, of_plan, slug
from clabo.use.plans.models import AdPlan

NAME, SOURCE, CLICK_PARAMETER = "Practice network", "practice", "practiceclid"
REPORTED = ("starter_kit_order", "guide_lead")
# Longer than any plan of the demo has run.
DAYS = 61
# From a landing page to what it is there for.
WAYS = {"starter_kit_order": ("/order", "/order/thank-you"), "guide_lead": ("/guide/thank-you",)}


def run_plans(site: Site, now: datetime) -> list[Envelope]:
    """Where a practice network is served, have it a channel and the demo's plans have run there; the visits that came of them."""
    if not settings.CLABO_NETWORK_KEY:
        return []
    by = User.objects.get(email=scenario.PEOPLE[0][1])
    channel = _channel(site, by, now)
    try:
        status.ask(channel)
        found: list[Envelope] = []
        for said in scenario.PLANS:
            plan = _written(site, channel, said, by, now)
            for use in AudienceUse.objects.filter(channel=channel, done_at=None).select_related("channel"):
                sending.deliver(use)
            found += _visits(tag_site(site), said.aim, _history(channel, plan, said))
    except (Away, Declined):
        # Without the network the demo has none of its plans.
        AdPlan.objects.filter(site=site).delete()
        return []
    return sorted(found, key=lambda e: e.received_ms)


def read_back(site: Site, now: datetime) -> None:
    """What the plans cost, as the network says."""
    for channel in AdChannel.objects.filter(site=site, kind=AdChannel.Kind.HTTP):
        today = now.astimezone(site.zone).date()
        spending.read_spend(channel, today - timedelta(days=DAYS), today - timedelta(days=1))
        for plan in AdPlan.objects.filter(channel=channel).select_related("channel"):
            services.look(plan)


def _channel(site: Site, by: User, now: datetime) -> AdChannel:
    channel = AdChannel.objects.create(
        site=site,
        name=NAME,
        kind=AdChannel.Kind.HTTP,
        source=SOURCE,
        click_parameter=CLICK_PARAMETER,
        base_url=settings.CLABO_NETWORK_URL,
        secret=settings.CLABO_NETWORK_KEY,
        agreed_by=by,
        agreed_at=now,
    )
    channel.rules.set(ConversionRule.objects.filter(site=site, name__in=REPORTED))
    AdChannel.objects.filter(pk=channel.pk).update(since=now - timedelta(days=DAYS))
    channel.refresh_from_db()
    return channel


def _written(site: Site, channel: AdChannel, said: DemoPlan, by: User, now: datetime) -> AdPlan:
    """The plan as somebody has started it so many days ago, which the service rightly does not offer."""
    ids = dict(Audience.objects.filter(site=site).values_list("name", "pk"))
    lines = [LineContent(ids[name]) for name in said.audiences] or [LineContent(seek=said.seek)]
    content = PlanContent(
        said.name,
        channel.pk,
        ConversionRule.objects.get(site=site, name=said.aim).pk,
        lines,
        [ids[name] for name in said.left_out],
        [CreativeContent(headline, page, text, button) for headline, text, button, page in said.creatives],
        [],
        said.daily_budget,
        said.highest_click,
        said.cap,
        sharing="shared" if said.shared else "fixed",
    )
    plan = services.save_plan(site, content, by)
    began = now - timedelta(days=said.days)
    plan.campaign = f"{slug(plan.name, (), 80)}-{plan.pk}"
    plan.state, plan.started_at, plan.first = AdPlan.State.RUNNING, began, began.astimezone(UTC).date()
    plan.version = plan.told_version = 1
    plan.save()
    services.give_audiences(plan, of_plan(plan), by)
    return plan


def _history(channel: AdChannel, plan: AdPlan, said: DemoPlan) -> list[dict[str, Any]]:
    lists: dict[int, UUID] = dict(channel.uses.values_list("audience", "key"))
    asked = as_asked(of_plan(plan), plan.campaign, plan.first or datetime.now(UTC).date(), lists)
    answer = call(
        channel.base_url,
        channel.secret,
        "POST",
        f"/practice/history/{plan.key}",
        {"plan": asked, "days": said.days, "seed": len(said.name)},
        most=120.0,
    )
    return list(answer.json["visitors"])


def _visits(site: TagSite, aim: str, visitors: list[dict[str, Any]]) -> list[Envelope]:
    """Each visitor as their requests: the page that the ad leads to, and further where they go through."""
    chance, found = Random(len(visitors)), []
    for who in visitors:
        at = datetime.fromisoformat(who["at"])
        visitor = f"{chance.getrandbits(128):032x}"
        device = chance.choice(["phone", "phone", "desktop"])
        ways: tuple[str, ...] = WAYS[aim] if who["through"] else ()
        urls = [who["link"], *(f"https://{scenario.HOST}{path}" for path in ways)]
        for place, url in enumerate(urls):
            page = scenario.BY_PATH[urlsplit(url).path]
            person: dict[Any, str] = {"email": who["hash"]} if page.path in scenario.STATING else {}
            event = BeaconEvent(
                id=f"{chance.getrandbits(128):032x}",
                kind="view",
                age=0,
                url=url,
                title=page.title,
                person=person,
            )
            body = msgspec.json.encode(Beacon(visitor, device, [event]))  # type: ignore[arg-type]
            check(body, site)
            moment = at + timedelta(seconds=50 * place)
            found.append(Envelope(site.id, round(moment.timestamp() * 1000), AGENTS[device], body))
    return found
