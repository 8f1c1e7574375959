"""Audiences: described, counted while they are described, explained, taken out."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta

from django.conf import settings
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Query, Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for
from clabo.use.audiences import exporting, queries, services
from clabo.use.audiences.evaluation import persons
from clabo.use.audiences.evaluation.overlap import overlap
from clabo.use.audiences.evaluation.preview import growth, preview
from clabo.use.audiences.models import Audience
from clabo.use.audiences.schemas import (
    AudienceIn,
    AudienceOut,
    AudiencePreviewIn,
    AudiencePreviewOut,
    AudienceVersionOut,
    BandsIn,
    CombinationOut,
    ExamplesOut,
    GrowthOut,
    LinkOut,
    MatrixOut,
    TakingOut,
    VisitorFoundOut,
    VisitorOut,
    audiences_out,
    example_out,
    growth_out,
    names_of,
    person_out,
    preview_out,
    version_out,
)

router = Router(tags=["audiences"])
HERE = "/sites/{int:site_id}/audiences"
ONE = HERE + "/{int:audience_id}"


@router.get(HERE, response=list[AudienceOut], openapi_extra=FILES)
@as_table("Audiences", AudienceOut)
def audiences(request: HttpRequest, site_id: int) -> list[AudienceOut]:
    site = site_for(request, site_id)
    return audiences_out(site, queries.audiences_of(site))


@router.post(HERE, response=AudienceOut)
def make_audience(request: HttpRequest, site_id: int, data: AudienceIn) -> AudienceOut:
    site = site_for(request, site_id, Role.EDITOR)
    content = services.AudienceContent(data.name, data.definition, data.starts_empty)
    return audiences_out(site, [services.make_audience(site, content, person(request))])[0]


@router.put(ONE, response=AudienceOut)
def change_audience(request: HttpRequest, site_id: int, audience_id: int, data: AudienceIn) -> AudienceOut:
    site = site_for(request, site_id, Role.EDITOR)
    content = services.AudienceContent(data.name, data.definition)
    changed = services.change_audience(queries.audience_of(site, audience_id), content, person(request))
    return audiences_out(site, [changed])[0]


@router.delete(ONE, response={204: None})
def remove_audience(request: HttpRequest, site_id: int, audience_id: int) -> tuple[int, None]:
    services.remove_audience(queries.audience_of(site_for(request, site_id, Role.EDITOR), audience_id))
    return 204, None


@router.get(ONE + "/versions", response=list[AudienceVersionOut])
def audience_versions(request: HttpRequest, site_id: int, audience_id: int) -> list[AudienceVersionOut]:
    site = site_for(request, site_id)
    names = names_of(site)
    found = queries.audience_of(site, audience_id).versions.select_related("made_by")
    return [version_out(site, v, names) for v in found]


@router.post(ONE + "/versions/{int:version}/restore", response=AudienceOut)
def restore_audience_version(
    request: HttpRequest, site_id: int, audience_id: int, version: int
) -> AudienceOut:
    site = site_for(request, site_id, Role.EDITOR)
    found = queries.audience_of(site, audience_id)
    return audiences_out(site, [services.restore_version(found, version, person(request))])[0]


@router.post(ONE + "/bands", response=list[AudienceOut])
def make_bands(request: HttpRequest, site_id: int, audience_id: int, data: BandsIn) -> list[AudienceOut]:
    site = site_for(request, site_id, Role.EDITOR)
    made = services.make_bands(queries.audience_of(site, audience_id), data.cuts, person(request))
    return audiences_out(site, made)


@router.post(HERE + "/preview", response=AudiencePreviewOut)
def preview_audience(request: HttpRequest, site_id: int, data: AudiencePreviewIn) -> AudiencePreviewOut:
    site = site_for(request, site_id)
    of = queries.audience_of(site, data.audience) if data.audience else None
    definition = services.read_definition(site, data.definition, data.audience)
    return preview_out(site, definition, preview(site, definition, of))


@router.post(HERE + "/growth", response=GrowthOut)
def audience_growth(request: HttpRequest, site_id: int, data: AudiencePreviewIn) -> GrowthOut:
    site = site_for(request, site_id)
    of = queries.audience_of(site, data.audience) if data.audience else None
    definition = services.read_definition(site, data.definition, data.audience)
    today = datetime.now(UTC).astimezone(site.zone).date()
    return growth_out(site, growth(site, definition, of.empty_at if of else None), today)


@router.post(HERE + "/examples", response=ExamplesOut)
def audience_examples(request: HttpRequest, site_id: int, data: AudiencePreviewIn) -> ExamplesOut:
    site = site_for(request, site_id)
    of = queries.audience_of(site, data.audience) if data.audience else None
    definition = services.read_definition(site, data.definition, data.audience)
    found = persons.examples(site, definition, of.empty_at if of else None)
    names = names_of(site)
    return ExamplesOut(
        inside=[example_out(e, names, found.today) for e in found.inside],
        outside=[example_out(e, names, found.today) for e in found.outside],
    )


@router.get(HERE + "/overlap", response=MatrixOut)
def audience_overlap(request: HttpRequest, site_id: int, of: Query[list[int]]) -> MatrixOut:
    site = site_for(request, site_id)
    found = overlap(site, [queries.audience_of(site, pk) for pk in dict.fromkeys(of[:20])])
    return MatrixOut(
        people=found.people,
        combinations=[CombinationOut(inside=list(c), people=n) for c, n in found.combinations],
        together=found.together,
    )


@router.get(ONE + "/members")
def audience_members(
    request: HttpRequest,
    site_id: int,
    audience_id: int,
    form: exporting.Format = "csv",
    since: date | None = None,
) -> StreamingHttpResponse:
    audience = queries.audience_of(site_for(request, site_id, Role.EDITOR), audience_id)
    return _file(audience, form, exporting.taken_out(audience, form, since, person(request)))


@router.post(ONE + "/link", response=LinkOut)
def make_link(
    request: HttpRequest, site_id: int, audience_id: int, form: exporting.Format = "csv"
) -> LinkOut:
    audience = queries.audience_of(site_for(request, site_id, Role.EDITOR), audience_id)
    token = exporting.link_token(audience, form, person(request))
    until = datetime.now(UTC) + timedelta(seconds=exporting.LINK_SECONDS)
    return LinkOut(url=f"{settings.PUBLIC_URL}/api/members/{token}", until=until)


@router.get("/members/{token}", auth=None)
def members_by_link(request: HttpRequest, token: str, since: date | None = None) -> StreamingHttpResponse:
    audience, form, by = exporting.by_link(token)
    return _file(audience, form, exporting.taken_out(audience, form, since, by, by_link=True))


def _file(audience: Audience, form: exporting.Format, content: Iterator[bytes]) -> StreamingHttpResponse:
    response = StreamingHttpResponse(content, content_type=exporting.KINDS[form])
    name = re.sub(r"[^\w-]+", "-", audience.name, flags=re.ASCII).strip("-") or "audience"
    response["Content-Disposition"] = f'attachment; filename="{name}.{form}"'
    return response


@router.get(ONE + "/takings", response=list[TakingOut])
def takings(request: HttpRequest, site_id: int, audience_id: int) -> list[TakingOut]:
    audience = queries.audience_of(site_for(request, site_id, Role.EDITOR), audience_id)
    return [
        TakingOut(at=t.at, by=str(t.by or ""), by_link=t.by_link, form=t.form, since=t.since, rows=t.rows)
        for t in audience.takings.select_related("by")[:100]
    ]


@router.get("/sites/{int:site_id}/visitors", response=list[VisitorFoundOut])
def find_people(request: HttpRequest, site_id: int, find: str) -> list[VisitorFoundOut]:
    found = persons.find(site_for(request, site_id), find)
    return [VisitorFoundOut(visitor=v.pk, key=v.key.hex, last_at=v.last_at, visits=v.visits) for v in found]


@router.get("/sites/{int:site_id}/visitors/{int:visitor_id}", response=VisitorOut)
def one_person(request: HttpRequest, site_id: int, visitor_id: int) -> VisitorOut:
    site = site_for(request, site_id)
    return person_out(site, persons.person_of(site, visitor_id))
