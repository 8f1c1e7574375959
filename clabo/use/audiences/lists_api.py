"""Lists of identities, and what joins somebody's browsers."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from clabo.collect.pipeline import rejoining
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.setup.sites.access import site_for
from clabo.use.audiences import lists, queries
from clabo.use.audiences.schemas import HashesIn, IdentityIn, ListIn, ListOut, ListSizeOut, list_out

router = Router(tags=["audiences"])
HERE = "/sites/{int:site_id}/lists"
ONE = HERE + "/{int:list_id}"


@router.get(HERE, response=list[ListOut])
def identity_lists(request: HttpRequest, site_id: int) -> list[ListOut]:
    return [list_out(b) for b in lists.brought(site_for(request, site_id))]


@router.post(HERE, response=ListOut)
def make_list(request: HttpRequest, site_id: int, data: ListIn) -> ListOut:
    site = site_for(request, site_id, Role.EDITOR)
    return list_out(lists.make_list(site, data.name, data.kind, person(request)))


@router.post(ONE + "/hashes", response=ListSizeOut)
def put_on_list(request: HttpRequest, site_id: int, list_id: int, data: HashesIn) -> ListSizeOut:
    row = queries.list_of(site_for(request, site_id, Role.EDITOR), list_id)
    return ListSizeOut(size=lists.put_on(row, data.hashes))


@router.delete(ONE, response={204: None})
def remove_list(request: HttpRequest, site_id: int, list_id: int) -> tuple[int, None]:
    lists.remove_list(queries.list_of(site_for(request, site_id, Role.EDITOR), list_id))
    return 204, None


@router.put("/sites/{int:site_id}/identities/{int:identity_id}", response={204: None})
def switch_identity(
    request: HttpRequest, site_id: int, identity_id: int, data: IdentityIn
) -> tuple[int, None]:
    rejoining.switch(site_for(request, site_id, Role.EDITOR), identity_id, data.off)
    return 204, None
