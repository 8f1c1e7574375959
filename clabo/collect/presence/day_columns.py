"""A day's events and visits as columns, read from the tables without an object a row."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.db.models import BigIntegerField, Case, F, QuerySet, Value, When
from django.db.models.functions import Coalesce, Least
from numpy.typing import NDArray

from clabo.collect.events.models import Event, Kind, TrafficClass, Visit
from clabo.collect.presence.atoms import Key, atoms
from clabo.collect.presence.keys import LEFT_OUT, arrival, event_key
from clabo.collect.presence.models import Atom
from clabo.platform.db.columns import MICROSECONDS_TO_2000, read_columns
from clabo.setup.sites.models import Site


@dataclass(frozen=True, slots=True)
class Columns:
    """A day: visitor numbers, microseconds since 1970, atoms, and ids of visits (0: none), in order."""

    people: NDArray[np.uint32]
    times: NDArray[np.int64]
    atoms: NDArray[np.uint32]
    visits: NDArray[np.int64]


def unpacked(site: Site, day: date) -> Columns:
    """A day as it is stored now, out of the tables."""
    start, end = site.midnight(day), site.midnight(day + timedelta(days=1))
    events = Event.objects.reported().filter(site=site, time__gte=start, time__lt=end)
    visits = Visit.objects.filter(site=site, day=day, traffic_class=TrafficClass.COUNTED)
    happened = _rows(site, events.exclude(kind__in=LEFT_OUT), _EVENTS)
    began = _rows(site, visits, _VISITS)

    def both(name: str) -> NDArray[np.int64]:
        return np.concatenate([began[name], happened[name]]).astype(np.int64)

    # Where two things have one time, a visit begins before all, and a view comes before the rest.
    # In the order of a visitor's events everywhere: of two with the same time and sort, the smaller id comes first.
    rank = np.concatenate(
        [np.zeros(len(began["id"]), np.int8), np.where(happened["kind"] == Kind.VIEW, 1, 2)]
    )
    high = np.concatenate([began["id"].astype(np.uint64), happened["id"]["high"].astype(np.uint64)])
    low = np.concatenate([np.zeros(len(began["id"]), np.uint64), happened["id"]["low"].astype(np.uint64)])
    order = np.lexsort((low, high, rank, both("time")))
    return Columns(
        both("person")[order].astype(np.uint32),
        both("time")[order] + MICROSECONDS_TO_2000,
        both("atom")[order].astype(np.uint32),
        both("visit")[order],
    )


def _or_zero(column: str) -> Coalesce:
    return Coalesce(column, Value(0), output_field=BigIntegerField())


@dataclass(frozen=True, slots=True)
class _Source:
    """What is read of a table: columns by name with their types, what tells an atom, and where an atom has the same."""

    columns: dict[str, tuple[Any, Any]]
    telling: tuple[Any, ...]
    sort: Atom.Sort
    told: tuple[Any, ...]
    key: Callable[..., Key]


_EVENTS = _Source(
    {
        "time": (F("time"), ">i8"),
        "id": (F("id"), [("high", ">u8"), ("low", ">u8")]),
        "kind": (F("kind"), ">i2"),
        "person": (F("visitor__number"), ">i4"),
        "visit": (_or_zero("visit_id"), ">i8"),
    },
    (F("kind"), F("page_id"), _or_zero("element_id"), F("name")),
    Atom.Sort.EVENT,
    (F("kind"), F("page_id"), _or_zero("element_id"), F("name")),
    lambda kind, page, element, name: event_key(kind, page, element or None, name),
)
_VISITS = _Source(
    {
        "time": (F("started_at"), ">i8"),
        "id": (F("number"), ">i4"),
        "person": (F("visitor__number"), ">i4"),
        "visit": (F("id"), ">i8"),
    },
    (_or_zero("entry_page_id"), F("origin_id"), F("device"), Least(F("number"), Value(2))),
    Atom.Sort.VISIT,
    (_or_zero("page_id"), F("origin_id"), F("device"), Case(When(first=True, then=1), default=2)),
    lambda page, origin, device, number: arrival(page or None, origin, device, number),
)


def _rows(site: Site, rows: QuerySet[Any, Any], source: _Source) -> dict[str, NDArray[Any]]:
    """The rows' columns, and the atom of each; atoms that are not there yet are made."""
    found = _with_atoms(site, rows, source)
    if (found["atom"] == 0).any():
        keys = rows.order_by().values_list(*source.telling).distinct()
        atoms(site.pk, {source.key(*key) for key in keys})
        found = _with_atoms(site, rows, source)
        # What has come since its atoms were looked up is left out.
        known = found["atom"] != 0
        found = {name: column[known] for name, column in found.items()}
    return found


def _with_atoms(site: Site, rows: QuerySet[Any, Any], source: _Source) -> dict[str, NDArray[Any]]:
    columns = [expression for expression, _ in source.columns.values()]
    inner, params = rows.order_by().values_list(*columns, *source.telling).query.sql_with_params()
    known = Atom.objects.filter(site=site, sort=source.sort).order_by().values_list("id", *source.told)
    atom_sql, atom_params = known.query.sql_with_params()
    by = ", ".join(f"by_{place}" for place in range(len(source.telling)))
    # Each apart, or the planner goes through the events once for each atom.
    sql = (
        f"WITH r ({', '.join(source.columns)}, {by}) AS MATERIALIZED ({inner}), a (atom, {by}) AS MATERIALIZED ({atom_sql}) "
        f"SELECT {', '.join(f'r.{name}' for name in source.columns)}, coalesce(a.atom, 0) FROM r LEFT JOIN a USING ({by})"
    )
    types = {name: kind for name, (_, kind) in source.columns.items()}
    return read_columns(sql, [*params, *atom_params], {**types, "atom": ">i4"})
