"""Daily counts, changed by what changed (models.TrafficDay).

Whoever changes a visit subtracts what it contributed before and adds what it contributes now.
Callers hold the site's lock, so reading and writing the same row is safe.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import date
from functools import reduce
from operator import or_
from typing import Literal

from django.db.models import Q

from clabo.collect.models import Standing, TrafficDay, Visit
from clabo.core.visits import is_bounce

Count = Literal["entries", "views", "begun_views", "bounces", "exits"]
COUNTS: tuple[Count, ...] = ("entries", "views", "begun_views", "bounces", "exits")
Key = tuple[date, int, int, int]  # day, page, origin, device


class Changes:
    """Differences to the daily counts of one site, gathered and then applied at once."""

    def __init__(self, site_id: int) -> None:
        self.site_id = site_id
        self._by_key: defaultdict[Key, dict[Count, int]] = defaultdict(lambda: dict.fromkeys(COUNTS, 0))

    def visit(self, visit: Visit, sign: int) -> None:
        """Add (+1) or take away (-1) what `visit` contributes as it stands."""
        if visit.standing != Standing.COUNTED or not visit.views:
            return
        entry = self._row(visit.day, visit.entry_page_id, visit)
        entry["entries"] += sign
        entry["begun_views"] += sign * visit.views
        if is_bounce(visit.views, visit.conversions, visit.interacted):
            entry["bounces"] += sign
        self._row(visit.day, visit.exit_page_id, visit)["exits"] += sign

    def view(self, visit: Visit, page_id: int, day: date, sign: int) -> None:
        """Add or take away one view of a page in `visit`."""
        if visit.standing == Standing.COUNTED:
            self._row(day, page_id, visit)["views"] += sign

    def _row(self, day: date, page_id: int | None, visit: Visit) -> dict[Count, int]:
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
        changed = []
        for key, change in wanted.items():
            row = rows.get(key) or TrafficDay(
                site_id=self.site_id, day=key[0], page_id=key[1], origin_id=key[2], device=key[3]
            )
            for count, by in change.items():
                setattr(row, count, getattr(row, count) + by)
            changed.append(row)
        TrafficDay.objects.bulk_create(
            changed,
            update_conflicts=True,
            unique_fields=["site", "day", "page", "origin", "device"],
            update_fields=list(COUNTS),
        )
        self._by_key.clear()


def _around(keys: Iterable[Key]) -> Q:
    """A condition that holds for all rows of `keys`, and for few others."""
    by_day: defaultdict[date, set[int]] = defaultdict(set)
    for day, page_id, _, _ in keys:
        by_day[day].add(page_id)
    return reduce(or_, (Q(day=day, page_id__in=page_ids) for day, page_ids in by_day.items()))
