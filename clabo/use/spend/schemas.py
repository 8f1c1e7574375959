"""The shapes of spend in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal, cast

from ninja import Field as Limit

from clabo.core.money.spend_file import ColumnMapping
from clabo.core.money.spend_headings import Field
from clabo.platform.shapes import IntervalOut, Shape, interval_out
from clabo.platform.wording import say
from clabo.setup.sites.models import Site
from clabo.use.spend import services
from clabo.use.spend.budgets import BudgetStanding
from clabo.use.spend.joining import Joined
from clabo.use.spend.models import SpendImport


class ReadingJson(Shape):
    """Which column is what (numbers from 0), and how days and numbers are written."""

    columns: dict[Field, Annotated[int, Limit(ge=0, lt=10_000)]]
    day_order: Literal["ymd", "dmy", "mdy"]
    decimal_mark: Literal[".", ","]
    source: str = Limit("", max_length=200)


class ImportOut(Shape):
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


class BadRowOut(Shape):
    line: int
    field: str
    message: str
    cells: list[str]


class CheckOut(Shape):
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
    # The ad side's own count, where a column says it.
    conversions: Decimal | None
    first_day: date | None
    last_day: date | None
    same_file: ImportOut | None
    importable: bool


class UnjoinedOut(Shape):
    source: str
    campaign: str
    rows: int
    clicks: int
    cost: Decimal


class SpendOut(Shape):
    """Imports, newest first, and how the last 90 days joined. `by_address`: cost without a visit."""

    imports: list[ImportOut]
    currency: str
    total: Decimal
    by_address: Decimal
    unjoined_cost: Decimal
    unjoined: list[UnjoinedOut]


def import_out(b: SpendImport) -> ImportOut:
    fields = {name: getattr(b, name) for name in ImportOut.model_fields if name != "made_by"}
    return ImportOut(**fields, made_by=str(b.made_by or ""))


def mapping_of(data: ReadingJson) -> ColumnMapping:
    return ColumnMapping(dict(data.columns), data.day_order, data.decimal_mark, data.source.strip())


def check_out(batch: SpendImport, reading: ReadingJson | None) -> CheckOut:
    c = services.check(batch, mapping_of(reading) if reading else None)
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
        bad=[
            BadRowOut(line=n, field=b.field, message=say(b.told), cells=cells[:30]) for n, b, cells in c.bad
        ],
        cost=c.cost,
        clicks=c.clicks,
        impressions=c.impressions,
        conversions=c.conversions,
        first_day=c.first_day,
        last_day=c.last_day,
        same_file=import_out(c.same_file) if c.same_file else None,
        importable=c.importable,
    )


def spend_out(site: Site, imports: Sequence[SpendImport], state: Joined) -> SpendOut:
    """Imports, and what has not found a page."""
    return SpendOut(
        imports=[import_out(b) for b in imports],
        currency=site.currency,
        total=state.total,
        by_address=state.by_address,
        unjoined_cost=sum((u.cost for u in state.unjoined), Decimal(0)),
        unjoined=[
            UnjoinedOut(source=u.source, campaign=u.campaign, rows=u.rows, clicks=u.clicks, cost=u.cost)
            for u in state.unjoined[:100]
        ],
    )


class BudgetJson(Shape):
    """A month's budget in the site's currency; without source and campaign of all spend."""

    source: str = Limit("", max_length=200)
    campaign: str = Limit("", max_length=200)
    amount: Annotated[Decimal, Limit(max_digits=12, decimal_places=2)]


class AmountJson(Shape):
    amount: Annotated[Decimal, Limit(max_digits=12, decimal_places=2)]


class BudgetOut(Shape):
    id: int
    source: str
    campaign: str
    amount: Decimal
    # This month, up to and with `through`.
    spent: Decimal
    through: date | None
    # By the end of the month, at 90 %.
    expected: IntervalOut | None
    sure_over: float
    # When it is expected to be spent, or was.
    over_on: date | None
    says: Literal["over", "short", "on_pace", "too_early", "stale"]


class BudgetsOut(Shape):
    budgets: list[BudgetOut]
    # Sources and campaigns to choose from.
    choices: list[tuple[str, str]]


def budget_out(standing: BudgetStanding) -> BudgetOut:
    budget, found = standing.budget, standing.pace
    return BudgetOut(
        id=budget.pk,
        source=budget.source,
        campaign=budget.campaign,
        amount=budget.amount,
        spent=round(Decimal(found.spent), 2) if found else Decimal(0),
        through=found.through if found else None,
        expected=interval_out(found.expected) if found and found.expected else None,
        sure_over=found.sure_over if found else 0.0,
        over_on=found.over_on if found else None,
        says=cast(Any, standing.says),
    )
