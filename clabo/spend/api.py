"""Spend files: upload, check, import, undo; and what did not join."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Field as Limit
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from clabo.accounts.access import person
from clabo.accounts.models import Role
from clabo.core.spendfile import ColumnMapping
from clabo.sites.access import site_for
from clabo.spend import services
from clabo.spend.joining import joined
from clabo.spend.models import SpendImport

router = Router(tags=["spend"])
FieldName = Literal["day", "source", "campaign", "ad_group", "ad", "landing", "impressions", "clicks", "cost"]


class ReadingJson(Schema):
    """Which column is what (numbers from 0), and how days and numbers are written."""

    columns: dict[FieldName, Annotated[int, Limit(ge=0, lt=10_000)]]
    day_order: Literal["ymd", "dmy", "mdy"]
    decimal_mark: Literal[".", ","]
    source: str = Limit("", max_length=200)


class ImportOut(Schema):
    id: int
    file_name: str
    state: Literal["uploaded", "done", "undone"]
    made_at: datetime
    made_by: str
    source: str
    rows: int
    first_day: date | None
    last_day: date | None
    cost: Decimal


class BadRowOut(Schema):
    line: int
    field: str
    message: str
    cells: list[str]


class CheckOut(Schema):
    id: int
    file_name: str
    encoding: str
    delimiter: str
    head: list[str]
    sample: list[list[str]]
    reading: ReadingJson
    doubts: list[str]
    good: int
    sum_lines: int
    bad_count: int
    bad: list[BadRowOut]
    cost: Decimal
    clicks: int
    impressions: int
    first_day: date | None
    last_day: date | None
    same_file: ImportOut | None
    importable: bool


class UnjoinedOut(Schema):
    source: str
    campaign: str
    rows: int
    clicks: int
    cost: Decimal


class SpendOut(Schema):
    """Imports, newest first, and how the last 90 days joined. `by_address`: cost without a visit."""

    imports: list[ImportOut]
    currency: str
    total: Decimal
    by_address: Decimal
    unjoined_cost: Decimal
    unjoined: list[UnjoinedOut]


def _import(b: SpendImport) -> ImportOut:
    fields = {name: getattr(b, name) for name in ImportOut.model_fields if name != "made_by"}
    return ImportOut(**fields, made_by=str(b.made_by or ""))


def _reading(data: ReadingJson) -> ColumnMapping:
    return ColumnMapping(dict(data.columns), data.day_order, data.decimal_mark, data.source.strip())


def _check(batch: SpendImport, reading: ReadingJson | None) -> CheckOut:
    c = services.check(batch, _reading(reading) if reading else None)
    return CheckOut(
        id=batch.pk,
        file_name=batch.file_name,
        encoding=c.layout.encoding,
        delimiter=c.layout.delimiter,
        head=c.layout.head,
        sample=c.sample,
        reading=ReadingJson(
            columns=dict(c.reading.columns),
            day_order=c.reading.day_order,
            decimal_mark=c.reading.decimal_mark,
            source=c.reading.source,
        ),
        doubts=c.doubts,
        good=c.good,
        sum_lines=c.sum_lines,
        bad_count=c.bad_count,
        bad=[BadRowOut(line=n, field=b.field, message=b.message, cells=cells[:30]) for n, b, cells in c.bad],
        cost=c.cost,
        clicks=c.clicks,
        impressions=c.impressions,
        first_day=c.first_day,
        last_day=c.last_day,
        same_file=_import(c.same_file) if c.same_file else None,
        importable=c.importable,
    )


@router.get("/sites/{int:site_id}/spend", response=SpendOut)
def spend(request: HttpRequest, site_id: int) -> SpendOut:
    site = site_for(request, site_id)
    today = datetime.now(UTC).astimezone(site.zone).date()
    state = joined(site, today - timedelta(days=89), today)
    imports = SpendImport.objects.filter(site=site).exclude(state=SpendImport.State.UPLOADED)
    return SpendOut(
        imports=[_import(b) for b in imports.select_related("made_by").order_by("-made_at")[:100]],
        currency=site.currency,
        total=state.total,
        by_address=state.by_address,
        unjoined_cost=sum((u.cost for u in state.unjoined), Decimal(0)),
        unjoined=[
            UnjoinedOut(source=u.source, campaign=u.campaign, rows=u.rows, clicks=u.clicks, cost=u.cost)
            for u in state.unjoined[:100]
        ],
    )


@router.post("/sites/{int:site_id}/spend/files", response=CheckOut)
def upload(request: HttpRequest, site_id: int, file: File[UploadedFile]) -> CheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    batch = services.upload(site, file.name or "", file.file, person(request))  # type: ignore[arg-type]
    return _check(batch, None)


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/check", response=CheckOut)
def check(request: HttpRequest, site_id: int, import_id: int, data: ReadingJson) -> CheckOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _check(services.import_of(site, import_id), data)


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/import", response=ImportOut)
def take_in(request: HttpRequest, site_id: int, import_id: int, data: ReadingJson) -> ImportOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _import(services.take_in(services.import_of(site, import_id), _reading(data)))


@router.post("/sites/{int:site_id}/spend/files/{int:import_id}/undo", response={204: None})
def undo(request: HttpRequest, site_id: int, import_id: int) -> tuple[int, None]:
    services.undo(services.import_of(site_for(request, site_id, Role.EDITOR), import_id))
    return 204, None
