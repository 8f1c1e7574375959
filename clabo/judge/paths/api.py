"""Paths: asked, compared, kept; audiences of those who left them."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.collect.events.models import Page
from clabo.core.pages.addresses import Address
from clabo.judge.paths import services
from clabo.judge.paths.forms import begun_since, form_reports
from clabo.judge.paths.models import Path
from clabo.judge.paths.page_flow import ways
from clabo.judge.paths.schemas import (
    FormRowOut,
    FormsOut,
    LeftIn,
    LensWords,
    LensWordsBy,
    PathAsked,
    PathIn,
    PathOut,
    PathReportOut,
    ProposalOut,
    StepOut,
    WalkedOut,
    WayRowOut,
    WaysIn,
    WaysOut,
    difference_out,
    form_out,
    form_rows,
    names_of,
    path_out,
    walked_out,
    way_rows,
    ways_out,
)
from clabo.judge.paths.walking import differences, path_report, proposals, whole_difference
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.problems import Problem
from clabo.platform.shapes import MadeOut
from clabo.platform.wording.audiences import did
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.conversions.queries import rule_of
from clabo.setup.sites.access import site_for
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.narrowing import narrowed

router = Router(tags=["paths"])
HERE = "/sites/{int:site_id}/paths"
ONE = HERE + "/{int:path_id}"


def _lens(site: Site, words: LensWords) -> Lens:
    return narrowed(read_lens(site, words.period, words.origin, words.device), words.audience)


@router.post(HERE + "/report", response=PathReportOut, openapi_extra=FILES)
@as_table("Path", StepOut, lambda answer: answer.steps)
def report(request: HttpRequest, site_id: int, data: PathAsked) -> PathReportOut:
    return _report(site_for(request, site_id), data)


def _report(site: Site, data: PathAsked) -> PathReportOut:
    steps, within = services.read_steps(site, data.steps), services.read_within(data.within)
    names = names_of(site)
    here = path_report(_lens(site, data), steps, within, data.by)
    other = services.path_of(site, data.against.path) if data.against and data.against.path else None
    their_steps = services.read_steps(site, other.steps) if other else steps
    their_within = services.read_within(other.within) if other else within
    if other and (their_within is None) != (within is None):
        raise Problem(
            "One of the two is within a visit, the other of people: they count different things.", "against"
        )
    there = path_report(_lens(site, data.against), their_steps, their_within) if data.against else None
    return PathReportOut(
        **walked_out(here, steps, names),
        unit="visits" if within is None else "people",
        against=WalkedOut(**walked_out(there, their_steps, names)) if there else None,
        differences=[difference_out(d) for d in differences(here, there)] if there and not other else [],
        whole_difference=difference_out(whole_difference(here, there)) if there else None,
    )


@router.get(ONE + "/report", response=PathReportOut, openapi_extra=FILES)
@as_table("Kept path", StepOut, lambda answer: answer.steps)
def kept_report(
    request: HttpRequest,
    site_id: int,
    path_id: int,
    words: Query[LensWordsBy],
) -> PathReportOut:
    site = site_for(request, site_id)
    path = services.path_of(site, path_id)
    asked = PathAsked(steps=path.steps, within=path.within, **words.dict())
    return _report(site, asked)


@router.get(HERE, response=list[PathOut])
def kept_paths(request: HttpRequest, site_id: int) -> list[PathOut]:
    site = site_for(request, site_id)
    return [path_out(p) for p in Path.objects.filter(site=site, deleted_at=None).order_by("name")]


@router.post(HERE, response=PathOut)
def keep_path(request: HttpRequest, site_id: int, data: PathIn) -> PathOut:
    site = site_for(request, site_id, Role.EDITOR)
    return path_out(services.keep_path(site, data.name, data.steps, data.within, person(request)))


@router.put(ONE, response=PathOut)
def change_path(request: HttpRequest, site_id: int, path_id: int, data: PathIn) -> PathOut:
    site = site_for(request, site_id, Role.EDITOR)
    path = services.path_of(site, path_id)
    return path_out(services.keep_path(site, data.name, data.steps, data.within, person(request), path))


@router.delete(ONE, response={204: None})
def remove_path(request: HttpRequest, site_id: int, path_id: int) -> tuple[int, None]:
    services.remove_path(services.path_of(site_for(request, site_id, Role.EDITOR), path_id))
    return 204, None


@router.post(HERE + "/left", response=list[MadeOut])
def audiences_of_left(request: HttpRequest, site_id: int, data: LeftIn) -> list[MadeOut]:
    site = site_for(request, site_id, Role.EDITOR)
    made = services.audiences_of_left(
        site, data.name, data.steps, data.within, data.days, data.at, person(request)
    )
    return [MadeOut(id=a.pk, name=a.name) for a in made]


@router.get("/sites/{int:site_id}/ways", response=WaysOut, openapi_extra=FILES)
@as_table("Ways", WayRowOut, way_rows)
def ways_around(request: HttpRequest, site_id: int, words: Query[WaysIn]) -> WaysOut:
    site = site_for(request, site_id)
    page = Page.objects.filter(site=site, pk=words.page).first()
    if page is None:
        raise Problem("This page is not known any more. Choose another.", "page", 404)
    return ways_out(ways(_lens(site, words), page, services.read_around(words.at)))


@router.get("/sites/{int:site_id}/forms", response=FormsOut, openapi_extra=FILES)
@as_table("Forms", FormRowOut, form_rows)
def forms(request: HttpRequest, site_id: int, words: Query[LensWords]) -> FormsOut:
    site = site_for(request, site_id)
    found = form_reports(_lens(site, words))
    return FormsOut(forms=[form_out(f) for f in found], since=begun_since(site))


@router.get(HERE + "/proposed", response=list[ProposalOut])
def proposed(request: HttpRequest, site_id: int, conversion: int, period: str = "28d") -> list[ProposalOut]:
    site = site_for(request, site_id)
    rule = rule_of(site, conversion)
    names = names_of(site)
    found = []
    for way, visits in proposals(read_lens(site, period), rule.pk):
        pages = Page.objects.in_bulk(way)
        steps = [_step(pages[p]) for p in way if p in pages] + [{"conversion": rule.pk}]
        if len(steps) > 1:
            says = [did(what, names) for what in services.read_steps(site, steps)]
            found.append(ProposalOut(steps=steps, says=says, visits=visits))
    return found


def _step(page: Page) -> dict[str, object]:
    return {"page": {"match": "equals", "value": Address(page.host, page.path).path}}
