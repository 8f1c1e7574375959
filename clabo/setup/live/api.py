"""The live list: what came in, which rules each hit met, and why another was not."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from clabo.platform.problems import missing
from clabo.platform.wording.rules.language import check_reading, why_not
from clabo.setup.conversions import queries
from clabo.setup.live import queries as collected
from clabo.setup.live.schemas import ConditionOut, LiveOut, WhyOut, hits_out, now_out
from clabo.setup.sites.access import site_for

router = Router(tags=["live"])


@router.get("/sites/{int:site_id}/live", response=LiveOut)
def live(request: HttpRequest, site_id: int, visitor: int | None = None) -> LiveOut:
    site = site_for(request, site_id)
    return LiveOut(hits=hits_out(site, collected.live_hits(site, visitor=visitor)), now=now_out(site))


@router.get("/sites/{int:site_id}/live/{hit_id}/why", response=list[WhyOut])
def why(request: HttpRequest, site_id: int, hit_id: UUID) -> list[WhyOut]:
    site = site_for(request, site_id)
    hit = collected.hit(site, hit_id)
    if hit is None:
        raise missing("hit")
    counted = {m.id: m.counted for m in queries.rules_met(site, [hit]).get(hit.id, [])}
    told = [
        WhyOut(
            rule=rule.pk,
            name=rule.name,
            met=rule.pk in counted,
            counted=counted.get(rule.pk, False),
            checks=[
                ConditionOut(reading=check_reading(c), why_not=why_not(c))
                for c in queries.checks_of(rule, hit)
            ],
        )
        for rule in queries.rules_of(site)
    ]
    # What was met, and then what came nearest.
    return sorted(told, key=lambda w: (not w.met, sum(1 for c in w.checks if c.why_not), w.name))
