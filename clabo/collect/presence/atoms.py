"""Atoms, found or made, and remembered by the process: they never change and never go."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from django.db import transaction
from django.db.models import Q

from clabo.collect.presence.models import Atom
from clabo.platform.db.arrays import in_array

Sort = Atom.Sort
MOST_REMEMBERED = 200_000


class Key(NamedTuple):
    """What tells an atom from the others of its site."""

    sort: int
    kind: int = 0
    page: int | None = None
    element: int | None = None
    name: str = ""
    origin: int | None = None
    device: int = 0
    first: bool = False
    conversion: int | None = None


_COLUMNS = ("sort", "kind", "page_id", "element_id", "name", "origin_id", "device", "first", "conversion")
_remembered: dict[tuple[int, Key], int] = {}


def atoms(site_id: int, keys: Collection[Key]) -> dict[Key, int]:
    """The id of every atom, made where it is new. The caller holds the site's lock."""
    found = {key: known for key in keys if (known := _remembered.get((site_id, key)))}
    unknown = [key for key in keys if key not in found]
    if not unknown:
        return found
    stored = _stored(site_id, unknown)
    missing = [key for key in unknown if key not in stored]
    if missing:
        Atom.objects.bulk_create([_row(site_id, key) for key in missing], ignore_conflicts=True)
        made = _stored(site_id, missing)
        stored |= made
    # Also one that is only found may have been made in this transaction: rolled back, it must not be remembered.
    transaction.on_commit(lambda: _remember(site_id, stored))
    return found | stored


def _remember(site_id: int, found: dict[Key, int]) -> None:
    if len(_remembered) > MOST_REMEMBERED:
        _remembered.clear()
    _remembered.update({(site_id, key): pk for key, pk in found.items()})


def _stored(site_id: int, keys: Collection[Key]) -> dict[Key, int]:
    wanted = set(keys)
    pages = {k.page for k in wanted if k.page is not None}
    rules = {k.conversion for k in wanted if k.conversion is not None}
    likely = Q(page=None, conversion=None)
    if pages:
        likely |= in_array("page_id", pages)
    if rules:
        likely |= in_array("conversion", rules)
    # A page may have a hundred thousand names that somebody made up: only those that are asked for are read.
    rows = Atom.objects.filter(
        likely,
        in_array("name", {k.name for k in wanted}, "text"),
        site_id=site_id,
        sort__in={k.sort for k in wanted},
    )
    return {key: pk for pk, *parts in rows.values_list("id", *_COLUMNS) if (key := Key(*parts)) in wanted}


def _row(site_id: int, key: Key) -> Atom:
    values = dict(zip(_COLUMNS, key, strict=True))
    return Atom(site_id=site_id, **values)
