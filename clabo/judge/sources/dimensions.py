"""What visits are told apart by, and where each table that counts them keeps it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import BooleanField, CharField, Count, Expression, F, Func, Q, Value
from django.db.models.expressions import Combinable, ExpressionWrapper
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Coalesce, Lower

from clabo.collect.events.models import Device, Origin
from clabo.core.audiences.predicates import SUB_IDS
from clabo.core.pages.traffic_source import CHANNELS
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site

# `…__lower` of a field.
CharField.register_lookup(Lower)

_ORIGIN = ("channel", "source", "medium", "campaign", "ad_group", "ad")
# Opened step by step, each within the one before.
CHAIN: tuple[str, ...] = (*_ORIGIN, *SUB_IDS)
# Written by whoever made the link, in whatever case; a source is kept in small letters.
# Told by the daily counts; the rest only by visits themselves.
NAMES: frozenset[str] = frozenset({"medium", "campaign", "ad_group", "ad"})
COUNTED: frozenset[str] = frozenset({*_ORIGIN, "page", "device"})
DIMENSIONS: tuple[str, ...] = (*CHAIN, "page", "device", "referrer", "returning")


@dataclass(frozen=True, slots=True)
class Within:
    """Only visits of this value of a dimension."""

    dimension: str
    value: str


def read_within(said: Sequence[str]) -> list[Within]:
    """What "dimension:value" words state; raises Problem."""
    found: list[Within] = []
    for text in said:
        dimension, colon, value = text.partition(":")
        if not colon or dimension not in DIMENSIONS:
            raise Problem(f"Each is <dimension>:<value>; dimensions are {', '.join(DIMENSIONS)}.", "at")
        if dimension in {w.dimension for w in found}:
            raise Problem("Each dimension can be named once.", "at")
        if dimension == "page" and not (value.isascii() and value.isdigit() and len(value) < 19):
            raise Problem("A page is named by its number.", "at")
        if dimension == "device" and value not in Device.labels:
            raise Problem(f"A device is one of {', '.join(Device.labels)}.", "at")
        if dimension == "returning" and value not in ("new", "returning"):
            raise Problem("A visit is new or returning.", "at")
        if dimension == "channel" and value not in CHANNELS:
            raise Problem(f"A channel is one of {', '.join(CHANNELS)}.", "at")
        if "\x00" in value:
            raise Problem("No name contains that character.", "at")
        found.append(Within(dimension, value))
    return found


def of_counts(dimension: str) -> str:
    """The field of TrafficDay and of Credit; names in small letters, since they are alike in any case."""
    field = {"page": "page_id", "device": "device"}.get(dimension, f"origin__{dimension}")
    return f"{field}__lower" if dimension in NAMES else field


def of_cost(dimension: str) -> str:
    """The field of CostPart, which knows channel and source of what no visit answered to, too."""
    return dimension if dimension in ("channel", "source") else of_counts(dimension)


def of_visits(dimension: str, prefix: str = "") -> Combinable:
    """The expression over visits, whose fields are behind `prefix`."""
    if dimension == "page":
        return F(f"{prefix}entry_page_id")
    if dimension == "referrer":
        return _host(F(f"{prefix}referrer"))
    if dimension == "returning":
        return ExpressionWrapper(Q(**{f"{prefix}number__gt": 1}), output_field=BooleanField())
    if dimension in SUB_IDS:
        return Coalesce(KeyTextTransform(dimension, f"{prefix}sub_ids"), Value(""), output_field=CharField())
    return F(prefix + of_counts(dimension))


def _host(address: Combinable) -> Expression:
    def part(of: Combinable, mark: str, which: int) -> Func:
        return Func(of, Value(mark), Value(which), function="split_part", output_field=CharField())

    return Lower(part(part(address, "://", 2), "/", 1))


def stored(dimension: str, value: str) -> Any:
    """A value as the tables keep it."""
    if dimension == "page":
        return int(value)
    if dimension == "device":
        return {d.label: d.value for d in Device}[value]
    if dimension == "returning":
        return value == "returning"
    return value.lower() if dimension in NAMES else value


def spellings(site: Site, dimension: str, values: Collection[str]) -> dict[str, str]:
    """How names in small letters are written: of several spellings the one of most origins, then the first by letters."""
    if dimension not in NAMES:
        return {}
    origins = Origin.objects.filter(**{"site": site, f"{dimension}__lower__in": list(values)}).order_by()
    found: dict[str, tuple[int, str]] = {}
    for text, n in origins.values_list(dimension).annotate(Count("id")):
        found[text.lower()] = min(found.get(text.lower(), (1, "")), (-n, text))
    return {small: text for small, (_, text) in found.items()}


def stated(dimension: str, value: Any) -> str:
    """The other way about: a stored value as an address states it."""
    if dimension == "device":
        return Device(value).label
    if dimension == "returning":
        return "returning" if value else "new"
    return "" if value is None else str(value)
