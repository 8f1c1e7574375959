"""For whom a test's difference holds: by device, channel, earlier visits, and when they came."""

from __future__ import annotations

from collections import defaultdict
from datetime import UTC, datetime, timedelta
from typing import Literal

from django.db.models import Case, Count, Exists, OuterRef, Q, Subquery, Value, When
from django.db.models.functions import ExtractIsoWeekDay

from clabo.conversions.lens import Lens
from clabo.conversions.models import Conversion
from clabo.core.evidence import Counts, GroupEffect, group_effects
from clabo.events.models import Device, Visit
from clabo.splits.models import Exposure, SplitTest
from clabo.splits.results import counted

Way = Literal["device", "channel", "visits", "week", "days"]
FIRST_WEEK = timedelta(days=7)


def groups(
    lens: Lens, test: SplitTest, now: datetime | None = None
) -> dict[str, dict[str, dict[str, GroupEffect]]]:
    """By challenger's letter, way of telling visitors apart and group; all of one challenger are held against Holm together."""
    if not test.started_at:
        return {}
    until = test.ended_at or now or datetime.now(UTC)
    of_visit = Visit.objects.filter(id=OuterRef("visit_id"), site=lens.site)
    converted = Conversion.objects.reported().filter(
        site=lens.site,
        rule=test.rule,
        visitor_id=OuterRef("visitor_id"),
        time__gte=OuterRef("first_at"),
        time__lt=until,
    )
    rows = (
        Exposure.objects.filter(counted(lens), test=test)
        .annotate(
            device=Subquery(of_visit.values("device")),
            channel=Subquery(of_visit.values("channel")),
            number=Subquery(of_visit.values("number")),
            converted=Exists(converted),
            weekday=ExtractIsoWeekDay("first_at", tzinfo=lens.site.zone),
        )
        .annotate(
            visits=Case(When(number__gt=1, then=Value("returning")), default=Value("new")),
            week=Case(
                When(first_at__lt=test.started_at + FIRST_WEEK, then=Value("first")), default=Value("later")
            ),
            days=Case(When(weekday__gte=6, then=Value("weekend")), default=Value("weekdays")),
        )
        .order_by()
        .values_list("letter", "device", "channel", "visits", "week", "days")
        .annotate(n=Count("id"), did=Count("id", filter=Q(converted=True)))
    )
    ways = ("device", "channel", "visits", "week", "days")
    cells: dict[str, defaultdict[str, defaultdict[str, Counts]]] = {
        way: defaultdict(lambda: defaultdict(lambda: Counts(0, 0))) for way in ways
    }
    for letter, device, *rest, n, did in rows:
        for way, name in zip(ways, (Device(device).label, *rest), strict=True):
            cells[way][name][letter] += Counts(did, n)
    return {
        v.letter: group_effects(
            {
                way: {name: (of["A"], of[v.letter]) for name, of in sorted(by.items())}
                for way, by in cells.items()
            }
        )
        for v in test.variants.all()
        if v.letter != "A"
    }
