"""Credits: which visits led to a conversion, under every attribution model."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from clabo.collect.among import among
from clabo.collect.copying import copy_in, new_ids
from clabo.collect.models import Standing, Visit
from clabo.conversions.models import Conversion, Credit
from clabo.core.attribution import MODELS, SHARE_DIGITS, Touch, credit, eligible
from clabo.sites.models import Site

_CHUNK = 2000


@dataclass(slots=True)
class _NewCredit:
    """A row of Credit on its way in: there are several for each conversion."""

    site_id: int
    rule_id: int
    conversion_id: int
    model: str
    visit_id: int
    share: Decimal
    value: Decimal | None
    day: date
    page_id: int | None
    origin_id: int
    device: int
    id: int = 0


def credit_conversions(site_id: int, conversions: Sequence[Conversion]) -> None:
    """Write the credits of `conversions`, which have none yet.

    Visits that do not enter reports are no touches, and their conversions get no credit.
    """
    if not conversions:
        return
    window = Site.objects.values_list("attribution_window_days", flat=True).get(pk=site_id)
    for start in range(0, len(conversions), _CHUNK):
        _credit_some(site_id, conversions[start : start + _CHUNK], window)


def _credit_some(site_id: int, conversions: Sequence[Conversion], window: int) -> None:
    touches: defaultdict[int, list[Touch]] = defaultdict(list)
    visits: dict[int, Visit] = {}
    rows = Visit.objects.filter(
        among("visitor_id", {c.visitor_id for c in conversions}),
        site_id=site_id,
        started_at__gte=min(c.time for c in conversions) - timedelta(days=window),
        started_at__lte=max(c.time for c in conversions),
        standing=Standing.COUNTED,
    ).only("id", "visitor_id", "started_at", "channel", "day", "entry_page_id", "origin_id", "device")
    for visit in rows:
        visits[visit.pk] = visit
        touches[visit.visitor_id].append(Touch(visit.pk, visit.started_at, visit.channel))  # type: ignore[arg-type]
    credits: list[_NewCredit] = []
    for conversion in conversions:
        if conversion.visit_id not in visits:
            continue
        fitting = eligible(touches[conversion.visitor_id], conversion.time, window)
        for model in MODELS:
            for touch, share in credit(fitting, model):
                visit = visits[touch.visit]
                value = None if conversion.currency else conversion.value
                credits.append(
                    _NewCredit(
                        site_id=site_id,
                        rule_id=conversion.rule_id,
                        conversion_id=conversion.pk,
                        model=model,
                        visit_id=touch.visit,
                        share=share,
                        value=None if value is None else (value * share).quantize(SHARE_DIGITS),
                        day=visit.day,
                        page_id=visit.entry_page_id,
                        origin_id=visit.origin_id,
                        device=visit.device,
                    )
                )
    for new, pk in zip(credits, new_ids(Credit, len(credits)), strict=True):
        new.id = pk
    copy_in(Credit, credits)
