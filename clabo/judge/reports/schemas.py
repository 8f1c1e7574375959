"""The shapes of reports in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from clabo.collect.events.models import Device
from clabo.collect.events.queries import channels_seen, sources_seen
from clabo.core.evidence import rate_interval
from clabo.core.money import returns
from clabo.core.money.attribution import Model
from clabo.core.money.own_column import Number
from clabo.core.money.returns import break_even, over_lifetime
from clabo.core.pages.traffic_source import Channel
from clabo.judge.columns.models import OwnColumn
from clabo.judge.columns.schemas import OwnColumnOut, own_column_out
from clabo.judge.columns.services import columns_of, filled, marked
from clabo.judge.reports.lens_words import lens_says
from clabo.judge.reports.pages import table
from clabo.judge.reports.pages.worst import Reason, WorstRow
from clabo.judge.reports.rows import ReportRow
from clabo.judge.reports.series import Point
from clabo.platform.shapes import IntervalOut, Shape, finite, known_interval
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.queries import rules_of
from clabo.use.audiences.queries import audiences_of


class RuleChoice(Shape):
    id: int
    name: str
    category: str
    has_value: bool


class AudienceChoice(Shape):
    id: int
    name: str


class LensOut(Shape):
    """The lens as it was read, and what each of its words can be."""

    # All of it in one sentence.
    says: str
    first: date
    last: date
    origin: str
    device: str
    conversion: RuleChoice | None
    model: Model
    audience: AudienceChoice | None
    audiences: list[AudienceChoice]
    conversions: list[RuleChoice]
    channels: list[Channel]
    sources: list[str]
    currency: str
    attribution_window_days: int
    # What a customer is worth over a lifetime, as a multiple of the conversion's value.
    lifetime_factor: Decimal | None
    # The return on ad spend at which ads pay for themselves: 1 / margin, or 1 without one. None: not to be shown.
    break_even_roas: float | None
    own_columns: list[OwnColumnOut]


class OwnValueOut(Shape):
    """An own column's value; without limits where it has no interval."""

    low: float | None
    estimate: float
    high: float | None
    # Beyond the mark that the column has.
    marked: bool


class MeasuredOut(Shape):
    """What every report's row has."""

    entries: int
    begun_views: int
    bounces: int
    bounce_rate: IntervalOut | None
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
    # Conversions of its visits that are still to be expected; missing where that is less than half a one.
    to_come: IntervalOut | None
    # What these will add to the conversion rate, if each is another visit's, and to the return on ad spend.
    rate_to_come: IntervalOut | None
    roas_to_come: IntervalOut | None
    # The site's own columns, by their number.
    own: dict[int, OwnValueOut]


class StepRateOut(Shape):
    """Visits that reached a step of a path, and their share of those at the step before: at first, of the entries."""

    reached: int
    rate: IntervalOut | None


class AlongOut(Shape):
    """The path whose steps are shown, in words to stand after "who", and in fewer to stand after "to"."""

    id: int
    name: str
    says: list[str]
    briefly: list[str]


class PageRowOut(MeasuredOut):
    # "further": all pages beyond the first 500 together; "no_visit": credit of conversions of which no visit is known.
    kind: table.RowKind
    page_id: int | None
    host: str
    path: str
    title: str
    views: int
    exits: int
    exit_rate: IntervalOut | None
    # Missing unless asked for.
    visitors: int | None
    new_visitors: int | None
    views_per_visitor: float | None
    lost: float
    intended_exit: bool
    # Of the visits that entered here, how far they got along the path; none unless one is asked for.
    steps: list[StepRateOut]


class UnjoinedCost(Shape):
    total: Decimal
    unjoined: Decimal
    by_address: Decimal


class FindingOut(Shape):
    kind: Literal["loses_money", "earns", "converts_badly"]
    page_id: int
    profit: Decimal
    lost: float


class NearestOut(Shape):
    """The page that is nearest to being judged, and how many visits more it takes at the usual rate."""

    page_id: int
    visits: int


class PagesOut(Shape):
    lens: LensOut
    path: AlongOut | None
    findings: list[FindingOut]
    # The conversion rate of all pages that are judged, and how many of them are too thin to be.
    together: float | None
    thin: int
    nearest: NearestOut | None
    rows: list[PageRowOut]
    # Conversions of all these visits that are still to be expected, as those of the past came.
    to_come: IntervalOut | None
    # The same pages in the period before, by page id; empty unless compared.
    before: dict[int, PageRowOut]
    cost: UnjoinedCost


class FairOut(Shape):
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


