"""For whom a test's difference holds: by device, channel, earlier visits, and when they came."""

from __future__ import annotations

from collections import defaultdict
from datetime import UTC, datetime, timedelta
from typing import Literal

from django.db.models import Case, Count, Exists, F, OuterRef, Q, Subquery, Value, When
from django.db.models.functions import Coalesce, ExtractIsoWeekDay

from clabo.collect.events.models import Device
from clabo.core.evidence import Counts, GroupEffect, group_effects
from clabo.judge.splits.analysis.exposure_cohorts import counted
from clabo.judge.splits.analysis.results import needed_by
from clabo.judge.splits.life import share_a_page
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Conversion

Way = Literal["device", "channel", "visits", "week", "days", "test"]
FIRST_WEEK = timedelta(days=7)


def groups(
    lens: Lens, test: SplitTest, now: datetime | None = None
) -> dict[str, dict[str, dict[str, GroupEffect]]]:
    """By challenger's letter, way of telling visitors apart and group; all of one challenger are held against Holm together.

    A way is one of Way, but for "test": "test 7" tells visitors apart by their variant of test number 7, which is crossed
    with this one. That a variant's group differs there is an interaction of the two.
    """
    if not test.started_at:
        return {}
    until = test.ended_at or now or datetime.now(UTC)
    converted = (
        Conversion.objects.reported()
        .filter(site=lens.site, rule=test.rule, visitor_id=OuterRef("visitor_id"), time__lt=until)
        .annotate(acted=Coalesce("acted_at", "time"))
        .filter(acted__gte=OuterRef("first_at"))
    )
    others = crossed_with(test)
    needed = needed_by(test)
    seen_of = {
        _by(other): Subquery(
            Exposure.objects.filter(test=other, visitor_id=OuterRef("visitor_id")).values("letter")[:1]
        )
        for other in others
    }
    ways = ("device", "channel", "visits", "week", "days", *seen_of)
    rows = (
        Exposure.objects.filter(counted(lens), test=test)
        .annotate(
            device=F("visit__device"),
            channel=F("visit__channel"),
            number=F("visit__number"),
            converted=Exists(converted),
            weekday=ExtractIsoWeekDay("first_at", tzinfo=lens.site.zone),
            **seen_of,
        )
        .annotate(
            visits=Case(When(number__gt=1, then=Value("returning")), default=Value("new")),
            week=Case(
                When(first_at__lt=test.started_at + FIRST_WEEK, then=Value("first")), default=Value("later")
            ),
            days=Case(When(weekday__gte=6, then=Value("weekend")), default=Value("weekdays")),
        )
        .order_by()
        .values_list("letter", *ways)
        .annotate(n=Count("id"), did=Count("id", filter=Q(converted=True)))
    )
    cells: dict[str, defaultdict[str, defaultdict[str, Counts]]] = {
        way: defaultdict(lambda: defaultdict(lambda: Counts(0, 0))) for way in ways
    }
    for letter, device, *rest, n, did in rows:
        for way, name in zip(ways, (Device(device).label, *rest), strict=True):
            # Who is in no variant of the other test tells nothing of the two together.
            if name is not None:
                cells[way][name][letter] += Counts(did, n)
    return {
        v.letter: group_effects(
            {
                _way(way): {name: (of["A"], of[v.letter]) for name, of in sorted(by.items())}
                for way, by in cells.items()
            },
            needed,
        )
        for v in test.variants.all()
        if v.letter != "A"
    }


def crossed_with(test: SplitTest) -> list[SplitTest]:
    """Tests on a page of this one that ran at a time when it did, and that may share visitors with it."""
    if not test.started_at:
        return []
    found = (
        SplitTest.objects.filter(site=test.site_id, what=SplitTest.What.CONTENT)
        .exclude(pk=test.pk)
        .exclude(started_at=None)
        .filter(Q(ended_at=None) | Q(ended_at__gt=test.started_at))
        .prefetch_related("variants")
        .order_by("pk")
    )
    if test.ended_at:
        found = found.filter(started_at__lt=test.ended_at)
    return [t for t in found if t.pk != test.follows_id and t.follows_id != test.pk and share_a_page(test, t)]


def _by(other: SplitTest) -> str:
    return f"of_test_{other.pk}"


def _way(name: str) -> str:
    return f"test {name.removeprefix('of_test_')}" if name.startswith("of_test_") else name
