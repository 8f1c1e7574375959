"""Reads of plans."""

from __future__ import annotations

from clabo.plans.models import AdPlan
from clabo.plans.results import Results, results
from clabo.sites.models import Site

_ORDER = {AdPlan.State.RUNNING: 0, AdPlan.State.DRAFT: 1, AdPlan.State.ENDED: 2}


def plans_of(site: Site) -> list[tuple[AdPlan, Results | None]]:
    """The site's plans, those that run first, each with what came of it; drafts have nothing yet."""
    found = AdPlan.objects.filter(site=site).select_related("channel", "aim", "site")
    rows = found.prefetch_related("lines__audience", "creatives").order_by("-pk")
    return [
        (plan, None if plan.state == AdPlan.State.DRAFT else results(plan))
        for plan in sorted(rows, key=lambda p: _ORDER[AdPlan.State(p.state)])
    ]


def running(site: Site) -> int:
    """How many of the site's plans run."""
    return AdPlan.objects.filter(site=site, state=AdPlan.State.RUNNING).count()