class ComparisonOut(Shape):
    """b - a and b / a of the conversion rate."""

    a: PageRowOut
    b: PageRowOut
    difference: IntervalOut | None
    ratio: IntervalOut | None
    p_value: float | None
    method: Literal["score", "boschloo"]
    fair: FairOut


class AgainstFirstOut(Shape):
    """One of several pages against the first; the interval is one of all of them together at 95 %."""

    page_id: int
    difference: IntervalOut | None
    # After Holm, for all that are compared.
    p_value: float | None
    method: Literal["score", "boschloo"]
    # With the same mix of sources and devices.
    fair_difference: IntervalOut | None
    reversed: bool


class BesideOut(Shape):
    rows: list[PageRowOut]
    against: list[AgainstFirstOut]


def lens_out(lens: Lens) -> LensOut:
    """The lens and its choices."""
    choices = [
        RuleChoice(id=r.pk, name=r.name, category=r.category, has_value=r.has_value)
        for r in rules_of(lens.site)
    ]
    return LensOut(
        says=lens_says(lens),
        first=lens.first,
        last=lens.last,
        origin=lens.origin,
        device=Device(lens.device).label if lens.device else "any",
        conversion=next((c for c in choices if lens.rule and c.id == lens.rule.pk), None),
        model=cast(Any, lens.model),
        audience=AudienceChoice(id=lens.people.audience, name=lens.people.name) if lens.people else None,
        audiences=[AudienceChoice(id=a.pk, name=a.name) for a in audiences_of(lens.site)],
        conversions=choices,
        channels=channels_seen(lens.site),
        sources=sources_seen(lens.site),
        currency=lens.site.currency,
        lifetime_factor=lens.rule.lifetime_factor if lens.rule else None,
        attribution_window_days=lens.site.attribution_window_days,
        break_even_roas=break_even(lens.site.margin),
        own_columns=[own_column_out(c) for c in columns_of(lens.site)],
    )


def _money(value: Decimal | None) -> Decimal | None:
    return None if value is None else round(value, 4)


_COUNTED = (
    "kind",
    "views",
    "exits",
    "visitors",
    "new_visitors",
    "views_per_visitor",
    "lost",
    "intended_exit",
)


def row_out(
    r: table.PageRow, lens: Lens, columns: Sequence[OwnColumn] = (), reached: Sequence[int] = ()
) -> PageRowOut:
    return PageRowOut(
        page_id=r.page.pk if r.page else None,
        host=r.page.host if r.page else "",
        path=r.page.path if r.page else "",
        title=r.page.title if r.page else "",
        **{n: getattr(r, n) for n in _COUNTED},
        exit_rate=known_interval(r.exit_rate),
        steps=step_rates(r.entries, reached),
        **measured(r, lens, columns),
    )


def step_rates(entries: int, reached: Sequence[int]) -> list[StepRateOut]:
    """Each step's share of the one before."""
    before = [entries, *reached]
    return [
        # A visit that lasts over more than one midnight is entered, and not walked to its end.
        StepRateOut(reached=n, rate=known_interval(rate_interval(min(n, of), of)) if of else None)
        for n, of in zip(reached, before, strict=False)
    ]


def measured(r: ReportRow, lens: Lens, columns: Sequence[OwnColumn] = ()) -> dict[str, Any]:
    """The fields of MeasuredOut."""
    factor = lens.rule.lifetime_factor if lens.rule else None
    paid = r.paid
    ctr = returns.click_through_rate(paid.clicks, paid.impressions)
    return {
        "entries": r.entries,
        "begun_views": r.begun_views,
        "bounces": r.bounces,
        "bounce_rate": known_interval(r.bounce_rate),
        "converted": r.converted,
        "conversions": r.conversions,
        "conversion_rate": known_interval(r.conversion_rate),
        "thin": r.thin,
        "revenue": round(r.revenue, 4) if r.valued else None,
        "spend": round(paid.cost, 4),
        "impressions": paid.impressions,
        "clicks": paid.clicks,
        "ctr": None if ctr is None else round(ctr, 6),
        "cpc": _money(returns.cost_per_click(paid.cost, paid.clicks)),
        "cpm": _money(returns.cost_per_mille(paid.cost, paid.impressions)),
        "aov": _money(r.order_value),
        "profit": _money(r.profit(lens.site.margin)),
        "cost_per_conversion": _money(r.cost_per_conversion),
        "roas": _money(r.roas),
        "roas_interval": known_interval(r.roas_interval),
        "lifetime_revenue": over_lifetime(r.revenue, factor) if r.valued else None,
        "lifetime_roas": over_lifetime(r.roas, factor),
        "to_come": known_interval(r.to_come),
        "rate_to_come": known_interval(r.rate_to_come),
        "roas_to_come": known_interval(r.roas_to_come),
        "own": own_values(r, lens, columns),
    }


