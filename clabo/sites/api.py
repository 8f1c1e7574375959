"""Sites and their settings."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts.access import workspace_for
from clabo.accounts.models import Role
from clabo.sites import services
from clabo.sites.access import site_for
from clabo.sites.models import Site
from clabo.sites.reach import origin_of

router = Router(tags=["sites"])
ConsentName = Literal["always", "ask", "nameless"]


class Host(Schema):
    host: str = Field(max_length=300)
    stands_for: str = Field("", max_length=300)


class SiteOut(Schema):
    id: int
    name: str
    key: str
    currency: str
    time_zone: str
    hosts: list[Host]
    # Where its first host's pages can be opened.
    origin: str
    meaningful_parameters: list[str]
    keep_fragment: bool
    attribution_window_days: int
    margin: Decimal | None
    consent: ConsentName
    own_networks: list[str]
    frame_origins: list[str]


class NewSite(Schema):
    name: str = Field(max_length=120)
    hosts: list[str] = Field(max_length=50)
    currency: str = "EUR"
    time_zone: str = "UTC"


class SiteChange(Schema):
    name: str | None = Field(None, max_length=120)
    currency: str | None = None
    time_zone: str | None = None
    hosts: list[Host] | None = Field(None, max_length=50)
    meaningful_parameters: list[str] | None = Field(None, max_length=50)
    keep_fragment: bool | None = None
    attribution_window_days: int | None = None
    margin: Decimal | None = None
    consent: ConsentName | None = None
    own_networks: list[Annotated[str, Field(max_length=100)]] | None = Field(None, max_length=50)
    frame_origins: list[Annotated[str, Field(max_length=300)]] | None = Field(None, max_length=20)


def _out(site: Site) -> SiteOut:
    fields = {name: getattr(site, name) for name in SiteOut.model_fields if name not in ("hosts", "origin")}
    return SiteOut(
        **fields,
        origin=origin_of(site),
        hosts=[Host(host=h.host, stands_for=h.stands_for) for h in site.hosts.all()],
    )


@router.post("/workspaces/{int:workspace_id}/sites", response=SiteOut)
def make_site(request: HttpRequest, workspace_id: int, data: NewSite) -> SiteOut:
    workspace = workspace_for(request, workspace_id, Role.EDITOR)
    return _out(services.make_site(workspace, data.name, data.hosts, data.currency, data.time_zone))


@router.get("/sites/{int:site_id}", response=SiteOut)
def get_site(request: HttpRequest, site_id: int) -> SiteOut:
    return _out(site_for(request, site_id))


@router.post("/sites/{int:site_id}/hosts", response=SiteOut)
def add_host(request: HttpRequest, site_id: int, data: Host) -> SiteOut:
    site = site_for(request, site_id, Role.EDITOR)
    services.add_host(site, data.host, data.stands_for)
    return _out(site_for(request, site_id))


class ProofKeyOut(Schema):
    """A key that the site's server signs orders with. `secret` is there once: when the key is made."""

    id: int
    made_at: datetime
    secret: str | None = None


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
    return _out(site)
