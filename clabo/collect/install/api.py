"""The tag: its kit, the check of a page, and which pages have it."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.collect.install import coverage, kit, queries
from clabo.collect.install.checking import check_page
from clabo.collect.install.schemas import (
    CheckedOut,
    CheckIn,
    CoverageOut,
    CoveredOut,
    KnownPage,
    ListedOut,
    OpenKitOut,
    PagesIn,
    PieceOut,
    Pixel,
    RefusedHostOut,
    RefusedKind,
    SharedKit,
    ShareIn,
    ShareOut,
    TagFindingOut,
    pieces_out,
)
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for
from clabo.setup.sites.reach import origin_of

router = Router(tags=["pixel"])


@router.get("/sites/{int:site_id}/pixel", response=Pixel)
def pixel(request: HttpRequest, site_id: int, search: str = "") -> Pixel:
    state = queries.tag_state(site_for(request, site_id), search[:200])
    return Pixel(
        head_line=state.lines.head,
        render_line=state.lines.render,
        pixel_line=state.lines.pixel,
        first_at=state.first_at,
        last_at=state.last_at,
        pages_total=state.pages_total,
        stopped=state.stopped,
        silent_since=state.silent_since,
        own_at=state.own_at,
        pages=[KnownPage(**{name: getattr(p, name) for name in KnownPage.model_fields}) for p in state.pages],
        refusals=[
            RefusedKind(reason=r.reason, day=str(r.day), count=r.count, sample=r.sample, last_at=r.last_at)
            for r in state.refusals
        ],
        refused_hosts=[
            RefusedHostOut(host=r.host, count=r.count, last_at=r.last_at) for r in state.refused_hosts
        ],
    )


@router.get("/sites/{int:site_id}/kit", response=list[PieceOut])
def install_kit(request: HttpRequest, site_id: int) -> list[PieceOut]:
    return pieces_out(site_for(request, site_id))


@router.post("/sites/{int:site_id}/kit/share", response=ShareOut)
def share_kit(request: HttpRequest, site_id: int, data: ShareIn) -> ShareOut:
    site = site_for(request, site_id, Role.EDITOR)
    link = kit.share_kit(site, person(request), data.email, data.note)
    return ShareOut(address=kit.kit_address(link), expires_at=link.expires_at, mailed_to=link.email)


@router.get("/kit/{token}", response=SharedKit, auth=None)
def shared_kit(request: HttpRequest, token: str) -> SharedKit:
    link = kit.kit_behind(token)
    state = queries.tag_state(link.site, most=0)
    return SharedKit(
        site=link.site.name,
        hosts=[h.host for h in link.site.hosts.all()],
        asked_by=link.created_by.name or link.created_by.email if link.created_by else "",
        note=link.note,
        expires_at=link.expires_at,
        first_at=state.first_at,
        last_at=state.last_at,
        pieces=pieces_out(link.site),
    )


@router.get("/sites/{int:site_id}/kit/links", response=list[OpenKitOut])
def open_kit_links(request: HttpRequest, site_id: int) -> list[OpenKitOut]:
    return [
        OpenKitOut(
            id=link.pk,
            email=link.email,
            note=link.note,
            by=str(link.created_by or ""),
            created_at=link.created_at,
            expires_at=link.expires_at,
        )
        for link in kit.open_kits(site_for(request, site_id, Role.EDITOR))
    ]


@router.delete("/sites/{int:site_id}/kit/links/{int:link_id}", response={204: None})
def revoke_kit_link(request: HttpRequest, site_id: int, link_id: int) -> tuple[int, None]:
    kit.revoke_kit(site_for(request, site_id, Role.EDITOR), link_id)
    return 204, None


@router.get("/sites/{int:site_id}/coverage", response=CoverageOut, openapi_extra=FILES)
@as_table("Tag on pages", CoveredOut, lambda answer: answer.pages)
def get_coverage(request: HttpRequest, site_id: int, search: str = "", state: str = "") -> CoverageOut:
    site = site_for(request, site_id)
    found = coverage.coverage(site, search, state)
    origins = {host: origin_of(site, host) for host in {p.host for p in found.pages}}
    return CoverageOut(
        total=found.total,
        by_state={str(name): n for name, n in found.by_state.items()},
        pages=[
            CoveredOut(
                **{
                    name: getattr(p, name)
                    for name in CoveredOut.model_fields
                    if name not in ("checked_at", "findings", "address")
                },
                address=origins[p.host] + p.path,
                checked_at=p.check.checked_at if p.check else None,
                findings=[TagFindingOut(**f) for f in p.check.findings] if p.check else [],
            )
            for p in found.pages
        ],
    )


@router.post("/sites/{int:site_id}/coverage/pages", response=ListedOut)
def list_pages(request: HttpRequest, site_id: int, data: PagesIn) -> ListedOut:
    site = site_for(request, site_id, Role.EDITOR)
    added = (
        coverage.list_sitemap(site, data.sitemap) if data.sitemap else coverage.list_pages(site, data.pages)
    )
    return ListedOut(added=added)


@router.post("/sites/{int:site_id}/check-page", response=CheckedOut)
def check(request: HttpRequest, site_id: int, data: CheckIn) -> CheckedOut:
    found = check_page(site_for(request, site_id, Role.EDITOR), data.url)
    return CheckedOut(
        url=found.url,
        status=found.status,
        redirects=found.redirects,
        title=found.title,
        findings=[TagFindingOut(verdict=f.verdict, good=f.good, more=f.more) for f in found.findings],
        last_hit_at=found.page.last_at if found.page else None,
        stopped=bool(found.page and found.page.stopped_at),
        twice_at=found.page.twice_at if found.page else None,
        new_links=found.new_links,
        frames=found.frames,
    )
