"""Looks at pages, and keeps what has changed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from clabo.collect.events.models import Page
from clabo.collect.pictures.models import PageLook, PagePicture
from clabo.collect.pictures.taking import Shot, Taken, take
from clabo.core.pages.picture_change import Place, Tile, changed, differing
from clabo.setup.sites.models import Site

# Of one page and width; the oldest go first.
MOST_KEPT = 60


def look(site: Site, page: Page, now: datetime) -> None:
    """Have a look at the page: a picture that tells of a change is kept beside those before."""
    taken = take(site, page)
    # What changes from one moment to the next is told apart by a second look, which only a change calls for.
    again = take(site, page) if any(_new(page, s) for s in taken.shots) else None
    # Without the second look nobody knows what moves by itself: it counts as a look that brought nothing.
    store_look(site, page, again if again and not again.shots else taken, now, again)


def store_look(site: Site, page: Page, taken: Taken, now: datetime, again: Taken | None = None) -> None:
    """Keep a look at the page. `again` is another, moments later; without one nothing moves by itself."""
    once_more = {s.width: s.tiles for s in again.shots} if again else {}
    with transaction.atomic():
        PageLook.objects.update_or_create(
            page=page,
            defaults={
                "site": site,
                "looked_at": now,
                "reason": taken.reason,
                "more": taken.more[:260],
                "left_out": taken.left_out,
                # A look that failed says nothing of the links.
                **({"links": taken.links} if not taken.reason else {}),
            },
        )
        for shot in taken.shots:
            _keep_shot(site, page, shot, once_more.get(shot.width), now)


def _keep_shot(site: Site, page: Page, shot: Shot, once_more: list[list[Tile]] | None, now: datetime) -> None:
    last = _last(page, shot.width)
    places: set[Place] | None = None
    if last is not None:
        places = changed(tiles_in(last.tiles), shot.tiles, once_more)
        if not places:
            PagePicture.objects.filter(pk=last.pk).update(seen_at=now)
            return
    PagePicture.objects.create(
        site=site,
        page=page,
        width=shot.width,
        taken_at=now,
        seen_at=now,
        height=shot.height,
        cut=shot.cut,
        whole=shot.whole,
        small=shot.small,
        tiles=[[[f"{t.bits:x}", *t.colour] for t in row] for row in shot.tiles],
        changed=None if places is None else sorted(map(list, places)),
    )
    old = PagePicture.objects.filter(page=page, width=shot.width).order_by("-taken_at")
    PagePicture.objects.filter(pk__in=list(old.values_list("pk", flat=True)[MOST_KEPT:])).delete()


def _last(page: Page, width: str) -> PagePicture | None:
    pictures = PagePicture.objects.filter(page=page, width=width).defer("whole", "small")
    return pictures.order_by("-taken_at").first()


def _new(page: Page, shot: Shot) -> bool:
    last = _last(page, shot.width)
    return last is not None and bool(differing(tiles_in(last.tiles), shot.tiles))


def tiles_in(stored: Sequence[Sequence[Sequence[Any]]]) -> list[list[Tile]]:
    """Tiles as they are kept."""
    return [[Tile(int(bits, 16), (r, g, b)) for bits, r, g, b in row] for row in stored]
