"""Split tests: drafts, plan, start and end, results."""

from __future__ import annotations

from dataclasses import asdict

from django.http import HttpRequest
from ninja import File, Query, Router
from ninja.files import UploadedFile

from clabo.judge.splits import life, queries, services
from clabo.judge.splits.analysis import results
from clabo.judge.splits.analysis.groups import groups
from clabo.judge.splits.checklist import checklist
from clabo.judge.splits.editor.elements import have_looked
from clabo.judge.splits.editor.images import MOST_BYTES, store_image
from clabo.judge.splits.editor.preview_links import look_address
from clabo.judge.splits.editor.sessions import edit_address
from clabo.judge.splits.models import SplitTest
from clabo.judge.splits.schemas import (
    AdoptIn,
    ArchiveIn,
    ArmOut,
    EditorIn,
    GroupOut,
    KeptOut,
    LabelIn,
    LookOut,
    PlanOut,
    ResultOut,
    SplitLens,
    SplitTestIn,
    SplitTestOut,
    SplitTestSummary,
    StartCheckOut,
    content_of,
    groups_out,
    label_of,
    plan_out,
    result_out,
    summary_out,
    test_out,
)
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.conversions.lens import read_lens
from clabo.setup.sites.access import site_for
from clabo.use.audiences.evaluation.narrowing import narrowed

router = Router(tags=["split tests"])
ONE = "/sites/{int:site_id}/tests/{int:test_id}"


@router.get("/sites/{int:site_id}/tests", response=list[SplitTestSummary], openapi_extra=FILES)
@as_table("Split tests", SplitTestSummary)
def tests(request: HttpRequest, site_id: int) -> list[SplitTestSummary]:
    site = site_for(request, site_id)
    lens = read_lens(site)
    return [summary_out(t, results.result(lens, t, brief=True)) for t in queries.tests_of(site)]


@router.post("/sites/{int:site_id}/tests", response=SplitTestOut)
def make_test(request: HttpRequest, site_id: int, data: SplitTestIn) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _saved(services.save_test(site, content_of(site, data), by=person(request)))


@router.post("/sites/{int:site_id}/tests/plan", response=PlanOut)
def plan(request: HttpRequest, site_id: int, data: SplitTestIn) -> PlanOut:
    site = site_for(request, site_id)
    return plan_out(site, queries.planned(site, content_of(site, data)))


@router.put(ONE, response=SplitTestOut)
def change_test(request: HttpRequest, site_id: int, test_id: int, data: SplitTestIn) -> SplitTestOut:
    site = site_for(request, site_id, Role.EDITOR)
    test = services.test_of(site, test_id)
    return _saved(services.save_test(site, content_of(site, data), test, by=person(request)))


def _saved(test: SplitTest) -> SplitTestOut:
    have_looked(test)
    return SplitTestOut(**test_out(test))


@router.delete(ONE, response={204: None})
def remove_test(request: HttpRequest, site_id: int, test_id: int) -> tuple[int, None]:
    life.remove(services.test_of(site_for(request, site_id, Role.EDITOR), test_id))
    return 204, None


@router.put(ONE + "/label", response=SplitTestOut)
def relabel_test(request: HttpRequest, site_id: int, test_id: int, data: LabelIn) -> SplitTestOut:
    return SplitTestOut(
        **test_out(life.relabel(_mine(request, site_id, test_id), label_of(data), person(request)))
    )


@router.post(ONE + "/start", response=SplitTestOut)
def start_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.start(_mine(request, site_id, test_id), by=person(request))))


@router.post(ONE + "/pause", response=SplitTestOut)
def pause_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.pause(_mine(request, site_id, test_id), by=person(request))))


@router.post(ONE + "/resume", response=SplitTestOut)
def resume_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.resume(_mine(request, site_id, test_id), by=person(request))))


@router.post(ONE + "/end", response=SplitTestOut)
def end_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.end(_mine(request, site_id, test_id), by=person(request))))


@router.post(ONE + "/adopt", response=SplitTestOut)
def adopt_variant(request: HttpRequest, site_id: int, test_id: int, data: AdoptIn) -> SplitTestOut:
    test = _mine(request, site_id, test_id)
    return SplitTestOut(
        **test_out(life.adopt(test, data.letter, data.shown, data.held_back, by=person(request)))
    )


@router.post(ONE + "/hand-over", response=SplitTestOut)
def hand_over(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.hand_over(_mine(request, site_id, test_id), by=person(request))))


@router.post(ONE + "/archive", response=SplitTestOut)
def archive_test(request: HttpRequest, site_id: int, test_id: int, data: ArchiveIn) -> SplitTestOut:
    return SplitTestOut(
        **test_out(life.archive(_mine(request, site_id, test_id), data.away, person(request)))
    )


@router.post(ONE + "/copy", response=SplitTestOut)
def copy_test(request: HttpRequest, site_id: int, test_id: int) -> SplitTestOut:
    return SplitTestOut(**test_out(life.copy(_mine(request, site_id, test_id), person(request))))


@router.get(ONE + "/checklist", response=list[StartCheckOut])
def start_checklist(request: HttpRequest, site_id: int, test_id: int) -> list[StartCheckOut]:
    test = services.test_of(site_for(request, site_id), test_id)
    return [StartCheckOut(**asdict(c)) for c in checklist(test)]


@router.post(ONE + "/elements", response={202: None})
def look_for_elements(request: HttpRequest, site_id: int, test_id: int) -> tuple[int, None]:
    """Have a browser look whether the page has what the variants change; the checklist tells what it found."""
    have_looked(_mine(request, site_id, test_id))
    return 202, None


@router.post(ONE + "/editor", response=LookOut)
def editor_link(request: HttpRequest, site_id: int, test_id: int, data: EditorIn) -> LookOut:
    """A link that opens the page with the editor, for whoever asks for it and for two hours."""
    test = _mine(request, site_id, test_id)
    return LookOut(letter=data.letter, address=edit_address(test, data.letter, person(request)))


@router.post("/sites/{int:site_id}/tests/pictures", response=KeptOut)
def keep(request: HttpRequest, site_id: int, picture: File[UploadedFile]) -> KeptOut:
    """Keep a picture for what variants show; a PNG, JPEG, WebP or GIF of at most 5 MB."""
    site = site_for(request, site_id, Role.EDITOR)
    return KeptOut(address=store_image(site, picture.read(MOST_BYTES + 1)))


@router.get(ONE + "/groups", response=list[GroupOut])
def test_groups(request: HttpRequest, site_id: int, test_id: int) -> list[GroupOut]:
    site = site_for(request, site_id)
    return groups_out(groups(read_lens(site), services.test_of(site, test_id)))


def _mine(request: HttpRequest, site_id: int, test_id: int) -> SplitTest:
    return services.test_of(site_for(request, site_id, Role.EDITOR), test_id)


@router.get(ONE + "/looks", response=list[LookOut])
def look_links(request: HttpRequest, site_id: int, test_id: int) -> list[LookOut]:
    test = services.test_of(site_for(request, site_id), test_id)
    return [LookOut(letter=v.letter, address=look_address(v)) for v in test.variants.all()]


@router.get(ONE, response=ResultOut, openapi_extra=FILES)
@as_table("Split test", ArmOut, lambda answer: answer.arms)
def test_result(request: HttpRequest, site_id: int, test_id: int, words: Query[SplitLens]) -> ResultOut:
    site = site_for(request, site_id)
    test = services.test_of(site, test_id)
    lens = read_lens(site, origin=words.origin, device=words.device, model=words.model)
    r = results.result(narrowed(lens, words.audience), test)
    return result_out(r, test)
