"""What is set aside from reports: looked at, added to, put back."""

from __future__ import annotations

from dataclasses import asdict

from django.http import HttpRequest
from ninja import Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.setup.monitoring import excluding
from clabo.setup.monitoring.forgetting import forget
from clabo.setup.monitoring.schemas import ExclusionIn, ExclusionOut, ForgottenOut, exclusion_out
from clabo.setup.monitoring.tasks import apply_later
from clabo.setup.sites.access import site_for

router = Router(tags=["set aside"])


@router.get("/sites/{int:site_id}/exclusions", response=list[ExclusionOut])
def exclusions(request: HttpRequest, site_id: int) -> list[ExclusionOut]:
    return [exclusion_out(e) for e in excluding.in_force(site_for(request, site_id))]


@router.post("/sites/{int:site_id}/exclusions", response=ExclusionOut)
def exclude(request: HttpRequest, site_id: int, data: ExclusionIn) -> ExclusionOut:
    site = site_for(request, site_id, Role.EDITOR)
    made = excluding.exclude(site, by=person(request), **data.dict())
    apply_later(site.pk)
    return exclusion_out(made)


@router.delete("/sites/{int:site_id}/exclusions/{int:exclusion_id}", response={204: None})
def put_back(request: HttpRequest, site_id: int, exclusion_id: int) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    excluding.undo(site, exclusion_id)
    apply_later(site.pk)
    return 204, None


@router.post("/sites/{int:site_id}/visitors/{int:visitor_id}/forget", response=ForgottenOut)
def forget_person(request: HttpRequest, site_id: int, visitor_id: int) -> ForgottenOut:
    return ForgottenOut(**asdict(forget(site_for(request, site_id, Role.OWNER), visitor_id)))
