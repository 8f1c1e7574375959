"""Reports: what the lens can be set to, landing pages, comparing two of them."""

from __future__ import annotations

import math
from datetime import date
from decimal import Decimal
from typing import Any, Literal, cast

from django.http import HttpRequest
from ninja import Query, Router, Schema

from clabo.accounts.models import Role
from clabo.conversions.lens import Lens, read_lens
from clabo.conversions.queries import rules_of
from clabo.core import returns
from clabo.core.channels import CHANNELS
from clabo.core.evidence import Interval
from clabo.core.returns import break_even, over_lifetime
from clabo.events.models import Device, Origin
from clabo.reports import goals, pages
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
    # Distinct visitors take longer to count than all the rest: only where their columns are shown.
    visitors: bool = False


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
    # "further": all pages beyond the first 500 together; "no_visit": credit of conversions of which no visit is known.
    kind: pages.RowKind
    page_id: int | None
    host: str
    path: str
    title: str
    entries: int
    views: int
    begun_views: int
    bounces: int
    bounce_rate: IntervalOut | None
    exits: int
    exit_rate: IntervalOut | None
    # Missing unless asked for.
    visitors: int | None
    new_visitors: int | None
    views_per_visitor: float | None
    converted: int
    conversions: Decimal
    conversion_rate: IntervalOut | None
    thin: bool
    # Missing where a conversion has no value.
    revenue: Decimal | None
    spend: Decimal
    impressions: int
    clicks: int
    ctr: Decimal | None
    cpc: Decimal | None
    cpm: Decimal | None
    # Average value of a conversion.
    aov: Decimal | None
    # Value · margin - spend; without a margin the whole value counts as earned.
    profit: Decimal | None
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
    # How fine they are: sources that stand alone, and channels whose small sources are taken together.
    sources: int
    pooled: int


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


def _money(value: Decimal | None) -> Decimal | None:
    return None if value is None else round(value, 4)


_COUNTED = (
    *("kind", "entries", "views", "begun_views", "bounces", "exits", "visitors", "new_visitors"),
    *("views_per_visitor", "converted", "thin", "lost", "intended_exit"),
)


def _row(r: pages.PageRow, lens: Lens) -> PageRowOut:
    factor = lens.rule.lifetime_factor if lens.rule else None
    paid = r.paid
    return PageRowOut(
        page_id=r.page.pk if r.page else None,
        host=r.page.host if r.page else "",
        path=r.page.path if r.page else "",
        title=r.page.title if r.page else "",
        **{n: getattr(r, n) for n in _COUNTED},
        conversions=r.conversions,
        bounce_rate=interval(r.bounce_rate),
        exit_rate=interval(r.exit_rate),
        conversion_rate=interval(r.conversion_rate),
        revenue=round(r.revenue, 4) if r.valued else None,
        spend=round(paid.cost, 4),
        impressions=paid.impressions,
        clicks=paid.clicks,
        ctr=None
        if (ctr := returns.click_through_rate(paid.clicks, paid.impressions)) is None
        else round(ctr, 6),
        cpc=_money(returns.cost_per_click(paid.cost, paid.clicks)),
        cpm=_money(returns.cost_per_mille(paid.cost, paid.impressions)),
        aov=_money(r.order_value),
        profit=_money(r.profit(lens.site.margin)),
        cost_per_conversion=_money(r.cost_per_conversion),
        roas=_money(r.roas),
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
    table = pages.page_table(lens, words.compare == "before", words.visitors)
    return PagesOut(
        lens=lens_out(lens),
        findings=[
            FindingOut(
                kind=f.kind,
                page_id=page.pk,
                profit=round(f.profit, 2),
                lost=f.lost,
            )
            for f in table.findings.found
            if (page := table.rows[f.place].page)
        ],
        together=table.findings.together if math.isfinite(table.findings.together) else None,
        thin=table.findings.thin,
        rows=[_row(r, lens) for r in [*table.rows, *table.apart]],
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
            left_out=[_stratum(k) for k in fair.left_out],
            strata=fair.heterogeneity_df + 1 if fair.difference.known else 0,
            sources=found.sources,
            pooled=found.pooled,
        ),
    )


def _stratum(key: Any) -> str:
    channel, source, device = key
    name = f"other {channel} sources" if source is None else source or channel
    return f"{name} on {Device(device).label}"


class GoalOut(Schema):
    """What a page is there for: named by somebody, or by its visits; missing where neither says."""

    conversion: int | None
    name: str | None
    by_hand: bool


class GoalIn(Schema):
    # Missing: its visits say it.
    conversion: int | None


@router.get("/sites/{int:site_id}/pages/{int:page_id}/goal", response=GoalOut)
def page_goal(request: HttpRequest, site_id: int, page_id: int) -> GoalOut:
    lens = read_lens(site_for(request, site_id))
    goal = goals.goals_of(lens, rules_of(lens.site)).get(page_id)
    if goal is None:
        return GoalOut(conversion=None, name=None, by_hand=False)
    return GoalOut(conversion=goal.rule.pk, name=goal.rule.name, by_hand=goal.by_hand)


@router.put("/sites/{int:site_id}/pages/{int:page_id}/goal", response=GoalOut)
def set_page_goal(request: HttpRequest, site_id: int, page_id: int, data: GoalIn) -> GoalOut:
    site = site_for(request, site_id, Role.EDITOR)
    goals.set_goal(site, page_id, data.conversion)
    return page_goal(request, site_id, page_id)
