"""What the two ways of storing share: events and visits on their way in, and how a visit takes its hits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from clabo.collect.events.exclusions import InForce
from clabo.collect.events.intake import inventory
from clabo.collect.events.intake.allowance import Allowance
from clabo.collect.events.intake.inventory import Beginning
from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader, outside
from clabo.collect.events.models import KIND_NAMES, Kind, TrafficClass, Visit, fingerprint
from clabo.collect.events.storage.rollups import Changes
from clabo.core.pages.addresses import Campaign
from clabo.core.pages.visits import Hit, Stretch, is_interaction

_NEVER, _NO_DAY = datetime.min, date.min


@dataclass(slots=True)
class NewEvent:
    """A row of Event on its way in; a model instance costs more to make than to store."""

    site_id: int
    time: datetime
    id: UUID
    kind: int
    visitor_id: int
    page_id: int
    query: str
    referrer: str
    name: str
    properties: dict[str, object] | None
    element_id: int | None
    order: str
    received: datetime
    device: int
    traffic_class: int
    campaign: bool = False
    proven: bool = False
    reference: UUID | None = None
    variants: dict[str, str] | None = None
    via_id: int | None = None
    visit_id: int | None = None
    views: int = 0


@dataclass(slots=True)
class StoredEvent:
    """An event that was stored before, as far as stitching needs it."""

    time: datetime
    id: UUID
    kind: int
    page_id: int
    query: str
    referrer: str
    traits: Mapping[str, object]
    device: int
    traffic_class: int
    campaign: bool
    visit_id: int
    views: int
    visitor_id: int


@dataclass(slots=True)
class NewVisit:
    """A row of Visit on its way in. Its times, origin and device come with its first hits."""

    site_id: int
    visitor_id: int
    number: int
    id: int = 0
    started_at: datetime = _NEVER
    ended_at: datetime = _NEVER
    day: date = _NO_DAY
    entry_page_id: int | None = None
    exit_page_id: int | None = None
    views: int = 0
    interacted: bool = False
    conversions: int = 0
    origin_id: int = 0
    channel: str = ""
    campaign_fingerprint: str = ""
    sub_ids: dict[str, str] | None = None
    referrer: str = ""
    device: int = 0
    traffic_class: int = TrafficClass.COUNTED
    network: str = ""


AnyVisit = Visit | NewVisit


@dataclass(slots=True)
class Step:
    """An event on its way through stitching: new (with its parsed) or stored before."""

    event: StoredEvent | NewEvent
    campaign: Campaign
    parsed: ParsedEvent | None = None

    @property
    def place(self) -> tuple[datetime, bool, UUID]:
        """What the events of a visitor are put in order by (ParsedEvent.place)."""
        return self.event.time, self.event.kind != Kind.VIEW, self.event.id

    def traits(self) -> Mapping[str, object]:
        """What is known of the element that was acted on."""
        if self.parsed:
            return self.parsed.element or {}
        return self.event.traits if isinstance(self.event, StoredEvent) else {}


Pair = tuple[AnyVisit, Stretch[Step]]


def hashed(step: Step) -> Hit[Step]:
    """The hit with its campaign as a fingerprint, as visits keep it."""
    campaign = (fingerprint(*step.campaign.identity),) if step.campaign else None
    return Hit(step.event.time, campaign, step)


def identity_of(visit: Visit) -> tuple[str, ...] | None:
    """The same of a stored visit."""
    return (visit.campaign_fingerprint,) if visit.campaign_fingerprint else None


@dataclass(frozen=True, slots=True)
class Context:
    """What stitching needs to know of a site, and where it writes down what changes."""

    reading: SiteReader
    changes: Changes
    in_force: InForce
    allowance: Allowance

    @classmethod
    def of(cls, reading: SiteReader) -> Context:
        """As it stands now."""
        site_id = reading.site_id
        return cls(reading, Changes(site_id), InForce(site_id), Allowance(site_id, reading.zone))


def begin_visits(context: Context, pairs: Sequence[Pair]) -> None:
    """Fill in what a visit takes from its first hit."""
    reading = context.reading
    beginnings = []
    networks: dict[Beginning, str] = {}
    for _, stretch in pairs:
        first = stretch.hits[0].item
        beginnings.append(Beginning.of(first.campaign, outside(first.event.referrer, reading)))
        networks.setdefault(beginnings[-1], first.parsed.network if first.parsed else "")
    origins = inventory.origins(reading, networks, context.allowance)
    for (visit, stretch), beginning in zip(pairs, beginnings, strict=True):
        first = stretch.hits[0].item
        origin = origins[beginning]
        visit.started_at = stretch.start
        visit.day = reading.day(stretch.start)
        visit.origin_id, visit.channel = origin.pk, origin.channel
        # Its host may have become one of the site's own since it was stored.
        visit.referrer = outside(first.event.referrer, reading)
        visit.campaign_fingerprint = stretch.campaign[0] if stretch.campaign else ""
        visit.sub_ids = dict(first.campaign.sub_ids) or None
        visit.device, visit.traffic_class = first.event.device, first.event.traffic_class
        if first.parsed:
            visit.network = first.parsed.network
        if visit.traffic_class == TrafficClass.COUNTED and context.in_force.leaves_out(
            visit.network, visit.visitor_id, visit.started_at
        ):
            visit.traffic_class = TrafficClass.ASIDE


def count_in(visit: AnyVisit, stretch: Stretch[Step]) -> None:
    """Bring the visit's own counts up to date with new hits."""
    visit.ended_at = stretch.end
    for hit in stretch.hits:
        event = hit.item.event
        if event.kind == Kind.VIEW:
            visit.views += 1
            if visit.entry_page_id is None:
                visit.entry_page_id = event.page_id
            visit.exit_page_id = event.page_id
        elif is_interaction(KIND_NAMES[event.kind], hit.item.traits()):
            visit.interacted = True
        event.views = visit.views


def file_events(context: Context, visit: AnyVisit, stretch: Stretch[Step]) -> list[NewEvent]:
    """Give the events their visit, and the daily counts theirs; the new ones among them."""
    assert visit.id is not None
    context.changes.visit(visit, +1)
    new = []
    for hit in stretch.hits:
        event = hit.item.event
        event.visit_id = visit.id
        if event.kind == Kind.VIEW:
            context.changes.view(visit, event.page_id, context.reading.day(event.time), +1)
        if isinstance(event, NewEvent):
            new.append(event)
    return new
