"""What came of a plan: what its channel says it cost, and what Clabo credits to it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Count, Q

from clabo.conversions.models import Credit
from clabo.core import returns
from clabo.core.evidence import Counts, Interval, is_thin, rate_interval, return_interval
from clabo.core.evidence.ratios import poisson_limits
from clabo.core.plans import Chances, Pulse, Tried, compared, pulse
from clabo.core.told import Told
from clabo.events.models import TrafficClass, Visit
from clabo.plans.calls import Cell, Move, Standing
from clabo.plans.models import AdPlan, PlanCreative, PlanLine

# Credits as everywhere where nobody has said otherwise.
MODEL = "last_paid"
# Days of which the chances say why a plan does not spend.
CHANCE_DAYS = 7
# While a plan is new to its people.
FRESH_DAYS = 3


@dataclass(slots=True)
class Brought:
    """A part of a plan. Shown, reached, clicks and cost are the channel's word; visits and conversions are Clabo's.

    `conversions` are credited, `converted` the visits that led to one; money in the site's currency. `reached` people have been shown
    it, each counted once in a part, so that the parts' add up to more than the whole; they saw it `seen` times.
    """

    line: str = ""
    creative: str = ""
    reached: int = 0
    seen: int = 0
    shown: int = 0
    clicks: int = 0
    cost: Decimal = Decimal(0)
    visits: int = 0
    converted: int = 0
    conversions: Decimal = Decimal(0)
    value: Decimal = Decimal(0)
    by_day: dict[date, tuple[Decimal, Decimal]] = field(default_factory=dict)
    roas_interval: Interval | None = None

    def add(self, other: Brought) -> None:
        """Count `other` in."""
        for name in ("shown", "clicks", "cost", "visits", "converted", "conversions", "value"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        for day, (cost, value) in other.by_day.items():
            before = self.by_day.get(day, (Decimal(0), Decimal(0)))
            self.by_day[day] = (before[0] + cost, before[1] + value)

    @property
    def frequency(self) -> float | None:
        """How often somebody who was reached has seen it, on average."""
        return self.seen / self.reached if self.reached else None

    @property
    def click_rate(self) -> Interval:
        """Clicks of times shown."""
        return rate_interval(min(self.clicks, self.shown), self.shown)

    @property
    def rate(self) -> Interval:
        """Visits that led to a conversion, of visits."""
        return rate_interval(min(self.converted, self.visits), self.visits)

    @property
    def thin(self) -> bool:
        """Whether too little has come of it to go by."""
        return is_thin(self.converted, self.visits)

    @property
    def cost_of_one(self) -> Decimal | None:
        """Cost of a credited conversion."""
        return returns.cost_per_conversion(self.cost, self.conversions)

    @property
    def roas(self) -> Decimal | None:
        """Credited value over cost."""
        return returns.roas(self.value, self.cost)


@dataclass(frozen=True, slots=True)
class Against:
    """A creative held against the first of the plan."""

    creative: str
    tried: Tried


@dataclass(frozen=True, slots=True)
class Results:
    """All that is known of a plan that has begun."""

    standing: Standing | None
    total: Brought
    cells: list[Brought]
    lines: list[Brought]
    creatives: list[Brought]
    against: list[Against]
    says: list[Told]
    # The channel's own count of conversions: of those who clicked, and of those who only saw it.
    theirs: int
    theirs_seen: int
    # How often a line's budget, or a creative's turn, was moved, and on what evidence.
    moves: list[Move]
    cost_interval: Interval | None


def results(plan: AdPlan, now: datetime | None = None) -> Results:
    """What came of a plan so far."""
    now = now or datetime.now(UTC)
    standing = Standing.model_validate(plan.told) if plan.told else None
    lines, creatives = list(plan.lines.all()), list(plan.creatives.all())
    told = standing.cells if standing else []
    cells = _cells(plan, lines, creatives, told)
    total = Brought()
    by_line = {line.key: Brought(line=line.key) for line in lines}
    by_creative = {c.key: Brought(creative=c.key) for c in creatives}
    for cell in cells.values():
        total.add(cell)
        by_line[cell.line].add(cell)
        by_creative[cell.creative].add(cell)
    if standing:
        for one in (total, *cells.values(), *by_line.values(), *by_creative.values()):
            reached = standing.reached(one.line, one.creative)
            one.reached, one.seen = reached.people, reached.times
    _add_returns(plan, total, [*cells.values(), *by_line.values(), *by_creative.values()], now)
    return Results(
        standing,
        total,
        list(cells.values()),
        list(by_line.values()),
        list(by_creative.values()),
        _against(plan, creatives, told),
        pulse(_pulse(plan, standing, total, now)) if standing and plan.state == AdPlan.State.RUNNING else [],
        standing.conversions if standing else 0,
        standing.view_conversions if standing else 0,
        standing.moves if standing else [],
        _cost_interval(total),
    )


def _visits(plan: AdPlan) -> Q:
    """The condition on visits that came by the plan's links."""
    return Q(
        site=plan.site,
        origin__source=plan.channel.source.lower(),
        origin__campaign=plan.campaign,
        traffic_class=TrafficClass.COUNTED,
        views__gt=0,
    )


def _credits(plan: AdPlan) -> Q:
    return Q(
        site=plan.site,
        rule=plan.aim,
        model=MODEL,
        origin__source=plan.channel.source.lower(),
        origin__campaign=plan.campaign,
        visit__isnull=False,
    )


