"""Columns of one's own."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.judge.columns import services
from clabo.judge.columns.schemas import OwnColumnIn, OwnColumnOut, own_column_out
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.setup.sites.access import site_for

router = Router(tags=["columns"])
HERE = "/sites/{int:site_id}/columns"


@router.get(HERE, response=list[OwnColumnOut])
def own_columns(request: HttpRequest, site_id: int) -> list[OwnColumnOut]:
    return [own_column_out(c) for c in services.columns_of(site_for(request, site_id))]


@router.post(HERE, response=OwnColumnOut)
def make_column(request: HttpRequest, site_id: int, data: OwnColumnIn) -> OwnColumnOut:
    site = site_for(request, site_id, Role.EDITOR)
    return own_column_out(services.make_column(site, **data.dict(), by=person(request)))


@router.delete(HERE + "/{int:column_id}", response={204: None})
def remove_column(request: HttpRequest, site_id: int, column_id: int) -> tuple[int, None]:
    services.remove_column(site_for(request, site_id, Role.EDITOR), column_id)
    return 204, None
