"""Who was exposed to which variant on which day, and what they did since: read day by day, and kept until a day changes.

Everything here depends on the days before: what somebody converted to counts from their exposure on.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.db.models import Count, Q, QuerySet

from clabo.conversions.lens import Lens
from clabo.conversions.models import Conversion, ConversionRule
from clabo.db.arrays import in_array
from clabo.events.daysums import Row, of_days
from clabo.events.models import TrafficClass, Visit
from clabo.events.queries import bounced as bounced_visits
from clabo.spend.joining import Cell
from clabo.splits.before import converted_before, of_their_visits, stratum_of
from clabo.splits.came import UNITS, Came
from clabo.splits.models import Exposure, SplitTest

TABLES = (Exposure, Visit, Conversion)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_TICK = timedelta(microseconds=1)

# Visitors by the day of their exposure.
Exposed = dict[date, int]


def counted(lens: Lens) -> Q:
    """Exposures in visits that the lens looks at and that enter reports."""
    entering = Q(visit__traffic_class=TrafficClass.COUNTED)
    return entering & lens.filter("visit__", days=False) & lens.of_people("visitor_id")


def exposed(lens: Lens, test: SplitTest, last: date) -> dict[str, Exposed]:
    """Visitors by letter (models.HELD_OUT too) and day of first exposure, up to the day `last`."""
    rows = _exposures(lens, test).values_list("day", "letter").annotate(Count("id"))
    found: defaultdict[str, Exposed] = defaultdict(dict)
    for day, letter, n in _of_days(lens, test, last, "exposed", lambda days: rows.filter(days)):
        found[letter][day] = n
    return found


def exposed_by_stratum(lens: Lens, test: SplitTest, last: date) -> dict[tuple[str, int], Exposed]:
    """The same by what was known of them before, too (before.stratum_of)."""
    every = of_their_visits(_exposures(lens, test))
    # As a condition the database joins what it would look up one by one as a column.
    converted = every.filter(converted_before(test.rule))

    def read(days: Q) -> Iterable[Row]:
        for rows, before in ((every, False), (converted, True)):
            for *of, n in (
                rows.filter(days).values_list("day", "letter", "device", "returning").annotate(Count("id"))
            ):
                yield *of, before, n

    found: defaultdict[tuple[str, int], Exposed] = defaultdict(lambda: defaultdict(int))
    for day, letter, device, returning, before, n in _of_days(
        lens, test, last, ("known", test.rule_id), read
    ):
        found[letter, stratum_of(device, returning, before)][day] += n
        if before:
            found[letter, stratum_of(device, returning, False)][day] -= n
    return found


def bounced(lens: Lens, test: SplitTest, last: date) -> dict[str, Exposed]:
    """Visitors whose exposing visit was nothing but one view, by letter and day of exposure."""
    bounces = _exposures(lens, test).filter(bounced_visits("visit__"))
    rows = bounces.values_list("day", "letter").annotate(n=Count("id"))
    found: defaultdict[str, Exposed] = defaultdict(dict)
    for day, letter, n in _of_days(lens, test, last, "bounced", lambda wanted: rows.filter(wanted)):
        found[letter][day] = n
    return found


def exposing_cells(lens: Lens, test: SplitTest, last: date) -> dict[str, dict[Cell, int]]:
    """By letter, how many of the exposing visits were of each day, entry page, origin and device."""
    fields = ("visit__day", "visit__entry_page_id", "visit__origin_id", "visit__device")
    rows = _exposures(lens, test).values_list("day", "letter", *fields).annotate(Count("id"))
    found: defaultdict[str, dict[Cell, int]] = defaultdict(lambda: defaultdict(int))
    for _, letter, *cell, n in _of_days(lens, test, last, "cells", lambda days: rows.filter(days)):
        found[letter][tuple(cell)] += n
    return found


def came(
    lens: Lens,
    test: SplitTest,
    rule: ConversionRule,
    until: datetime,
    last: date,
    with_strata: bool = False,
) -> dict[str, Came]:
    """Conversions of those exposed, from then on and before `until`, by letter.

    Each has the stratum of its visitor; all are 0 unless `with_strata`.
    """
    if not test.started_at:
        return {}
    what = "came", rule.pk, with_strata
    read = _of_days(lens, test, last, what, lambda days: _came(lens, test, rule, days, with_strata))
    rows = [row for _, *row in read]
    if not rows:
        return {}
    letters, visitors, times, days, units, strata = (np.concatenate(part) for part in zip(*rows, strict=True))
    # What is read of a day in order of time stays so for each visitor.
    order = np.argsort(visitors, kind="stable")
    order = order[times[order] < (until - _EPOCH) // _TICK]
    return {
        chr(letter): Came(visitors[mine], days[mine], units[mine], strata[mine])
        for letter in np.unique(letters[order])
        for mine in [order[letters[order] == letter]]
    }


def _came(lens: Lens, test: SplitTest, rule: ConversionRule, days: Q, with_strata: bool) -> Iterable[Row]:
    """A row for each day that something came on, with arrays: letter, visitor, time, day, units, stratum."""
    conversions = list(
        Conversion.objects.reported()
        .filter(days, site=lens.site, rule=rule, time__gte=test.started_at)
        .order_by("time", "id")
        .values_list("day", "visitor_id", "time", "value", "currency", "beyond")
    )
    rows = _exposures(lens, test).filter(in_array("visitor_id", {c[1] for c in conversions}))
    known: tuple[str, ...] = ()
    if with_strata:
        rows = of_their_visits(rows).annotate(before=converted_before(rule))
        known = ("device", "returning", "before")
    who = {
        visitor: (ord(letter), first_at, stratum_of(*what) if what else 0)
        for visitor, letter, first_at, *what in rows.values_list("visitor_id", "letter", "first_at", *known)
    }
    found: defaultdict[date, list[tuple[int, ...]]] = defaultdict(list)
    for day, visitor, time, value, currency, beyond in conversions:
        if visitor not in who or time < who[visitor][1]:
            continue
        letter, _, stratum = who[visitor]
        # A value in another currency, or beyond the day's limits, is in no sum.
        units = 0 if not value or currency or beyond else int(value * UNITS)
        found[day].append((letter, visitor, (time - _EPOCH) // _TICK, day.toordinal(), units, stratum))
    for day, several in found.items():
        yield day, *np.array(several, dtype=np.int64).T


def _exposures(lens: Lens, test: SplitTest) -> QuerySet[Exposure]:
    return Exposure.objects.filter(counted(lens), test=test).order_by()


def _of_days(
    lens: Lens, test: SplitTest, last: date, what: object, read: Callable[[Q], Iterable[Row]]
) -> list[Row]:
    if not test.started_at:
        return []
    first = test.started_at.astimezone(lens.site.zone).date()
    sight = lens.sight and (test.pk, test.started_at, lens.sight, what)
    return of_days(TABLES, lens.site.pk, first, max(first, last), sight, read, back=None)
