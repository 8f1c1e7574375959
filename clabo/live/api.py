"""The live list: what came in, which rules each hit met, and why another was not."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal, cast
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from clabo.accounts.problems import missing
from clabo.conversions import queries
from clabo.conversions.api import ElementOut
from clabo.core.rules import Kind
from clabo.events.models import KIND_NAMES, Device, Event, TrafficClass
from clabo.live import queries as collected
from clabo.sites.access import site_for
from clabo.sites.models import Site

router = Router(tags=["live"])


class MetOut(Schema):
    id: int
    name: str
    counted: bool


class HitOut(Schema):
    id: str
    time: datetime
    kind: Kind
    host: str
    path: str
    query: str
    title: str
    name: str
    element: ElementOut | None
    properties: dict[str, Any]
    visitor: str
    visitor_id: int
    # Missing where a server reports of somebody whose visit is not known.
    visit_number: int | None
    views: int
    channel: str
    source: str
    campaign: str
    device: Literal["desktop", "phone", "tablet"]
    standing: Literal["counted", "own", "bot", "rehearsal", "aside"]
    proven: bool
    met: list[MetOut]


class RefusedOut(Schema):
    reason: str
    count: int


class NowOut(Schema):
    """How hits arrive. `behind_seconds`: how long the oldest one that is not yet processed has waited."""

    last_minute: int
    behind_seconds: float
    set_aside: int
    accepted_today: int
    bots_today: int
    own_today: int
    rehearsed_today: int
    repeats_today: int
    refused_today: list[RefusedOut]


class LiveOut(Schema):
    hits: list[HitOut]
    now: NowOut


class ConditionOut(Schema):
    """One condition of a rule held against one hit; `why_not` is empty where it is met."""

    reading: str
    why_not: str


class WhyOut(Schema):
    rule: int
    name: str
    met: bool
    counted: bool
    checks: list[ConditionOut]


def hits_out(site: Site, hits: Sequence[Event]) -> list[HitOut]:
    """The hits as the API shows them."""
    met = queries.rules_met(site, hits)
    return [
        HitOut(
            id=h.id.hex,
            time=h.time,
            kind=cast(Kind, KIND_NAMES[h.kind]),
            host=h.page.host,
            path=h.page.path,
            query=h.query,
            title=h.page.title,
            name=h.name,
            element=None if h.element is None else ElementOut(**h.element.traits),
            properties=h.properties or {},
            visitor=h.visitor.key.hex[:6],
            visitor_id=h.visitor_id,
            visit_number=h.visit.number if h.visit else None,
            views=h.views,
            channel=h.visit.channel if h.visit else "",
            source=h.visit.origin.source if h.visit else "",
            campaign=h.visit.origin.campaign if h.visit else "",
            device=cast(Any, Device(h.visit.device if h.visit else h.device).label),
            standing=cast(
                Any, TrafficClass(h.visit.traffic_class if h.visit else h.traffic_class).name.lower()
            ),
            proven=h.proven,
            met=[MetOut(id=m.id, name=m.name, counted=m.counted) for m in met.get(h.id, [])],
        )
        for h in hits
    ]


def now_out(site: Site) -> NowOut:
    """The counts at the head of the list."""
    now = collected.arrivals(site)
    counts = {name: getattr(now, name) for name in NowOut.model_fields if name != "refused_today"}
    return NowOut(**counts, refused_today=[RefusedOut(reason=r, count=n) for r, n in now.refused_today])


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
            checks=[ConditionOut(reading=c.reading, why_not=c.why_not) for c in queries.checks_of(rule, hit)],
        )
        for rule in queries.rules_of(site)
    ]
    # What was met, and then what came nearest.
    return sorted(told, key=lambda w: (not w.met, sum(1 for c in w.checks if c.why_not), w.name))
