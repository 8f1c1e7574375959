"""What a bridge link brought, by the page it stood on, by where the visitors came from, and by sub-ID."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any, NamedTuple
from urllib.parse import parse_qsl

from django.db.models import Count, Max

from clabo.collect.bridges.models import BridgeLink
from clabo.collect.events.models import Event, Kind
from clabo.core.evidence import Interval, is_thin, rate_interval
from clabo.core.money.conversion_value import value_of_event
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site

# Steps that are looked at one by one: the latest of the period.
MOST_STEPS = 100_000
MOST_ROWS = 200
SUB_IDS = ("sub1", "sub2", "sub3", "sub4", "sub5")


@dataclass(slots=True)
class Followed:
    """Steps that have something in common. `sold` of them led to at least one sale so far, `sales` is all of these.

    `value` is the sales' in the site's currency; `foreign` how many of them are in another, and in no sum.
    """

    label: str
    steps: int = 0
    sold: int = 0
    sales: int = 0
    foreign: int = 0
    value: Decimal = field(default_factory=Decimal)

    @property
    def rate(self) -> Interval:
        """Steps that led to a sale, of all steps."""
        return rate_interval(self.sold, self.steps)

    @property
    def thin(self) -> bool:
        return is_thin(self.sold, self.steps)


@dataclass(frozen=True, slots=True)
class Brought:
    """The steps since then by one of the `choices`, most often followed first; `whole` is all of them together."""

    by: str
    choices: list[str]
    rows: list[Followed]
    whole: Followed
    # More steps than are looked at: the earlier ones are left out.
    cut: bool


class _Step(NamedTuple):
    id: str
    visitor: int
    time: datetime
    query: str
    properties: Mapping[str, Any] | None
    host: str
    path: str
    channel: str
    source: str
    campaign: str
    ad: str


def _given(step: _Step) -> dict[str, str]:
    """The link's own parameters on this step, by small name."""
    return {name.lower(): value for name, value in parse_qsl(step.query)}


_BY: dict[str, Callable[[_Step], str]] = {
    "page": lambda s: s.host + s.path,
    "source": lambda s: s.source or s.channel,
    "campaign": lambda s: s.campaign,
    "ad": lambda s: s.ad,
}


def brought(site: Site, link: BridgeLink, by: str, since: datetime) -> Brought:
    """Steps over `link` since then, of visits that count, and the sales that they have led to so far.

    A sale belongs to the step whose reference it was reported for. `by`: "page", "source", "campaign" or "ad" (of
    the visit), "sub1" to "sub5", or one of the link's free names; raises Problem for anything else.
    """
    choices = [*_BY, *SUB_IDS, *link.free_names]
    if by not in choices:
        raise Problem(f"Choose one of {', '.join(choices)}.", "by")
    columns = ("id", "visitor_id", "time", "query", "properties", "page__host", "page__path")
    origin = [f"visit__origin__{name}" for name in ("channel", "source", "campaign", "ad")]
    events = Event.objects.reported().filter(site=site, name=link.slug, time__gte=since)
    rows = events.filter(kind=Kind.STEP).order_by("-time").values_list(*columns, *origin)[: MOST_STEPS + 1]
    steps = [_Step(row[0].hex, *row[1:]) for row in rows]
    cut, steps = len(steps) > MOST_STEPS, steps[:MOST_STEPS]
    sales = _sales_by_step(steps, events)
    read = _BY.get(by) or (lambda step: _given(step).get(by.lower(), ""))
    groups: dict[str, Followed] = {}
    whole = Followed("")
    for step in steps:
        label = read(step)
        for group in (groups.setdefault(label, Followed(label)), whole):
            _add(group, sales.get(step.id, []), site.currency)
    used = Counter(name for step in steps for name in _given(step))
    return Brought(
        by,
        [c for c in choices if c in _BY or c == by or used[c.lower()]],
        sorted(groups.values(), key=lambda g: (-g.steps, g.label))[:MOST_ROWS],
        whole,
        cut,
    )


def _sales_by_step(steps: Sequence[_Step], events: Any) -> dict[str, list[Mapping[str, Any]]]:
    """The properties of the sales, by the id of the step that each was reported for."""
    known = {s.id for s in steps}
    latest: dict[int, list[_Step]] = {}
    for step in steps:  # the latest first
        latest.setdefault(step.visitor, []).append(step)
    found: dict[str, list[Mapping[str, Any]]] = {}
    rows = events.filter(kind=Kind.SALE)
    for visitor, time, properties in rows.values_list("visitor_id", "time", "properties"):
        told = (properties or {}).get("step")
        if told is None:
            # Reported before sales said so: the visitor's last step before it.
            told = next((s.id for s in latest.get(visitor, []) if s.time <= time), None)
        if told in known:
            found.setdefault(told, []).append(properties or {})
    return found


def _add(group: Followed, sales: Sequence[Mapping[str, Any]], currency: str) -> None:
    group.steps += 1
    group.sold += bool(sales)
    group.sales += len(sales)
    for properties in sales:
        worth = value_of_event(properties, "value", currency)
        if worth.currency:
            group.foreign += 1
        elif worth.value is not None:
            group.value += worth.value


@dataclass(frozen=True, slots=True)
class LinkCounts:
    """How often a link was followed in 28 days and sold, in visits that count, and when last it was followed."""

    steps: int
    sales: int
    last_at: datetime | None


def links_of(site: Site) -> list[BridgeLink]:
    """The site's links by name."""
    return list(BridgeLink.objects.filter(site=site, deleted_at=None).order_by("slug"))


def link_of(site: Site, link_id: int) -> BridgeLink:
    """One link of the site; raises Problem where there is none."""
    link = BridgeLink.objects.filter(site=site, pk=link_id, deleted_at=None).first()
    if link is None:
        raise missing("bridge link")
    return link


def recent_counts(site: Site, links: Sequence[BridgeLink]) -> dict[str, LinkCounts]:
    """Counts of the last 28 days by the links' names."""
    events = Event.objects.reported().filter(
        site=site, kind__in=(Kind.STEP, Kind.SALE), name__in=[b.slug for b in links]
    )
    rows = events.filter(time__gte=site.last_days(28)).values_list("name", "kind")
    counts = {(name, kind): n for name, kind, n in rows.annotate(n=Count("id"))}
    last = dict(events.filter(kind=Kind.STEP).values_list("name").annotate(at=Max("time")))
    return {
        b.slug: LinkCounts(
            counts.get((b.slug, Kind.STEP), 0), counts.get((b.slug, Kind.SALE), 0), last.get(b.slug)
        )
        for b in links
    }
