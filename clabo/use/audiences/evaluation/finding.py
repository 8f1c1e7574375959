"""Where what a definition asks is found: atoms of the index, or rows of events, visits and conversions."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from functools import singledispatch
from typing import Any

import numpy as np
from django.db.models import BigIntegerField, Exists, OuterRef, Q, QuerySet
from django.db.models.functions import Cast, Coalesce, Extract

from clabo.collect.events.models import Device, Event, Statement, TrafficClass, Visit
from clabo.collect.presence.models import Atom
from clabo.core import rules
from clabo.core.audiences import Came, Converted, Happened, OnDevice, SawVariant, Visited, What
from clabo.core.audiences.evaluate import Moments
from clabo.setup.conversions.matching.selecting import Inventory, condition, events_met
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.variants import tests_of
from clabo.use.audiences.models import Listed

# What of an event its atom knows.
_OF_ATOMS = {"kind", "page", "element", "name"}
_DEVICES = {d.label: d.value for d in Device}


def atoms_of(what: What, known: Inventory) -> list[int] | None:
    """Ids of the atoms that are `what`; None where atoms do not tell."""
    asked = _asked(what, known)
    if asked is None:
        return None
    return list(Atom.objects.filter(asked, site_id=known.site_id).values_list("id", flat=True))


# What atoms a thing is changes only when there are new ones.
_found: dict[tuple[int, What], tuple[int, list[int] | None]] = {}
MOST_FOUND = 20_000


def known_atoms(what: What, known: Inventory, newest: int) -> list[int] | None:
    """The same, looked up only where the site's newest atom was not there the last time."""
    found = _found.get((known.site_id, what))
    if found is None or found[0] != newest:
        if len(_found) > MOST_FOUND:
            _found.clear()
        found = _found[known.site_id, what] = newest, atoms_of(what, known)
    return found[1]


@singledispatch
def _asked(what: What, known: Inventory) -> Q | None:
    raise NotImplementedError(type(what).__name__)


@_asked.register
def _(what: Happened, known: Inventory) -> Q | None:
    parts = {fact.part for leaf in rules.leaves(what.rule) for fact in leaf.facts}
    return Q(sort=Atom.Sort.EVENT) & condition(what.rule, known) if parts <= _OF_ATOMS else None


@_asked.register
def _(what: Converted, known: Inventory) -> Q | None:
    return Q(sort=Atom.Sort.CONVERSION, conversion=what.conversion)


@_asked.register
def _(what: SawVariant, known: Inventory) -> Q | None:
    return None


@_asked.register
def _(what: Came, known: Inventory) -> Q | None:
    return None if what.sub_ids else Q(sort=Atom.Sort.VISIT) & _origin(what)


@_asked.register
def _(what: OnDevice, known: Inventory) -> Q | None:
    return Q(sort=Atom.Sort.VISIT, device=_DEVICES[what.device])


@_asked.register
def _(what: Visited, known: Inventory) -> Q | None:
    return Q(sort=Atom.Sort.VISIT) & (Q() if what.which == "any" else Q(first=what.which == "new"))


def _origin(what: Came) -> Q:
    names = ("channel", "source", "medium", "campaign", "ad_group", "ad")
    return Q(**{f"origin__{name}__iexact": value for name in names if (value := getattr(what, name))})


def moments_of(
    site: Site, what: What, known: Inventory, first: date, last: date, since: datetime | None = None
) -> Moments:
    """When `what` happened to whom from `first` to `last`, of what reports show; only what was received `since`."""
    return _numbers(_rows(what, site, known, first, last, since))


@singledispatch
def _rows(
    what: What, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    raise NotImplementedError(type(what).__name__)


def _between(site: Site, first: date, last: date) -> Q:
    return Q(time__gte=site.midnight(first), time__lt=site.midnight(last + timedelta(days=1)))


@_rows.register
def _(
    what: Happened, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    events = events_met(site.pk, what.rule, known).reported().filter(_between(site, first, last))
    return _timed(events.filter(received__gte=since) if since else events, "time")


@_rows.register
def _(
    what: Converted, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    found = Conversion.objects.reported().filter(
        _between(site, first, last), site=site, rule_id=what.conversion
    )
    if since:
        late = Event.objects.filter(site=site, id=OuterRef("event_id"), received__gte=since)
        found = found.filter(Exists(late))
    return _timed(found, "time")


@_rows.register
def _(
    what: SawVariant, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    tests = tests_of(site.pk)
    if tests is None:
        return Event.objects.none().values_list("visitor__number", "time")
    seen = tests.exposures.filter(
        test_id=what.test,
        letter=what.letter,
        first_at__gte=site.midnight(first),
        first_at__lt=site.midnight(last + timedelta(days=1)),
    )
    return _timed(seen.filter(first_at__gte=since) if since else seen, "first_at")


def listed(site_id: int, list_id: int) -> list[int]:
    """The numbers of the people of whom a page has stated an identity that is on the list."""
    rows = Statement.objects.counted().filter(
        Exists(
            Listed.objects.filter(
                list=list_id, list__kind=OuterRef("identity__kind"), hash=OuterRef("identity__hash")
            )
        ),
        identity__site=site_id,
    )
    owner = Coalesce("visitor__joined_to__number", "visitor__number")
    return list(rows.annotate(owner=owner).values_list("owner", flat=True).distinct())


def _visits(site: Site, first: date, last: date, since: datetime | None, which: Q) -> QuerySet[Any, Any]:
    visits = Visit.objects.filter(
        which, site=site, day__gte=first, day__lte=last, traffic_class=TrafficClass.COUNTED
    )
    return _timed(visits.filter(started_at__gte=since) if since else visits, "started_at")


@_rows.register
def _(
    what: Came, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    sub_ids = {f"sub_ids__{name}": value for name, value in what.sub_ids}
    return _visits(site, first, last, since, _origin(what) & Q(**sub_ids))


@_rows.register
def _(
    what: OnDevice, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    return _visits(site, first, last, since, Q(device=_DEVICES[what.device]))


@_rows.register
def _(
    what: Visited, site: Site, known: Inventory, first: date, last: date, since: datetime | None
) -> QuerySet[Any, Any]:
    which = {"any": Q(), "new": Q(number=1), "returning": ~Q(number=1)}[what.which]
    return _visits(site, first, last, since, which)


def _timed(rows: QuerySet[Any], time: str) -> QuerySet[Any, Any]:
    # Numbers are quicker to read than dates.
    at = Cast(Extract(time, "epoch") * 1_000_000, BigIntegerField())
    return rows.order_by().values_list("visitor__number", at)


def _numbers(rows: QuerySet[Any, Any]) -> Moments:
    found = np.fromiter(
        (value for row in rows.iterator(chunk_size=20_000) for value in row), dtype=np.int64
    ).reshape(-1, 2)
    return found[:, 0].astype(np.uint32), np.ascontiguousarray(found[:, 1])
