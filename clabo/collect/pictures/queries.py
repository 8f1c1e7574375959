"""Which pages are to be looked at, and what is known of how pages look and looked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Q, QuerySet, Sum

from clabo.collect.events.models import Page, TrafficDay
from clabo.collect.pictures.models import PageLook, PagePicture, Width
from clabo.platform.problems import missing
from clabo.setup.sites.models import Site

MOST_PAGES = 500
# Those that most visits begin on are looked at every day, the others every week.
_BUSY = 40
_DAILY, _WEEKLY = timedelta(hours=20), timedelta(days=7) - timedelta(hours=4)
_AGAIN = timedelta(hours=6)
_TRAFFIC_DAYS = 28


@dataclass(frozen=True, slots=True)
class Looks:
    """How a page looks now, and since when: the last picture at each width, where there is one."""

    page_id: int
    look: PageLook
    desktop: PagePicture | None
    phone: PagePicture | None

    @property
    def changed_at(self) -> datetime | None:
        """When it was first seen as it looks now, if it had looked otherwise before."""
        times = [p.taken_at for p in (self.desktop, self.phone) if p is not None and p.changed is not None]
        return max(times, default=None)


def landing_pages(site: Site, now: datetime) -> list[Page]:
    """The site's pages on which visits have begun lately, those with most first; at most MOST_PAGES."""
    first = site.first_of_last(_TRAFFIC_DAYS, now)
    entered = (
        TrafficDay.objects.filter(site=site, day__gte=first, page__crowd=False, entries__gt=0)
        .values_list("page_id")
        .annotate(sum=Sum("entries"))
        .order_by("-sum", "page_id")[:MOST_PAGES]
    )
    ids = [page_id for page_id, _ in entered]
    pages = Page.objects.in_bulk(ids)
    return [pages[i] for i in ids]


def due(site: Site, now: datetime) -> list[Page]:
    """The landing pages that are to be looked at: those never seen, the busy ones each day, all each week."""
    pages = landing_pages(site, now)
    looks = PageLook.objects.in_bulk([p.pk for p in pages])
    found = []
    for place, page in enumerate(pages):
        look = looks.get(page.pk)
        wait = _AGAIN if look and look.reason else _DAILY if place < _BUSY else _WEEKLY
        if look is None or now - look.looked_at >= wait:
            found.append(page)
    return found


def looks_of(site: Site) -> list[Looks]:
    """All pages that were looked at."""
    last: dict[tuple[int, str], PagePicture] = {}
    for picture in _pictures(site).order_by("page_id", "width", "-taken_at").distinct("page_id", "width"):
        last[picture.page_id, picture.width] = picture
    return [
        Looks(k.pk, k, last.get((k.pk, Width.DESKTOP)), last.get((k.pk, Width.PHONE)))
        for k in PageLook.objects.filter(site=site).order_by("page_id")
    ]


def pictures_of(site: Site, page_id: int) -> list[PagePicture]:
    """All kept pictures of a page, the newest first."""
    return list(_pictures(site).filter(page_id=page_id).order_by("-taken_at", "width"))


def changes(site: Site, start: datetime, end: datetime, pages: Sequence[int] = ()) -> list[PagePicture]:
    """Pictures from this time that tell of a change: of the pages with these ids, or of all."""
    of = Q(page_id__in=pages) if pages else Q()
    found = _pictures(site).filter(of, taken_at__gte=start, taken_at__lt=end).exclude(changed=None)
    return list(found.select_related("page").order_by("taken_at", "page_id", "width"))


def image_of(site: Site, picture_id: int, small: bool) -> bytes:
    """The picture itself, as WebP; raises Problem where there is none of that number."""
    column = "small" if small else "whole"
    found = PagePicture.objects.filter(site=site, pk=picture_id).values_list(column, flat=True).first()
    if found is None:
        raise missing("picture")
    return bytes(found)


def _pictures(site: Site) -> QuerySet[PagePicture]:
    return PagePicture.objects.filter(site=site).defer("whole", "small", "tiles")


def looked_at(page_id: int) -> datetime | None:
    """When the page was last looked at."""
    return PageLook.objects.filter(page_id=page_id).values_list("looked_at", flat=True).first()
