"""Sites and their settings."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.platform.accounts.access import workspace_for
from clabo.platform.accounts.models import Role
from clabo.setup.sites import deleted, services
from clabo.setup.sites.access import site_for
from clabo.setup.sites.schemas import DeletedOut, Host, NewSite, ProofKeyOut, SiteChange, SiteOut, site_out

router = Router(tags=["sites"])


@router.post("/workspaces/{int:workspace_id}/sites", response=SiteOut)
def make_site(request: HttpRequest, workspace_id: int, data: NewSite) -> SiteOut:
    workspace = workspace_for(request, workspace_id, Role.EDITOR)
    return site_out(services.make_site(workspace, data.name, data.hosts, data.currency, data.time_zone))


@router.get("/sites/{int:site_id}", response=SiteOut)
def get_site(request: HttpRequest, site_id: int) -> SiteOut:
    return site_out(site_for(request, site_id))


@router.post("/sites/{int:site_id}/hosts", response=SiteOut)
def add_host(request: HttpRequest, site_id: int, data: Host) -> SiteOut:
    site = site_for(request, site_id, Role.EDITOR)
    services.add_host(site, data.host, data.stands_for)
    return site_out(site_for(request, site_id))


@router.get("/sites/{int:site_id}/proof-keys", response=list[ProofKeyOut])
def proof_keys(request: HttpRequest, site_id: int) -> list[ProofKeyOut]:
    keys = site_for(request, site_id).proof_keys.filter(ended_at=None)
    return [ProofKeyOut(id=k.pk, made_at=k.made_at) for k in keys]


@router.post("/sites/{int:site_id}/proof-keys", response=ProofKeyOut)
def make_proof_key(request: HttpRequest, site_id: int) -> ProofKeyOut:
    key = services.make_proof_key(site_for(request, site_id, Role.EDITOR))
    return ProofKeyOut(id=key.pk, made_at=key.made_at, secret=key.secret)


@router.delete("/sites/{int:site_id}/proof-keys/{int:key_id}", response={204: None})
def end_proof_key(request: HttpRequest, site_id: int, key_id: int) -> tuple[int, None]:
    services.end_proof_key(site_for(request, site_id, Role.EDITOR), key_id)
    return 204, None


@router.patch("/sites/{int:site_id}", response=SiteOut)
def change_site(request: HttpRequest, site_id: int, data: SiteChange) -> SiteOut:
    site = site_for(request, site_id, Role.EDITOR)
    services.change_site(site, **data.dict(exclude={"hosts"}))
    if data.hosts is not None:
        services.set_hosts(site, [(h.host, h.stands_for) for h in data.hosts])
    return site_out(site)


@router.get("/sites/{int:site_id}/deleted", response=list[DeletedOut])
def deleted_things(request: HttpRequest, site_id: int) -> list[deleted.Deleted]:
    return deleted.deleted_from(site_for(request, site_id))


@router.post("/sites/{int:site_id}/deleted/{kind}/{int:thing_id}/restore", response={204: None})
def restore_deleted(request: HttpRequest, site_id: int, kind: str, thing_id: int) -> tuple[int, None]:
    deleted.restore(site_for(request, site_id, Role.EDITOR), kind, thing_id)
    return 204, None
