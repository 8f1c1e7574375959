"""Credits: which visits led to a conversion, under every attribution model."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from uuid import UUID

from clabo.collect.events.models import SERVER_KINDS, Event, TrafficClass, Visit
from clabo.core.money.attribution import MODELS, SHARE_DIGITS, Touch, credit, eligible
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids
from clabo.setup.conversions.models import Conversion, Credit
from clabo.setup.sites.models import Site

_CHUNK = 2000


@dataclass(slots=True)
class _NewCredit:
    """A row of Credit on its way in: there are several for each conversion."""

    site_id: int
    rule_id: int
    conversion_id: int
    model: str
    visit_id: int | None
    share: Decimal
    value: Decimal | None
    day: date
    page_id: int | None
    origin_id: int | None
    device: int
    id: int = 0


def credit_conversions(site_id: int, conversions: Sequence[Conversion]) -> None:
    """Write the credits of `conversions`, which have none yet.

    Visits that do not enter reports are no touches, and their conversions get no credit. Where no visit is eligible,
    one credit of nobody's takes it all.
    """
    if not conversions:
        return
    site = Site.objects.get(pk=site_id)
    for start in range(0, len(conversions), _CHUNK):
        _credit_some(site, conversions[start : start + _CHUNK])


def _credit_some(site: Site, conversions: Sequence[Conversion]) -> None:
    window = site.attribution_window_days
    touches, visits = _touches(site, conversions)
    shown = _shown(site.pk, conversions)
    credits: list[_NewCredit] = []
    for conversion in conversions:
        if conversion.event_id not in shown:
            continue
        value = conversion.summed
        # What a server reports did not happen in the visit that it hangs on.
        own = conversion.visit_id if shown[conversion.event_id] else None
        fitting = eligible(touches[conversion.visitor_id], acted_at(conversion), window, own)
        for model in MODELS:
            for touch, share in credit(fitting, model) if fitting else [(None, Decimal(1))]:
                visit = visits[touch.visit] if touch else None
                credits.append(
                    _NewCredit(
                        site_id=site.pk,
                        rule_id=conversion.rule_id,
                        conversion_id=conversion.pk,
                        model=model,
                        visit_id=visit.pk if visit else None,
                        share=share,
                        value=None if value is None else (value * share).quantize(SHARE_DIGITS),
                        day=visit.day if visit else conversion.time.astimezone(site.zone).date(),
                        page_id=visit.entry_page_id if visit else None,
                        origin_id=visit.origin_id if visit else None,
                        device=visit.device if visit else 0,
                    )
                )
    for new, pk in zip(credits, new_ids(Credit, len(credits)), strict=True):
        new.id = pk
    copy_in(Credit, credits)


def acted_at(conversion: Conversion) -> datetime:
    """When the visitor acted: what an outcome is of was led to by the visits before that, however late it is told of."""
    return conversion.acted_at or conversion.time


def _touches(
    site: Site, conversions: Sequence[Conversion]
) -> tuple[dict[int, list[Touch]], dict[int, Visit]]:
    """The visits with a view of these visitors that may be eligible, by visitor and by id."""
    found: defaultdict[int, list[Touch]] = defaultdict(list)
    visits: dict[int, Visit] = {}
    earliest = min(acted_at(c) for c in conversions) - timedelta(days=site.attribution_window_days)
    rows = Visit.objects.filter(
        in_array("visitor_id", {c.visitor_id for c in conversions}),
        site=site,
        # A visit may have begun long before the conversion that it ends with.
        ended_at__gte=earliest,
        started_at__lte=max(c.time for c in conversions),
        traffic_class=TrafficClass.COUNTED,
        views__gt=0,
    ).only(
        "id", "visitor_id", "started_at", "channel", "number", "day", "entry_page_id", "origin_id", "device"
    )
    for visit in rows:
        visits[visit.pk] = visit
        found[visit.visitor_id].append(Touch(visit.pk, visit.started_at, visit.channel, visit.number))  # type: ignore[arg-type]
    for own in found.values():
        own.sort(key=lambda t: t.place)
    return found, visits


def _shown(site_id: int, conversions: Sequence[Conversion]) -> dict[UUID, bool]:
    """The events among these that enter reports, and whether the visitor's own browser did them."""
    times = [c.time for c in conversions]
    rows = Event.objects.reported().filter(
        in_array("id", {c.event_id for c in conversions}, "uuid"),
        site_id=site_id,
        time__gte=min(times),
        time__lte=max(times),
    )
    return {pk: kind not in SERVER_KINDS for pk, kind in rows.values_list("id", "kind")}
