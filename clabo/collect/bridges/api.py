"""Bridge links: made, changed, removed, and how often they are followed."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.collect.bridges import queries, services
from clabo.collect.bridges.schemas import (
    BridgeIn,
    BridgeOut,
    BroughtBy,
    BroughtOut,
    FollowedOut,
    followed_out,
    links_out,
)
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.problems import Problem
from clabo.setup.sites.access import site_for

router = Router(tags=["bridge links"])


def _may_see_secrets(request: HttpRequest, site_id: int) -> bool:
    """Whether somebody who may change links is signed in: no token is told a secret, whatever else it may read."""
    if person(request).limit is not None:
        return False
    try:
        site_for(request, site_id, Role.EDITOR)
    except Problem:
        return False
    return True


@router.get("/sites/{int:site_id}/bridges", response=list[BridgeOut])
def bridge_links(request: HttpRequest, site_id: int) -> list[BridgeOut]:
    site = site_for(request, site_id)
    return links_out(site, queries.links_of(site), _may_see_secrets(request, site_id))


@router.get("/sites/{int:site_id}/bridges/{int:link_id}/brought", response=BroughtOut, openapi_extra=FILES)
@as_table("Bridge link", FollowedOut, lambda answer: [*answer.rows, answer.whole])
def what_it_brought(request: HttpRequest, site_id: int, link_id: int, words: Query[BroughtBy]) -> BroughtOut:
    site = site_for(request, site_id)
    found = queries.brought(site, queries.link_of(site, link_id), words.by, site.last_days(words.days))
    return BroughtOut(
        by=found.by,
        choices=found.choices,
        rows=[followed_out(f) for f in found.rows],
        whole=followed_out(found.whole),
        cut=found.cut,
        currency=site.currency,
    )


@router.post("/sites/{int:site_id}/bridges", response=BridgeOut)
def make_bridge_link(request: HttpRequest, site_id: int, data: BridgeIn) -> BridgeOut:
    site = site_for(request, site_id, Role.EDITOR)
    return links_out(site, [services.save_link(site, **data.dict())], True)[0]


@router.put("/sites/{int:site_id}/bridges/{int:link_id}", response=BridgeOut)
def change_bridge_link(request: HttpRequest, site_id: int, link_id: int, data: BridgeIn) -> BridgeOut:
    site = site_for(request, site_id, Role.EDITOR)
    return links_out(
        site, [services.save_link(site, **data.dict(), link=queries.link_of(site, link_id))], True
    )[0]


@router.delete("/sites/{int:site_id}/bridges/{int:link_id}", response={204: None})
def remove_bridge_link(request: HttpRequest, site_id: int, link_id: int) -> tuple[int, None]:
    services.remove_link(queries.link_of(site_for(request, site_id, Role.EDITOR), link_id))
    return 204, None