def own_values(r: ReportRow, lens: Lens, columns: Sequence[OwnColumn]) -> dict[int, OwnValueOut]:
    """The site's own columns for a row; what has no value is left out."""

    def measure(name: str) -> Number:
        if name in ("spend", "profit"):
            return r.spend if name == "spend" else r.profit(lens.site.margin)
        if name in ("impressions", "clicks"):
            return int(getattr(r.paid, name))
        if name == "revenue":
            return r.revenue if r.valued else None
        return cast(Number, getattr(r, name, None))

    by_id = {c.pk: c for c in columns}
    return {
        pk: OwnValueOut(
            low=finite(value.low),
            estimate=value.estimate,
            high=finite(value.high),
            marked=marked(by_id[pk], value),
        )
        for pk, value in filled(columns, measure).items()
        if value is not None
    }


def stratum_name(key: Any) -> str:
    channel, source, device = key
    name = f"other {channel} sources" if source is None else source or channel
    return f"{name} on {Device(device).label}"


class GoalOut(Shape):
    """What a page is there for: named by somebody, or by its visits; missing where neither says."""

    conversion: int | None
    name: str | None
    by_hand: bool


class GoalIn(Shape):
    # Missing: its visits say it.
    conversion: int | None


class ReasonOut(Shape):
    # "form_silent": nobody has sent a form there since; "tag_stopped"; "dead_link": a link on it leads nowhere; "slow":
    # a quarter of its views waited longer for its largest part than `waited` says, in milliseconds.
    kind: Literal["form_silent", "tag_stopped", "dead_link", "slow"]
    since: datetime | None
    # The path that the link leads to.
    what: str
    waited: IntervalOut | None
    # Of so many measured views.
    measured: int


class WorstRowOut(Shape):
    page_id: int
    path: str
    title: str
    # What the page is there for, and whether somebody has said so; without one it is not judged.
    goal: str | None
    by_hand: bool
    entries: int
    bounces: int
    bounce_rate: IntervalOut | None
    views: int
    exits: int
    exit_rate: IntervalOut | None
    converted: int
    conversion_rate: IntervalOut | None
    thin: bool
    # The rate of the typical page with that goal.
    typical: float | None
    # Conversions fewer than a typical page would have brought; below nought where it may be better.
    lost: IntervalOut | None
    # What those are worth, where the goal has a value.
    worth: Decimal | None
    # The evidence supports that something is lost.
    certain: bool
    # Visits that it takes to tell a page half as good from a typical one, where it has fewer.
    needed: int | None
    reasons: list[ReasonOut]


class WorstOut(Shape):
    lens: LensOut
    rows: list[WorstRowOut]


def reason_out(reason: Reason) -> ReasonOut:
    return ReasonOut(
        kind=cast(Any, reason.kind),
        since=reason.since,
        what=reason.what,
        waited=known_interval(reason.wait.largest) if reason.wait else None,
        measured=reason.wait.measured if reason.wait else 0,
    )


def worst_row_out(row: table.PageRow, of: WorstRow | None, reasons: Sequence[Reason]) -> WorstRowOut:
    assert row.page
    return WorstRowOut(
        page_id=row.page.pk,
        path=row.page.path,
        title=row.page.title,
        goal=of.rule.name if of else None,
        by_hand=of.by_hand if of else False,
        entries=row.entries,
        bounces=row.bounces,
        bounce_rate=known_interval(row.bounce_rate),
        views=row.views,
        exits=row.exits,
        exit_rate=known_interval(row.exit_rate),
        converted=row.converted if of else 0,
        conversion_rate=known_interval(row.conversion_rate) if of else None,
        thin=row.thin if of else True,
        typical=of.loss.typical if of else None,
        lost=known_interval(of.loss.lost) if of else None,
        worth=_money(of.worth) if of else None,
        certain=of.loss.certain if of else False,
        needed=of.loss.needed if of else None,
        reasons=[reason_out(r) for r in reasons],
    )


class PointOut(MeasuredOut):
    start: date
    # Of a week that the lens cuts: fewer than seven.
    days: int


class SeriesOut(Shape):
    lens: LensOut
    points: list[PointOut]
    # The period before, point by point; empty unless compared.
    before: list[PointOut]


def point_out(p: Point, lens: Lens) -> PointOut:
    return PointOut(start=p.start, days=p.days, **measured(p, lens))