def _cells(
    plan: AdPlan, lines: list[PlanLine], creatives: list[PlanCreative], told: Iterable[Cell]
) -> dict[tuple[str, str], Brought]:
    found = {(a.key, c.key): Brought(a.key, c.key) for a in lines for c in creatives}
    costs: defaultdict[tuple[str, str], dict[date, Decimal]] = defaultdict(dict)
    for cell in told:
        key = (cell.line, cell.creative)
        if key in found:
            found[key].shown += cell.shown
            found[key].clicks += cell.clicks
            found[key].cost += cell.cost
            costs[key][cell.day] = cell.cost
    values: defaultdict[tuple[str, str], dict[date, Decimal]] = defaultdict(dict)
    rows = Visit.objects.filter(_visits(plan)).order_by()
    for line, ad, n in rows.values_list("origin__ad_group", "origin__ad").annotate(n=Count("pk")):
        if (line, ad) in found:
            found[line, ad].visits += n
    credits = Credit.objects.filter(_credits(plan)).order_by()
    converted: defaultdict[tuple[str, str], set[int]] = defaultdict(set)
    for line, ad, visit, at, share, value in credits.values_list(
        "origin__ad_group", "origin__ad", "visit", "visit__started_at", "share", "value"
    ):
        key = (line, ad)
        if key in found and visit is not None and at is not None:
            converted[key].add(visit)
            found[key].conversions += share
            found[key].value += value or 0
            # As the channel's days are.
            day = at.astimezone(UTC).date()
            values[key][day] = values[key].get(day, Decimal(0)) + (value or 0)
    for key, brought in found.items():
        brought.converted = len(converted[key])
        days = {*costs[key], *values[key]}
        brought.by_day = {
            d: (costs[key].get(d, Decimal(0)), values[key].get(d, Decimal(0))) for d in sorted(days)
        }
    return found


def _add_returns(plan: AdPlan, total: Brought, parts: list[Brought], now: datetime) -> None:
    """The limits of what the money brought, over all days from the first on that anything happened."""
    if not plan.aim.has_value or not total.by_day:
        return
    each = float(total.value) / total.converted if total.converted else float(plan.aim.value or 0)
    if not each:
        return
    first, last = min(total.by_day), max(total.by_day)
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    for one in [total, *parts]:
        if one.cost:
            mean = each if one.thin else float(one.value) / one.converted or each
            of_day = [one.by_day.get(d, (Decimal(0), Decimal(0))) for d in days]
            one.roas_interval = return_interval(
                one.converted, mean, [float(v) for _, v in of_day], [float(c) for c, _ in of_day]
            )


def _cost_interval(total: Brought) -> Interval | None:
    """Limits of the cost of a conversion: the cost is what it is, the conversions could have been others (Poisson, exact)."""
    if not total.converted or not total.cost:
        return None
    per = float(total.cost)
    low, high = poisson_limits(total.converted)
    return Interval(per / high, per / total.converted, per / low if low else float("inf"))


def _against(plan: AdPlan, creatives: list[PlanCreative], told: Iterable[Cell]) -> list[Against]:
    """Every creative but the first, against it: conversions of times shown, within days and lines."""
    shown: defaultdict[tuple[date, str, str], int] = defaultdict(int)
    for cell in told:
        shown[cell.day, cell.line, cell.creative] += cell.shown
    came: defaultdict[tuple[date, str, str], set[int]] = defaultdict(set)
    credits = Credit.objects.filter(_credits(plan)).order_by()
    for line, ad, visit, at in credits.values_list(
        "origin__ad_group", "origin__ad", "visit", "visit__started_at"
    ):
        if visit is not None and at is not None:
            came[at.astimezone(UTC).date(), line, ad].add(visit)
    found = []
    strata = {(day, line) for day, line, _ in shown}
    for other in creatives[1:]:
        pairs = {}
        for day, line in strata:
            both = []
            for key in (creatives[0].key, other.key):
                n = shown[day, line, key]
                both.append(Counts(min(n, len(came[day, line, key])), n))
            pairs[day, line] = (both[0], both[1])
        found.append(Against(other.key, compared(pairs)))
    return found


def _pulse(plan: AdPlan, standing: Standing, total: Brought, now: datetime) -> Pulse:
    today = now.astimezone(UTC).date()
    by_day: defaultdict[date, list[float]] = defaultdict(lambda: [0.0, 0, 0])
    for cell in standing.cells:
        of = by_day[cell.day]
        of[0] += float(cell.cost)
        of[1] += cell.clicks
        of[2] += cell.shown
    began = plan.first or today
    whole = [began + timedelta(days=n) for n in range(max(0, (today - began).days))]
    recent = {today - timedelta(days=n) for n in range(CHANCE_DAYS + 1)}
    chances = sum(
        (Chances(c.chances, c.held, c.capped, c.outbid) for c in standing.chances if c.day in recent),
        Chances(0, 0, 0, 0),
    )
    third = max(1, len(whole) // 3)

    def clicks(days: list[date]) -> Counts:
        return Counts(int(sum(by_day[d][1] for d in days)), int(sum(by_day[d][2] for d in days)))

    return Pulse(
        float(plan.daily_budget),
        whole,
        [by_day[d][0] for d in whole],
        sum(standing.people.values()),
        total.reached,
        total.seen,
        chances,
        clicks(whole[:FRESH_DAYS]),
        clicks(whole[max(FRESH_DAYS, len(whole) - third) :]),
        total.roas_interval,
        returns.break_even(plan.site.margin),
        plan.site.currency,
        [line.audience.name for line in plan.lines.all() if line.audience and line.audience.deleted_at],
    )
