"""Pictures of pages."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router

from clabo.collect.events.models import Page
from clabo.collect.pictures import queries
from clabo.collect.pictures.models import PagePicture
from clabo.collect.pictures.tasks import have_taken
from clabo.core.pages.picture_change import TILE_HEIGHT, TILE_WIDTH
from clabo.platform.accounts.models import Role
from clabo.platform.problems import missing
from clabo.platform.shapes import Shape
from clabo.platform.wording.pictures import why_no_picture
from clabo.setup.sites.access import site_for

router = Router(tags=["pictures"])
HERE = "/sites/{int:site_id}/pictures"


class PictureOut(Shape):
    """One picture; the image itself is under its id."""

    id: int
    width: Literal["desktop", "phone"]
    height: int
    # The page is higher than pictures are.
    cut: bool
    taken_at: datetime
    # When it was last found to look like this.
    seen_at: datetime
    # Where it differs from the one before, in pixels of the page: left, top, wide, high. Missing for a page's first;
    # empty in the list of all pages.
    changed: list[list[int]] | None


class LooksOut(Shape):
    """How a page looks now."""

    page_id: int
    looked_at: datetime
    # Why the last look brought no picture.
    reason: str
    # Hosts that are not the site's: what lies there is missing in the picture.
    left_out: list[str]
    changed_at: datetime | None
    desktop: PictureOut | None
    phone: PictureOut | None


class WantedOut(Shape):
    looked_at: datetime | None


def picture_out(picture: PagePicture, where: bool = True) -> PictureOut:
    """The picture; without `where` of a change only that there was one."""
    changed = picture.changed if where or picture.changed is None else []
    return PictureOut(
        id=picture.pk,
        width="phone" if picture.width == "phone" else "desktop",
        height=picture.height,
        cut=picture.cut,
        taken_at=picture.taken_at,
        seen_at=picture.seen_at,
        changed=None
        if changed is None
        else [[column * TILE_WIDTH, row * TILE_HEIGHT, TILE_WIDTH, TILE_HEIGHT] for row, column in changed],
    )


@router.get(HERE, response=list[LooksOut])
def pictures(request: HttpRequest, site_id: int) -> list[LooksOut]:
    return [
        LooksOut(
            page_id=looks.page_id,
            looked_at=looks.look.looked_at,
            reason=why_no_picture(looks.look.reason, looks.look.more),
            left_out=looks.look.left_out,
            changed_at=looks.changed_at,
            desktop=picture_out(looks.desktop, where=False) if looks.desktop else None,
            phone=picture_out(looks.phone, where=False) if looks.phone else None,
        )
        for looks in queries.looks_of(site_for(request, site_id))
    ]


@router.get(HERE + "/{int:picture_id}")
def image(request: HttpRequest, site_id: int, picture_id: int, small: bool = False) -> HttpResponse:
    found = queries.image_of(site_for(request, site_id), picture_id, small)
    # A picture never changes; only this person's browser may keep it.
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return HttpResponse(found, content_type="image/webp", headers=headers)


@router.get("/sites/{int:site_id}/pages/{int:page_id}/pictures", response=list[PictureOut])
def page_pictures(request: HttpRequest, site_id: int, page_id: int) -> list[PictureOut]:
    site = site_for(request, site_id)
    if not Page.objects.filter(site=site, pk=page_id).exists():
        raise missing("page")
    return [picture_out(p) for p in queries.pictures_of(site, page_id)]


@router.post("/sites/{int:site_id}/pages/{int:page_id}/pictures", response=WantedOut)
def take_picture(request: HttpRequest, site_id: int, page_id: int) -> WantedOut:
    site = site_for(request, site_id, Role.EDITOR)
    if not Page.objects.filter(site=site, pk=page_id, crowd=False).exists():
        raise missing("page")
    have_taken(site, page_id)
    return WantedOut(looked_at=queries.looked_at(page_id))
