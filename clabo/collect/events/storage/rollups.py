"""Daily counts, changed by what changed (models.TrafficDay).

Whoever changes a visit subtracts what it contributed before and adds what it contributes now.
Callers hold the site's lock, so reading and writing the same row is safe.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from functools import reduce
from operator import or_
from typing import Literal, Protocol

from django.db.models import Q

from clabo.collect.events.models import TrafficClass, TrafficDay
from clabo.core.pages.visits import is_bounce
from clabo.platform.db.copying import copy_in, new_ids

Count = Literal["entries", "views", "begun_views", "bounces", "exits"]
COUNTS: tuple[Count, ...] = ("entries", "views", "begun_views", "bounces", "exits")
Key = tuple[date, int, int, int]  # day, page, origin, device


class CountedVisit(Protocol):
    """What the counts need of a visit, stored or on its way in."""

    day: date
    entry_page_id: int | None
    exit_page_id: int | None
    views: int
    interacted: bool
    conversions: int
    origin_id: int
    device: int
    traffic_class: int


class Changes:
    """Differences to the daily counts of one site, gathered and then applied at once.

    `anew`: they are counted from nothing, so that there is nothing to take away.
    """

    def __init__(self, site_id: int, anew: bool = False) -> None:
        self.site_id = site_id
        self._anew = anew
        self._by_key: defaultdict[Key, dict[Count, int]] = defaultdict(lambda: dict.fromkeys(COUNTS, 0))

    def visit(self, visit: CountedVisit, sign: int) -> None:
        """Add (+1) or take away (-1) what `visit` contributes as it stands."""
        if visit.traffic_class != TrafficClass.COUNTED or not visit.views or (self._anew and sign < 0):
            return
        entry = self._row(visit.day, visit.entry_page_id, visit)
        entry["entries"] += sign
        entry["begun_views"] += sign * visit.views
        if is_bounce(visit.views, visit.conversions, visit.interacted):
            entry["bounces"] += sign
        self._row(visit.day, visit.exit_page_id, visit)["exits"] += sign

    def view(self, visit: CountedVisit, page_id: int, day: date, sign: int) -> None:
        """Add or take away one view of a page in `visit`."""
        if visit.traffic_class == TrafficClass.COUNTED and not (self._anew and sign < 0):
            self._row(day, page_id, visit)["views"] += sign

    def _row(self, day: date, page_id: int | None, visit: CountedVisit) -> dict[Count, int]:
        assert page_id is not None
        return self._by_key[(day, page_id, visit.origin_id, visit.device)]

    def days(self) -> set[date]:
        """The days that the differences belong to."""
        return {key[0] for key in self._by_key}

    def apply(self) -> None:
        """Write the differences."""
        wanted = {key: change for key, change in self._by_key.items() if any(change.values())}
        if not wanted:
            return
        rows: dict[Key, TrafficDay] = {}
        for row in TrafficDay.objects.filter(_around(wanted), site_id=self.site_id):
            rows[(row.day, row.page_id, row.origin_id, row.device)] = row
        missing = [key for key in wanted if key not in rows]
        ids = new_ids(TrafficDay, len(missing))
        copy_in(
            TrafficDay,
            [
                _NewDay(pk, self.site_id, *key, *(wanted[key][count] for count in COUNTS))
                for pk, key in zip(ids, missing, strict=True)
            ],
        )
        changed = []
        for key, row in rows.items():
            if key in wanted:
                for count, by in wanted[key].items():
                    setattr(row, count, getattr(row, count) + by)
                changed.append(row)
        TrafficDay.objects.bulk_create(
            changed, update_conflicts=True, unique_fields=["id"], update_fields=list(COUNTS)
        )
        self._by_key.clear()


@dataclass(slots=True)
class _NewDay:
    """A row of TrafficDay on its way in."""

    id: int
    site_id: int
    day: date
    page_id: int
    origin_id: int
    device: int
    entries: int
    views: int
    begun_views: int
    bounces: int
    exits: int


def _around(keys: Iterable[Key]) -> Q:
    """A condition that holds for all rows of `keys`, and for few others."""
    by_day: defaultdict[date, set[int]] = defaultdict(set)
    for day, page_id, _, _ in keys:
        by_day[day].add(page_id)
    return reduce(or_, (Q(day=day, page_id__in=page_ids) for day, page_ids in by_day.items()))
