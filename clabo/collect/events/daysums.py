"""Sums by day that the process keeps until something of the day changes.

A report over 90 days sums a hundred thousand rows, of which almost all are of days that are over. What a table held of a
day has a version (platform/db/daychanges.py), so that of a sum that was made before only the days that have changed are made anew.
"""

from __future__ import annotations

import threading
from collections import OrderedDict, defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.db import connection
from django.db.models import Count, Max, Model, Q, Sum

from clabo.collect.events.models import DayVersion

# Of all sums together; those least recently asked for are forgotten first.
MOST_ROWS = 600_000

Row = tuple[Any, ...]
_Days = dict[date, tuple[frozenset[int], list[Row]]]
_kept: OrderedDict[Hashable, _Days] = OrderedDict()
_sizes: dict[Hashable, int] = {}
_lock = threading.Lock()


def of_days(
    model: type[Model] | tuple[type[Model], ...],
    site_id: int,
    first: date,
    last: date,
    what: Hashable | None,
    read: Callable[[Q], Iterable[Row]],
    back: int | None = 0,
    versions: Mapping[date, frozenset[int]] | None = None,
) -> list[Row]:
    """What `read` finds of a table, or of several, on the days from `first` to `last`.

    `read` takes a condition on the field `day` and gives rows that begin with their day; each depends on that day's
    rows of `model`, and on those of the `back` days before it, or with None of all days before it. `what` tells it from all other reads of them; None where nothing is to be kept.
    Who asks for several of the same days and tables gives the `versions_of` them, read before.
    """
    if what is None:
        return list(read(Q(day__gte=first, day__lte=last)))
    tables = [m._meta.db_table for m in (model if isinstance(model, tuple) else (model,))]
    key = (connection.settings_dict["NAME"], *tables, site_id, what)
    span = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    if versions is None:
        versions = versions_of(model, site_id, first, last, back)
    with _lock:
        known = dict(_kept.get(key, {}))
    # A day that was never written to has no rows.
    stale = [d for d in span if d in versions and (d not in known or known[d][0] != versions[d])]
    if stale:
        # Read after the versions: what is kept may be newer than its version says, never older.
        fresh: defaultdict[date, list[Row]] = defaultdict(list)
        within = len(stale) > (last - first).days // 2
        days = Q(day__gte=stale[0], day__lte=stale[-1]) if within else Q(day__in=stale)
        for row in read(days):
            fresh[row[0]].append(row)
        for day in stale:
            known[day] = versions[day], fresh[day]
        _keep(key, {day: known[day] for day in stale})
    else:
        with _lock:
            if key in _kept:
                _kept.move_to_end(key)
    return [row for day in span if day in versions for row in known[day][1]]


def versions_of(
    model: type[Model] | tuple[type[Model], ...], site_id: int, first: date, last: date, back: int | None = 0
) -> Mapping[date, frozenset[int]]:
    """What each day from `first` to `last` rests on, by the day; those that rest on nothing are missing.

    Versions are from one sequence, so that those of two tables never stand for each other.
    """
    tables = [m._meta.db_table for m in (model if isinstance(model, tuple) else (model,))]
    noted = DayVersion.objects.filter(of_table__in=tables, site_id=site_id, day__lte=last)
    span = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    versions: defaultdict[date, frozenset[int]] = defaultdict(frozenset)
    begin = span[0] - timedelta(days=back or 0)
    rows = list(noted.filter(day__gte=begin).values_list("day", "version"))
    if back is not None:
        for changed, version in rows:
            for later in range(back + 1):
                versions[changed + timedelta(days=later)] |= {version}
        return versions
    # Of the days before the newest alone would not tell: what commits last may have an older version.
    before = noted.filter(day__lt=begin).aggregate(n=Count("id"), newest=Max("version"), sum=Sum("version"))
    of_day: defaultdict[date, list[int]] = defaultdict(list)
    for changed, version in rows:
        of_day[changed].append(version)
    state, any_yet = hash(tuple(before.values())), before["n"] > 0
    for day in span:
        if day in of_day:
            state, any_yet = hash((state, day, *sorted(of_day[day]))), True
        if any_yet:
            versions[day] = frozenset({state})
    return versions


def _size(days: Iterable[tuple[frozenset[int], list[Row]]]) -> int:
    """How many rows of sums weigh as much; arrays in them weigh what they hold."""
    return sum(
        1 + len(rows) + sum(v.nbytes // 100 for row in rows for v in row if isinstance(v, np.ndarray))
        for _, rows in days
    )


def _keep(key: Hashable, days: _Days) -> None:
    with _lock:
        before = _kept.setdefault(key, {})
        replaced = _size(before[day] for day in days if day in before)
        _sizes[key] = _sizes.get(key, 0) + _size(days.values()) - replaced
        # Others may be reading what was kept.
        _kept[key] = before | days
        _kept.move_to_end(key)
        while len(_kept) > 1 and sum(_sizes.values()) > MOST_ROWS:
            gone, _ = _kept.popitem(last=False)
            del _sizes[gone]


def forget() -> None:
    """Read everything anew when it is asked for next."""
    with _lock:
        _kept.clear()
        _sizes.clear()
