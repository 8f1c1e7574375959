"""Split tests: drafts, plan, start and end, results."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.accounts.models import Role
from clabo.audiences.narrowing import narrowed
from clabo.conversions.lens import read_lens
from clabo.outputs.answering import FILES, as_table
from clabo.sites.access import site_for
from clabo.splits import queries, results, services
from clabo.splits.looks import look_address
from clabo.splits.schemas import (
    ArmOut,
    LookOut,
    PlanOut,
    ResultOut,
    SplitLens,
    SplitTestIn,
    SplitTestOut,
    SplitTestSummary,
    content_of,
    plan_out,
    result_out,
    summary_out,
    test_out,
)

router = Router(tags=["split tests"])


@router.get("/sites/{int:site_id}/tests", response=list[SplitTestSummary], openapi_extra=FILES)
@as_table("Split tests", SplitTestSummary)
def tests(request: HttpRequest, site_id: int) -> list[SplitTestSummary]:
    site = site_for(request, site_id)
    lens = read_lens(site)
    return [summary_out(t, results.result(lens, t, brief=True)) for t in queries.tests_of(site)]


@router.post("/sites/{int:site_id}/tests", response=SplitTestOut)
def make_test(request: HttpRequest, site_id: int, data: SplitTestIn) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return SplitTestOut(**test_out(services.save_test(site, content_of(site, data))))


@router.post("/sites/{int:site_id}/tests/plan", response=PlanOut)
def plan(request: HttpRequest, site_id: int, data: SplitTestIn) -> PlanOut:
    site = site_for(request, site_id)
    return plan_out(site, queries.planned(site, content_of(site, data)))


@router.put("/sites/{int:site_id}/tests/{int:test_id}", response=SplitTestOut)
def change_test(request: HttpRequest, site_id: int, test_id: int, data: SplitTestIn) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return SplitTestOut(
        **test_out(services.save_test(site, content_of(site, data), services.test_of(site, test_id)))
    )


@router.delete("/sites/{int:site_id}/tests/{int:test_id}", response={204: None})
def remove_test(request: HttpRequest, site_id: int, test_id: int) -> tuple[int, None]:
    services.remove(services.test_of(site_for(request, site_id, Role.EDITOR), test_id))
    return 204, None


@router.post("/sites/{int:site_id}/tests/{int:test_id}/start", response=SplitTestOut)
def start_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return SplitTestOut(**test_out(services.start(services.test_of(site, test_id))))


@router.post("/sites/{int:site_id}/tests/{int:test_id}/end", response=SplitTestOut)
def end_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return SplitTestOut(**test_out(services.end(services.test_of(site, test_id))))


@router.get("/sites/{int:site_id}/tests/{int:test_id}/looks", response=list[LookOut])
def look_links(request: HttpRequest, site_id: int, test_id: int) -> list[LookOut]:
    test = services.test_of(site_for(request, site_id), test_id)
    return [LookOut(letter=v.letter, address=look_address(v)) for v in test.variants.all()]


@router.get("/sites/{int:site_id}/tests/{int:test_id}", response=ResultOut, openapi_extra=FILES)
@as_table("Split test", ArmOut, lambda answer: answer.arms)
def test_result(request: HttpRequest, site_id: int, test_id: int, words: Query[SplitLens]) -> ResultOut:
    site = site_for(request, site_id)
    test = services.test_of(site, test_id)
    lens = read_lens(site, origin=words.origin, device=words.device, model=words.model)
    r = results.result(narrowed(lens, words.audience), test)
    return result_out(r, test)
