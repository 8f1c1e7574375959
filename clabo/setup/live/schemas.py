"""The shapes of the live list in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal, cast

from clabo.collect.events.models import KIND_NAMES, Device, Event, TrafficClass
from clabo.core.rules import Kind
from clabo.platform.shapes import Shape
from clabo.setup.conversions import queries
from clabo.setup.conversions.schemas import ElementOut
from clabo.setup.live import queries as collected
from clabo.setup.sites.models import Site


class MetOut(Shape):
    id: int
    name: str
    counted: bool


class HitOut(Shape):
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
    # Which variants of split tests the tag says its page showed: test key to letter.
    variants: dict[str, str]
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


class RefusedOut(Shape):
    reason: str
    count: int


class NowOut(Shape):
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


class LiveOut(Shape):
    hits: list[HitOut]
    now: NowOut


class ConditionOut(Shape):
    """One condition of a rule held against one hit; `why_not` is empty where it is met."""

    reading: str
    why_not: str


class WhyOut(Shape):
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
            variants=h.variants or {},
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
