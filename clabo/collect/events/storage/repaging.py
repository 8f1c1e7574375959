"""Stored events put on other pages, where a site's settings say that other pages they are."""

from __future__ import annotations

from collections import defaultdict

from django.db import connection
from django.db.models import Count, Max, Min, Q

from clabo.collect.events.intake.allowance import MOST
from clabo.collect.events.intake.inventory import CROWD_PATH
from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Event, Kind, Page
from clabo.core.pages.addresses import Address, AddressError
from clabo.platform.db.arrays import in_array

_AT_ONCE = 5000


def repage(reading: SiteReader) -> None:
    """Give every stored event of a site the page that its address is by these settings; pages are made where they lack.

    The caller holds the site's lock and a transaction, and stitches everybody's visits anew. What was not kept of an
    address (a fragment, a host that another stood for) does not come back.
    """
    site_id = reading.site_id
    pages = {p.pk: p for p in Page.objects.filter(site_id=site_id)}
    by_address = {Address(p.host, p.path): p.pk for p in pages.values()}
    room = MOST["pages"] - len(pages)
    moves: list[tuple[int, str, int]] = []
    wanted: defaultdict[Address, list[tuple[int, str]]] = defaultdict(list)
    rows = Event.objects.filter(site_id=site_id).order_by().values_list("page_id", "query").distinct()
    for page_id, query in rows.iterator(chunk_size=_AT_ONCE):
        page = pages.get(page_id)
        if page is None or page.crowd:
            continue
        stood = Address(page.host, page.path)
        try:
            address = reading.pages.again(stood, query)
        except AddressError:
            continue
        if address != stood:
            wanted[address].append((page_id, query))
    for address, those in wanted.items():
        there = address
        if there not in by_address:
            if room <= 0:
                there = Address(address.host, CROWD_PATH)
            else:
                room -= 1
        if there not in by_address:
            old = pages[those[0][0]]
            by_address[there] = Page.objects.create(
                site_id=site_id,
                host=there.host,
                path=there.path,
                title=old.title,
                first_at=old.first_at,
                last_at=old.last_at,
                crowd=there.path == CROWD_PATH,
            ).pk
        moves += [(page_id, query, by_address[there]) for page_id, query in those]
    for start in range(0, len(moves), _AT_ONCE):
        _move(site_id, moves[start : start + _AT_ONCE])
    if moves:
        _count(site_id, {page for old, _, new in moves for page in (old, new)})


def _move(site_id: int, moves: list[tuple[int, str, int]]) -> None:
    old, queries, new = map(list, zip(*moves, strict=True))
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE events_event e SET page_id = m.new "
            "FROM unnest(%s::bigint[], %s::text[], %s::bigint[]) AS m(old, query, new) "
            "WHERE e.site_id = %s AND e.page_id = m.old AND e.query = m.query",
            [old, queries, new, site_id],
        )


def _count(site_id: int, concerned: set[int]) -> None:
    """What the inventory says of these pages; those on which nothing happened keep when they were first and last seen."""
    rows = (
        Event.objects.filter(in_array("page_id", concerned), site_id=site_id)
        .order_by()
        .values_list("page_id")
        .annotate(first=Min("time"), last=Max("time"), n=Count("time", filter=Q(kind=Kind.VIEW)))
    )
    seen = {page_id: rest for page_id, *rest in rows}
    changed = list(Page.objects.filter(in_array("id", concerned)))
    for page in changed:
        page.views = 0
        if page.pk in seen:
            page.first_at, page.last_at, page.views = seen[page.pk]
    Page.objects.bulk_update(changed, ["first_at", "last_at", "views"], batch_size=_AT_ONCE)
