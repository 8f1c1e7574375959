"""Outcomes: stages, files, and calls."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import File, Router
from ninja.files import UploadedFile

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.queries import rule_of
from clabo.setup.sites.access import site_for
from clabo.setup.sites.models import Site
from clabo.use.outcomes import importing, queries, services
from clabo.use.outcomes.schemas import (
    MappingJson,
    OutcomeCheckOut,
    OutcomeImportOut,
    OutcomesIn,
    OutcomesOut,
    StageOut,
    StagesJson,
    TakenOut,
    UnmatchedOut,
    check_out,
    import_out,
    line_of,
    mapping_of,
    outcomes_out,
    why_of,
)
from clabo.use.outcomes.stages import set_stages, stages_of

router = Router(tags=["outcomes"])
HERE = "/sites/{int:site_id}/outcomes"
ONE = HERE + "/files/{int:file_id}"


@router.get(HERE, response=OutcomesOut, openapi_extra=FILES)
@as_table("Outcomes", StageOut, lambda answer: answer.stages)
def outcomes(request: HttpRequest, site_id: int) -> OutcomesOut:
    return outcomes_out(site_for(request, site_id))


@router.post(HERE, response=TakenOut)
def report_outcomes(request: HttpRequest, site_id: int, data: OutcomesIn) -> TakenOut:
    site = site_for(request, site_id, Role.EDITOR)
    known = {s.key: s.effect for s in stages_of(site)}
    lines = [line_of(one, place, set(known)) for place, one in enumerate(data.outcomes)]
    taken = services.report(site, lines)
    keys = [services.key_of(line, known[line.stage]) for line in lines]
    why = services.unmatched(site, keys)
    return TakenOut(
        new=taken.new,
        known=taken.known,
        unmatched=[
            UnmatchedOut(place=place, why=why_of(why[key])) for place, key in enumerate(keys) if key in why
        ],
    )


@router.put(HERE + "/stages", response=list[StageOut])
def change_stages(request: HttpRequest, site_id: int, data: StagesJson) -> list[StageOut]:
    site = site_for(request, site_id, Role.EDITOR)
    set_stages(site, [(s.key, s.name, s.effect) for s in data.stages])
    return outcomes_out(site).stages


@router.post(HERE + "/files", response=OutcomeCheckOut)
def upload(request: HttpRequest, site_id: int, file: File[UploadedFile]) -> OutcomeCheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    batch = importing.upload(site, file.name or "", file.file, person(request))  # type: ignore[arg-type]
    return check_out(batch, importing.check(batch), None)


@router.post(ONE + "/check", response=OutcomeCheckOut)
def check(request: HttpRequest, site_id: int, file_id: int, data: MappingJson) -> OutcomeCheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    batch = queries.import_of(site, file_id)
    found = importing.check(batch, mapping_of(data), _rule(site, data))
    return check_out(batch, found, data.conversion)


@router.post(ONE + "/import", response=OutcomeImportOut)
def take_in(request: HttpRequest, site_id: int, file_id: int, data: MappingJson) -> OutcomeImportOut:
    site = site_for(request, site_id, Role.EDITOR)
    batch = queries.import_of(site, file_id)
    return import_out(importing.take_in(batch, mapping_of(data), _rule(site, data)))


@router.post(ONE + "/undo", response={204: None})
def undo(request: HttpRequest, site_id: int, file_id: int) -> tuple[int, None]:
    importing.undo(queries.import_of(site_for(request, site_id, Role.EDITOR), file_id))
    return 204, None


def _rule(site: Site, data: MappingJson) -> ConversionRule | None:
    return rule_of(site, data.conversion) if data.conversion is not None else None
