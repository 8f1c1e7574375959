"""The lens: what a report looks at. It lives in the URL, so that every view can be sent to someone."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

from django.db.models import Q, QuerySet

from clabo.collect.events.models import Device, TrafficClass, Visit
from clabo.core.money.attribution import MODELS
from clabo.core.pages.period import NAMED, read_period
from clabo.core.pages.traffic_source import CHANNELS
from clabo.platform.db.arrays import in_array
from clabo.platform.problems import Problem
from clabo.setup.conversions.models import ConversionRule, Credit
from clabo.setup.conversions.queries import rules_of
from clabo.setup.sites.models import Site

MOST_DAYS = 730
_DEVICES = {d.label: d.value for d in Device}


@dataclass(frozen=True, slots=True)
class People:
    """Some of a site's people: the members of an audience, by visitors' ids."""

    audience: int
    name: str
    ids: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Lens:
    """Site, days (both included), origin, device, conversion, attribution model, and whose visits: everybody's or some people's."""

    site: Site
    first: date
    last: date
    origin: str
    device: int | None
    rule: ConversionRule | None
    model: str
    people: People | None = None

    def counting(self, rule: ConversionRule | None) -> Lens:
        """The same for another conversion."""
        return replace(self, rule=rule)

    @property
    def days(self) -> int:
        """How many days are looked at."""
        return (self.last - self.first).days + 1

    def before(self) -> Lens:
        """The same over as many days before."""
        first = self.first - timedelta(days=self.days)
        return replace(self, first=first, last=self.first - timedelta(days=1))

    def of_people(self, visitor: str = "visitor_id") -> Q:
        """The condition on rows whose field `visitor` is a visitor's id."""
        return Q() if self.people is None else in_array(visitor, self.people.ids)

    @property
    def sight(self) -> tuple[object, ...] | None:
        """All that it looks at but the days and the conversion; None of some people's visits, who change by themselves."""
        return None if self.people else (self.origin, self.device, self.model)

    def credits(self, days: bool = True) -> QuerySet[Credit]:
        """What is credited to visits that it looks at, under its attribution model; of every conversion."""
        credits = Credit.objects.filter(self.filter(days=days), model=self.model)
        return credits if self.people is None else credits.filter(self.of_people("conversion__visitor_id"))

    def visits(self, days: bool = True) -> QuerySet[Visit]:
        """The visits with a view that it looks at; with `days` false on any day."""
        return Visit.objects.filter(
            self.filter(days=days), self.of_people(), traffic_class=TrafficClass.COUNTED, views__gt=0
        )

    def of_visits(self, prefix: str = "") -> Q:
        """The condition on visits (their fields behind `prefix`) that the lens's origin and device state."""
        wanted: dict[str, Any] = {}
        kind, _, name = self.origin.partition(":")
        if kind in ("channel", "source"):
            wanted[f"origin__{kind}"] = name
        if self.device is not None:
            wanted["device"] = self.device
        return Q(**{prefix + key: value for key, value in wanted.items()})

    def filter(self, prefix: str = "", days: bool = True) -> Q:
        """The condition on rows that have site, day, origin and device; fields behind `prefix`."""
        wanted: dict[str, Any] = {"site": self.site}
        if days:
            wanted |= {"day__gte": self.first, "day__lte": self.last}
        return Q(**{prefix + key: value for key, value in wanted.items()}) & self.of_visits(prefix)


def read_lens(
    site: Site,
    period: str = "28d",
    origin: str = "any",
    device: str = "any",
    conversion: int | None = None,
    model: str = "last_paid",
) -> Lens:
    """The lens that these words state; raises Problem naming the one that cannot be read.

    `period`: a number of days up to today ("28d"), a name ("last-month"), or two dates ("2026-10-01..2026-10-31").
    `origin`: "any", "channel:<channel>" or "source:<source>". `conversion`: a rule's id; the first
    purchase, else the first rule, when it is not given.
    """
    first, last = _period(site, period)
    kind, _, name = origin.partition(":")
    if not (origin == "any" or (kind == "channel" and name in CHANNELS) or (kind == "source" and name)):
        raise Problem("Choose any, channel:<channel> or source:<source>.", "origin")
    if device != "any" and device not in _DEVICES:
        raise Problem(f"Choose any, {', '.join(_DEVICES)}.", "device")
    if model not in MODELS:
        raise Problem(f"Choose one of {', '.join(MODELS)}.", "model")
    the_rules = rules_of(site)
    if conversion is not None:
        rule = next((r for r in the_rules if r.pk == conversion), None)
        if rule is None:
            raise Problem("This conversion no longer exists. Choose another.", "conversion", 404)
    else:
        rule = min(the_rules, key=lambda r: (r.category != "purchase", r.pk), default=None)
    return Lens(site, first, last, origin, _DEVICES.get(device), rule, model)


def _period(site: Site, text: str) -> tuple[date, date]:
    today = datetime.now(UTC).astimezone(site.zone).date()
    try:
        first, last = read_period(text, today)
    except (ValueError, OverflowError):
        raise Problem(
            f"A period is 28d, {', '.join(NAMED)}, or two dates like 2026-10-01..2026-10-31.", "period"
        ) from None
    if not 0 <= (last - first).days < MOST_DAYS:
        raise Problem(f"A period has between 1 and {MOST_DAYS} days.", "period")
    return first, last
