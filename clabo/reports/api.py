"""Reports: what the lens can be set to, landing pages, comparing two of them."""

from __future__ import annotations

import math
from datetime import date
from decimal import Decimal
from typing import Any, Literal, cast

from django.http import HttpRequest
from ninja import Query, Router, Schema

from clabo.collect.models import Device, Origin
from clabo.conversions.lens import Lens, read_lens
from clabo.conversions.queries import rules_of
from clabo.core.channels import CHANNELS
from clabo.core.evidence import Interval
from clabo.core.returns import break_even, over_lifetime
from clabo.reports import pages
from clabo.sites.access import site_for

router = Router(tags=["reports"])
ModelName = Literal["last_paid", "last", "first", "linear"]


class LensIn(Schema):
    """The words of the lens as they stand in the URL."""

    period: str = "28d"
    origin: str = "any"
    device: str = "any"
    conversion: int | None = None
    model: ModelName = "last_paid"
    compare: Literal["none", "before"] = "none"


class IntervalOut(Schema):
    """An estimate with its limits at 95 %. A missing limit: the data set none."""

    low: float | None
    estimate: float | None
    high: float | None


def interval(i: Interval | None) -> IntervalOut | None:
    """The interval for JSON, which has neither nan nor infinity."""
    if i is None or not i.known:
        return None
    low, estimate, high = (v if math.isfinite(v) else None for v in (i.low, i.estimate, i.high))
    return IntervalOut(low=low, estimate=estimate, high=high)


class RuleChoice(Schema):
    id: int
    name: str
    category: str
    has_value: bool


class LensOut(Schema):
    """The lens as it was read, and what each of its words can be."""

    first: date
    last: date
    origin: str
    device: str
    conversion: RuleChoice | None
    model: ModelName
    conversions: list[RuleChoice]
    channels: list[str]
    sources: list[str]
    currency: str
    attribution_window_days: int
    # What a customer is worth over a lifetime, as a multiple of the conversion's value.
    lifetime_factor: Decimal | None
    # The return on ad spend at which ads pay for themselves: 1 / margin, or 1 without one.
    break_even_roas: float


class PageRowOut(Schema):
    page_id: int
    host: str
    path: str
    title: str
    entries: int
    views: int
    begun_views: int
    bounces: int
    bounce_rate: IntervalOut | None
    exits: int
    converted: int
    conversions: Decimal
    conversion_rate: IntervalOut | None
    thin: bool
    # Missing where a conversion has no value.
    revenue: Decimal | None
    spend: Decimal
    cost_per_conversion: Decimal | None
    roas: Decimal | None
    roas_interval: IntervalOut | None
    lifetime_revenue: Decimal | None
    lifetime_roas: Decimal | None
    lost: float
    intended_exit: bool


class UnjoinedCost(Schema):
    total: Decimal
    unjoined: Decimal
    by_address: Decimal


class FindingOut(Schema):
    kind: Literal["loses_money", "earns", "converts_badly"]
    page_id: int
    profit: Decimal
    lost: float


class PagesOut(Schema):
    lens: LensOut
    findings: list[FindingOut]
    # The conversion rate of all pages that are judged, and how many of them are too thin to be.
    together: float | None
    thin: int
    rows: list[PageRowOut]
    # The same pages in the period before, by page id; empty unless compared.
    before: dict[int, PageRowOut]
    cost: UnjoinedCost


class FairOut(Schema):
    a_rate: float | None
    b_rate: float | None
    difference: IntervalOut | None
    reversed: bool
    heterogeneity_p: float | None
    left_out: list[str]
    strata: int


class ComparisonOut(Schema):
    """b - a and b / a of the conversion rate."""

    a: PageRowOut
    b: PageRowOut
    difference: IntervalOut | None
    ratio: IntervalOut | None
    p_value: float | None
    method: Literal["score", "boschloo"]
    fair: FairOut


def lens_of(request: HttpRequest, site_id: int, words: LensIn) -> Lens:
    """The lens that a request states, for those who may see the site."""
    site = site_for(request, site_id)
    return read_lens(site, words.period, words.origin, words.device, words.conversion, words.model)


