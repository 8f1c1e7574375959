"""Who was exposed to which variant on which day, and what they did since: read day by day, and kept until a day changes.

Everything here depends on the days before: what somebody converted to counts from their exposure on.
"""

from __future__ import annotations

import threading
from collections import OrderedDict, defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from datetime import UTC, date, datetime, timedelta
from functools import cached_property
from typing import Any

import numpy as np
from django.db import connection
from django.db.models import Count, Q, QuerySet
from numpy.typing import NDArray

from clabo.collect.events.daysums import Row, of_days, versions_of
from clabo.collect.events.models import TrafficClass, Visit
from clabo.collect.events.queries import bounced
from clabo.judge.splits.analysis.post_exposure_outcomes import UNITS, Came
from clabo.judge.splits.analysis.pre_exposure import converted_before, of_their_visits, stratum_of
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.use.spend.joining import Cell

TABLES = (Exposure, Visit, Conversion)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_TICK, _HOUR = timedelta(microseconds=1), timedelta(hours=1)

# Visitors by the day of their exposure.
Exposed = dict[date, int]
# What rows of days were put together to, by what they are of: as long as no day has changed they are the same rows.
_together: OrderedDict[Hashable, tuple[list[Row], tuple[NDArray[np.int64], ...]]] = OrderedDict()
_MOST_TOGETHER = 60
_lock = threading.Lock()


def counted(lens: Lens) -> Q:
    """Exposures in visits that the lens looks at and that enter reports."""
    entering = Q(visit__traffic_class=TrafficClass.COUNTED)
    return entering & lens.filter("visit__", days=False) & lens.of_people("visitor_id")


