"""Links of ads: built while they are written, kept, and what came through each."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for
from clabo.use.links import queries, services
from clabo.use.links.schemas import (
    AdLinkOut,
    AdLinksOut,
    LinkIn,
    LinkLookOut,
    NamingJson,
    link_out,
    look_out,
    naming_out,
    parts_of,
)

router = Router(tags=["links"])
HERE = "/sites/{int:site_id}/links"
ONE = HERE + "/{int:ad_link_id}"


@router.get(HERE, response=AdLinksOut, openapi_extra=FILES)
@as_table("Links", AdLinkOut, lambda answer: answer.links)
def ad_links(request: HttpRequest, site_id: int) -> AdLinksOut:
    site = site_for(request, site_id)
    lens, found = queries.came_through(site, queries.links_of(site))
    return AdLinksOut(
        days=queries.DAYS,
        conversion=lens.rule.name if lens.rule else "",
        naming=naming_out(queries.naming_of(site)),
        links=[link_out(t) for t in found],
    )


@router.post(HERE + "/look", response=LinkLookOut)
def look_at_link(request: HttpRequest, site_id: int, data: LinkIn) -> LinkLookOut:
    return look_out(services.look_at(site_for(request, site_id), parts_of(data)))


@router.post(HERE, response=AdLinkOut)
def keep_link(request: HttpRequest, site_id: int, data: LinkIn) -> AdLinkOut:
    site = site_for(request, site_id, Role.EDITOR)
    kept = services.save_link(site, parts_of(data), person(request))
    return link_out(queries.came_through(site, [kept])[1][0])


@router.put("/sites/{int:site_id}/link-naming", response=NamingJson)
def name_links(request: HttpRequest, site_id: int, data: NamingJson) -> NamingJson:
    site = site_for(request, site_id, Role.EDITOR)
    return naming_out(services.set_naming(site, data.lower, data.space, data.required))


@router.delete(ONE, response={204: None})
def remove_ad_link(request: HttpRequest, site_id: int, ad_link_id: int) -> tuple[int, None]:
    services.remove(services.link_of(site_for(request, site_id, Role.EDITOR), ad_link_id))
    return 204, None


@router.get(ONE + "/qr")
def link_qr(request: HttpRequest, site_id: int, ad_link_id: int) -> HttpResponse:
    link = services.link_of(site_for(request, site_id), ad_link_id)
    return HttpResponse(services.qr(link), content_type="image/svg+xml")