def lens_out(lens: Lens) -> LensOut:
    """The lens and its choices."""
    choices = [
        RuleChoice(id=r.pk, name=r.name, category=r.category, has_value=r.has_value)
        for r in rules_of(lens.site)
    ]
    origins = Origin.objects.filter(site=lens.site)
    used = set(origins.values_list("channel", flat=True).distinct())
    sources = origins.exclude(source="").exclude(channel="direct").values_list("source", flat=True)
    return LensOut(
        first=lens.first,
        last=lens.last,
        origin=lens.origin,
        device=Device(lens.device).label if lens.device else "any",
        conversion=next((c for c in choices if lens.rule and c.id == lens.rule.pk), None),
        model=cast(Any, lens.model),
        conversions=choices,
        channels=[c for c in CHANNELS if c in used],
        sources=sorted(set(sources))[:100],
        currency=lens.site.currency,
        lifetime_factor=lens.rule.lifetime_factor if lens.rule else None,
        attribution_window_days=lens.site.attribution_window_days,
        break_even_roas=break_even(lens.site.margin),
    )


def _row(r: pages.PageRow, lens: Lens) -> PageRowOut:
    factor = lens.rule.lifetime_factor if lens.rule else None
    return PageRowOut(
        page_id=r.page.pk,
        host=r.page.host,
        path=r.page.path,
        title=r.page.title,
        **{
            n: getattr(r, n)
            for n in (
                "entries",
                "views",
                "begun_views",
                "bounces",
                "exits",
                "converted",
                "thin",
                "lost",
                "intended_exit",
            )
        },
        conversions=r.conversions,
        bounce_rate=interval(r.bounce_rate),
        conversion_rate=interval(r.conversion_rate),
        revenue=round(r.revenue, 4) if r.valued else None,
        spend=round(r.spend, 4),
        cost_per_conversion=None if r.cost_per_conversion is None else round(r.cost_per_conversion, 4),
        roas=None if r.roas is None else round(r.roas, 4),
        roas_interval=interval(r.roas_interval),
        lifetime_revenue=over_lifetime(r.revenue, factor) if r.valued else None,
        lifetime_roas=over_lifetime(r.roas, factor),
    )


@router.get("/sites/{int:site_id}/lens", response=LensOut)
def lens(request: HttpRequest, site_id: int, words: Query[LensIn]) -> LensOut:
    return lens_out(lens_of(request, site_id, words))


@router.get("/sites/{int:site_id}/pages", response=PagesOut)
def page_report(request: HttpRequest, site_id: int, words: Query[LensIn]) -> PagesOut:
    lens = lens_of(request, site_id, words)
    table = pages.page_table(lens, with_before=words.compare == "before")
    return PagesOut(
        lens=lens_out(lens),
        findings=[
            FindingOut(
                kind=f.kind,
                page_id=table.rows[f.place].page.pk,
                profit=round(f.profit, 2),
                lost=f.lost,
            )
            for f in table.findings.found
        ],
        together=table.findings.together if math.isfinite(table.findings.together) else None,
        thin=table.findings.thin,
        rows=[_row(r, lens) for r in table.rows],
        before={page_id: _row(r, lens) for page_id, r in table.before.items()},
        cost=UnjoinedCost(
            total=table.joined.total,
            unjoined=sum((u.cost for u in table.joined.unjoined), Decimal(0)),
            by_address=table.joined.by_address,
        ),
    )


@router.get("/sites/{int:site_id}/pages/compare", response=ComparisonOut)
def compare(request: HttpRequest, site_id: int, a: int, b: int, words: Query[LensIn]) -> ComparisonOut:
    lens = lens_of(request, site_id, words)
    found = pages.compare_pages(lens, a, b)
    fair = found.fair

    def plain(value: float) -> float | None:
        return value if math.isfinite(value) else None

    return ComparisonOut(
        a=_row(found.a, lens),
        b=_row(found.b, lens),
        difference=interval(found.rates.difference),
        ratio=interval(found.rates.ratio),
        p_value=plain(found.rates.p_value),
        method=found.rates.method,
        fair=FairOut(
            a_rate=plain(fair.control_rate),
            b_rate=plain(fair.challenger_rate),
            difference=interval(fair.difference),
            reversed=fair.reversed,
            heterogeneity_p=plain(fair.heterogeneity_p),
            left_out=[f"{k[0]} on {Device(k[1]).label}" for k in fair.left_out],  # type: ignore[index]
            strata=fair.heterogeneity_df + 1 if fair.difference.known else 0,
        ),
    )
