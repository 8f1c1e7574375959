"""Reads of plans."""

from __future__ import annotations

from contextlib import suppress

from clabo.collect.events.intake.wanted import Wanted, ad
from clabo.core.pages.addresses import AddressError
from clabo.setup.sites.models import Site
from clabo.use.plans.models import AdPlan
from clabo.use.plans.results import Summary, summaries

_ORDER = {AdPlan.State.RUNNING: 0, AdPlan.State.DRAFT: 1, AdPlan.State.ENDED: 2}


def plans_of(site: Site) -> list[tuple[AdPlan, Summary | None]]:
    """The site's plans, those that run first, each with what came of it; drafts have nothing yet."""
    found = AdPlan.objects.filter(site=site).select_related("channel", "aim", "site")
    rows = found.prefetch_related("lines__audience", "creatives").order_by("-pk")
    plans = sorted(rows, key=lambda p: _ORDER[AdPlan.State(p.state)])
    begun = [plan for plan in plans if plan.state != AdPlan.State.DRAFT]
    brought = dict(zip((plan.pk for plan in begun), summaries(site, begun), strict=True))
    return [(plan, brought.get(plan.pk)) for plan in plans]


def running(site: Site) -> int:
    """How many of the site's plans run."""
    return AdPlan.objects.filter(site=site, state=AdPlan.State.RUNNING).count()


def wanted_by_plans(site_id: int, wanted: Wanted) -> None:
    """Where creatives of plans lead, and the ads that they are there."""
    site = Site.objects.get(pk=site_id)
    for plan in AdPlan.objects.filter(site=site).select_related("channel"):
        creatives = list(plan.creatives.values_list("key", "landing"))
        for _, landing in creatives:
            with suppress(AddressError):
                wanted.pages.add(site.page_reading.page(landing))
        for line in plan.lines.values_list("key", flat=True):
            wanted.ads |= {ad(plan.channel.source, plan.campaign, line, key) for key, _ in creatives}
