"""Spend files: upload, check, import, undo; and what did not join."""

from __future__ import annotations

from datetime import UTC, datetime

from django.http import HttpRequest
from ninja import File, Router
from ninja.files import UploadedFile

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for
from clabo.use.spend import budgets, queries, services
from clabo.use.spend.schemas import (
    AmountJson,
    BudgetJson,
    BudgetOut,
    BudgetsOut,
    CheckOut,
    ImportOut,
    ReadingJson,
    SpendOut,
    budget_out,
    check_out,
    import_out,
    mapping_of,
    spend_out,
)

router = Router(tags=["spend"])


@router.get("/sites/{int:site_id}/spend", response=SpendOut, openapi_extra=FILES)
@as_table("Spend files", ImportOut, lambda answer: answer.imports)
def spend(request: HttpRequest, site_id: int) -> SpendOut:
    site = site_for(request, site_id)
    return spend_out(site, queries.imports_of(site), queries.recently_joined(site))


@router.post("/sites/{int:site_id}/spend/files", response=CheckOut)
def upload(request: HttpRequest, site_id: int, file: File[UploadedFile]) -> CheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    batch = services.upload(site, file.name or "", file.file, person(request))  # type: ignore[arg-type]
    return check_out(batch, None)


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/check", response=CheckOut)
def check(request: HttpRequest, site_id: int, import_id: int, data: ReadingJson) -> CheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    return check_out(services.import_of(site, import_id), data)


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/import", response=ImportOut)
def take_in(request: HttpRequest, site_id: int, import_id: int, data: ReadingJson) -> ImportOut:
    site = site_for(request, site_id, Role.EDITOR)
    return import_out(services.take_in(services.import_of(site, import_id), mapping_of(data)))


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/undo", response={204: None})
def undo(request: HttpRequest, site_id: int, import_id: int) -> tuple[int, None]:
    services.undo(services.import_of(site_for(request, site_id, Role.EDITOR), import_id))
    return 204, None


@router.get("/sites/{int:site_id}/budgets", response=BudgetsOut, openapi_extra=FILES)
@as_table("Budgets", BudgetOut, lambda answer: answer.budgets)
def list_budgets(request: HttpRequest, site_id: int) -> BudgetsOut:
    site = site_for(request, site_id)
    found = budgets.standings(site, datetime.now(UTC))
    return BudgetsOut(budgets=[budget_out(each) for each in found], choices=budgets.choices(site))


@router.post("/sites/{int:site_id}/budgets", response={201: None})
def set_budget(request: HttpRequest, site_id: int, data: BudgetJson) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    budgets.save(site, data.source, data.campaign, data.amount, person(request))
    return 201, None


@router.put("/sites/{int:site_id}/budgets/{int:budget_id}", response={204: None})
def change_budget(request: HttpRequest, site_id: int, budget_id: int, data: AmountJson) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    budget = budgets.budget_of(site, budget_id)
    budgets.save(site, budget.source, budget.campaign, data.amount, None, budget)
    return 204, None


@router.delete("/sites/{int:site_id}/budgets/{int:budget_id}", response={204: None})
def delete_budget(request: HttpRequest, site_id: int, budget_id: int) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    budgets.delete(budgets.budget_of(site, budget_id), datetime.now(UTC))
    return 204, None