class Followed:
    """A test under a lens, up to the day `last`. One reading: it looks once which days have changed."""

    def __init__(self, lens: Lens, test: SplitTest, last: date) -> None:
        self.lens, self.test = lens, test
        first = test.started_at.astimezone(lens.site.zone).date() if test.started_at else last
        self._span = first, max(first, last)

    def exposed(self) -> dict[str, Exposed]:
        """Visitors by letter (models.HELD_OUT too) and day of first exposure."""
        rows = self._exposures.values_list("day", "letter").annotate(Count("id"))
        return _by_letter(self._of_days("exposed", lambda days: rows.filter(days)))

    def exposed_by_stratum(self) -> dict[tuple[str, int], Exposed]:
        """The same by what was known of them before, too (before.stratum_of)."""
        every = of_their_visits(self._exposures)
        # As a condition the database joins what it would look up one by one as a column.
        converted = every.filter(converted_before(self.test.rule))

        def read(days: Q) -> Iterable[Row]:
            for rows, before in ((every, False), (converted, True)):
                of_kind = rows.filter(days).values_list("day", "letter", "device", "returning")
                for *of, n in of_kind.annotate(Count("id")):
                    yield *of, before, n

        found: defaultdict[tuple[str, int], Exposed] = defaultdict(lambda: defaultdict(int))
        for day, letter, device, returning, before, n in self._of_days(("known", self.test.rule_id), read):
            found[letter, stratum_of(device, returning, before)][day] += n
            if before:
                found[letter, stratum_of(device, returning, False)][day] -= n
        return found

    def bounced(self) -> dict[str, Exposed]:
        """Visitors whose exposing visit was nothing but one view, by letter and day of exposure."""
        bounces = self._exposures.filter(bounced("visit__"))
        rows = bounces.values_list("day", "letter").annotate(Count("id"))
        return _by_letter(self._of_days("bounced", lambda days: rows.filter(days)))

    def exposing_cells(self) -> dict[str, dict[Cell, int]]:
        """By letter, how many of the exposing visits were of each day, entry page, origin and device."""
        fields = ("visit__day", "visit__entry_page_id", "visit__origin_id", "visit__device")
        rows = self._exposures.values_list("day", "letter", *fields).annotate(Count("id"))
        found: defaultdict[str, dict[Cell, int]] = defaultdict(lambda: defaultdict(int))
        for _, letter, *cell, n in self._of_days("cells", lambda days: rows.filter(days)):
            found[letter][tuple(cell)] += n
        return found

    def came(self, rule: ConversionRule, until: datetime, with_strata: bool = False) -> dict[str, Came]:
        """Conversions of those exposed, from then on and before `until`, by letter.

        Each has the stratum of its visitor; all are 0 unless `with_strata`.
        """
        what = "came", rule.pk, with_strata
        rows = self._of_days(what, lambda days: self._came_on(days, rule, with_strata))
        if not rows:
            return {}
        letters, visitors, times, *parts = _put_together((self.test.pk, self._sight, what), rows)
        before = times < (until - _EPOCH) // _TICK
        return {
            chr(letter): Came(visitors[mine], *(part[mine] for part in parts))
            for letter in np.unique(letters)
            for mine in [np.flatnonzero(before & (letters == letter))]
        }

    def _came_on(self, days: Q, rule: ConversionRule, with_strata: bool) -> Iterable[Row]:
        """A row for each day that something came on, with arrays: letter, visitor, time, then what `Came` has."""
        conversions = list(
            Conversion.objects.reported()
            .filter(days, site=self.lens.site, rule=rule, time__gte=self.test.started_at)
            .order_by("time", "id")
            .values_list("day", "visitor_id", "time", "acted_at", "value", "currency", "beyond")
        )
        rows: QuerySet[Any] = self._exposures.filter(in_array("visitor_id", {c[1] for c in conversions}))
        known: tuple[str, ...] = ()
        if with_strata:
            rows = of_their_visits(rows).annotate(before=converted_before(rule))
            known = ("device", "returning", "before")
        who = {
            visitor: (ord(letter), first_at, exposed.toordinal(), stratum_of(*what) if what else 0)
            for visitor, letter, first_at, exposed, *what in rows.values_list(
                "visitor_id", "letter", "first_at", "day", *known
            )
        }
        found: defaultdict[date, list[tuple[int, ...]]] = defaultdict(list)
        for day, visitor, time, acted_at, value, currency, beyond in conversions:
            # What became of a lead is the variant's doing only where the lead is.
            if visitor not in who or (acted_at or time) < who[visitor][1]:
                continue
            letter, first_at, exposed, stratum = who[visitor]
            # A value in another currency, or beyond the day's limits, is in no sum.
            units = 0 if not value or currency or beyond else int(value * UNITS)
            hours = (time - first_at) // _HOUR
            found[day].append(
                (letter, visitor, (time - _EPOCH) // _TICK, day.toordinal(), units, stratum, exposed, hours)
            )
        for day, several in found.items():
            yield day, *np.array(several, dtype=np.int64).T

    @property
    def _exposures(self) -> QuerySet[Exposure]:
        return Exposure.objects.filter(counted(self.lens), test=self.test).order_by()

    @property
    def _sight(self) -> Hashable:
        """All that tells what is read apart from the same of another test or lens; None where nothing is kept."""
        return self.lens.sight and (self.test.pk, self.test.started_at, self.lens.sight)

    @cached_property
    def _versions(self) -> Mapping[date, frozenset[int]]:
        return versions_of(TABLES, self.lens.site.pk, *self._span, back=None)

    def _of_days(self, what: Hashable, read: Callable[[Q], Iterable[Row]]) -> list[Row]:
        if not self.test.started_at:
            return []
        sight = self._sight and (self._sight, what)
        versions = self._versions if sight else None
        return of_days(TABLES, self.lens.site.pk, *self._span, sight, read, versions=versions)


def _by_letter(rows: Iterable[Row]) -> dict[str, Exposed]:
    found: defaultdict[str, Exposed] = defaultdict(dict)
    for day, letter, n in rows:
        found[letter][day] = n
    return found


def _put_together(what: Hashable, rows: Sequence[Row]) -> tuple[NDArray[np.int64], ...]:
    """The arrays of all days as one each, a visitor's after one another; what came earlier stands first."""
    key = connection.settings_dict["NAME"], what
    with _lock:
        known, found = _together.get(key, ((), ()))
    if len(known) == len(rows) and all(a is b for a, b in zip(known, rows, strict=True)):
        return found
    arrays = [np.concatenate(part) for part in zip(*(row[1:] for row in rows), strict=True)]
    order = np.argsort(arrays[1], kind="stable")
    found = tuple(array[order] for array in arrays)
    with _lock:
        _together[key] = list(rows), found
        _together.move_to_end(key)
        while len(_together) > _MOST_TOGETHER:
            _together.popitem(last=False)
    return found
