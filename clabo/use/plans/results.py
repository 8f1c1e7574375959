"""What came of a plan: what its channel says it cost, and what Clabo credits to it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Count, Q

from clabo.collect.events.models import TrafficClass, Visit
from clabo.core.evidence import (
    NO_VALUES,
    Counts,
    Interval,
    Spread,
    ValueSums,
    dispersion_of,
    is_thin,
    rate_interval,
    return_interval,
)
from clabo.core.evidence.ratios import poisson_limits
from clabo.core.message import Message
from clabo.core.money import returns
from clabo.core.plans import Chances, Pulse, Tried, compared, pulse
from clabo.setup.conversions.models import Credit
from clabo.setup.sites.models import Site
from clabo.use.plans.calls import Cell, Move, Standing
from clabo.use.plans.models import AdPlan, PlanCreative

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
    # Those of them whose money is in `value`.
    summed: Decimal = Decimal(0)
    value: Decimal = Decimal(0)
    worths: ValueSums = NO_VALUES
    by_day: dict[date, tuple[Decimal, Decimal]] = field(default_factory=dict)
    roas_interval: Interval | None = None
    spread: Spread | None = None

    def add(self, other: Brought) -> None:
        """Count `other` in."""
        for name in (
            "shown",
            "clicks",
            "cost",
            "visits",
            "converted",
            "conversions",
            "summed",
            "value",
            "worths",
        ):
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
    says: list[Message]
    # The channel's own count of conversions: of those who clicked, and of those who only saw it.
    theirs: int
    theirs_seen: int
    # How often a line's budget, or a creative's turn, was moved, and on what evidence.
    moves: list[Move]
    cost_interval: Interval | None


@dataclass(frozen=True, slots=True)
class Summary:
    """A plan in a line: the whole of it, and what is to be said of it."""

    total: Brought
    says: list[Message]


def summaries(site: Site, plans: Sequence[AdPlan], now: datetime | None = None) -> list[Summary]:
    """What came of each of a site's plans, as `results` has it; in as many queries for all of them as for one."""
    now = now or datetime.now(UTC)
    came = _came(site, plans)
    found = []
    for plan in plans:
        standing = Standing.model_validate(plan.told) if plan.told else None
        total = Brought()
        for cell in _cells(plan, standing.cells if standing else [], came).values():
            total.add(cell)
        if standing:
            total.reached, total.seen = standing.reached().people, standing.reached().times
        _add_returns(plan, total, [])
        found.append(Summary(total, _says(plan, standing, total, now)))
    return found


def results(plan: AdPlan, now: datetime | None = None) -> Results:
    """What came of a plan so far."""
    now = now or datetime.now(UTC)
    standing = Standing.model_validate(plan.told) if plan.told else None
    lines, creatives = list(plan.lines.all()), list(plan.creatives.all())
    told = standing.cells if standing else []
    came = _came(plan.site, [plan])
    cells = _cells(plan, told, came)
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
    _add_returns(plan, total, [*cells.values(), *by_line.values(), *by_creative.values()])
    return Results(
        standing,
        total,
        list(cells.values()),
        list(by_line.values()),
        list(by_creative.values()),
        _against(plan, creatives, told, came),
        _says(plan, standing, total, now),
        standing.conversions if standing else 0,
        standing.view_conversions if standing else 0,
        standing.moves if standing else [],
        _cost_interval(total),
    )


def _says(plan: AdPlan, standing: Standing | None, total: Brought, now: datetime) -> list[Message]:
    return (
        pulse(_pulse(plan, standing, total, now)) if standing and plan.state == AdPlan.State.RUNNING else []
    )


# What tells a plan's visits from all others: the source and the campaign of its links.
_Plan = tuple[str, str]


@dataclass(frozen=True, slots=True)
class _Came:
    """Of a site's plans: visits by line and creative, and the conversions credited to them, each with the rule that it met."""

    visits: dict[tuple[_Plan, str, str], int]
    # The rule, the line, the creative; the visit and when it began; the share, and the value.
    credits: dict[_Plan, list[tuple[int, str, str, int, datetime, Decimal, Decimal | None]]]


def _links(plan: AdPlan) -> _Plan:
    return plan.channel.source.lower(), plan.campaign


def _came(site: Site, plans: Sequence[AdPlan]) -> _Came:
    """What came by the links of these plans."""
    links = {_links(plan) for plan in plans}
    of_links = Q(
        origin__source__in={source for source, _ in links}, origin__campaign__in={name for _, name in links}
    )
    names = ("origin__source", "origin__campaign", "origin__ad_group", "origin__ad")
    visits = Visit.objects.filter(of_links, site=site, traffic_class=TrafficClass.COUNTED, views__gt=0)
    counts = visits.order_by().values_list(*names).annotate(n=Count("pk"))
    credits = Credit.objects.filter(
        of_links, site=site, rule__in={plan.aim_id for plan in plans}, model=MODEL, visit__isnull=False
    ).order_by()
    found: defaultdict[_Plan, list[tuple[int, str, str, int, datetime, Decimal, Decimal | None]]] = (
        defaultdict(list)
    )
    for source, campaign, line, ad, rule, visit, at, share, value in credits.values_list(
        *names, "rule", "visit", "visit__started_at", "share", "value"
    ):
        if visit is not None and at is not None:
            found[source, campaign].append((rule, line, ad, visit, at, share, value))
    return _Came({((source, name), line, ad): n for source, name, line, ad, n in counts}, found)


def _cells(plan: AdPlan, told: Iterable[Cell], came: _Came) -> dict[tuple[str, str], Brought]:
    links = _links(plan)
    found = {(a.key, c.key): Brought(a.key, c.key) for a in plan.lines.all() for c in plan.creatives.all()}
    costs: defaultdict[tuple[str, str], dict[date, Decimal]] = defaultdict(dict)
    for cell in told:
        key = (cell.line, cell.creative)
        if key in found:
            found[key].shown += cell.shown
            found[key].clicks += cell.clicks
            found[key].cost += cell.cost
            costs[key][cell.day] = cell.cost
    values: defaultdict[tuple[str, str], dict[date, Decimal]] = defaultdict(dict)
    for key, brought in found.items():
        brought.visits = came.visits.get((links, *key), 0)
    converted: defaultdict[tuple[str, str], set[int]] = defaultdict(set)
    for rule, line, ad, visit, at, share, value in came.credits.get(links, ()):
        key = (line, ad)
        if rule == plan.aim_id and key in found:
            converted[key].add(visit)
            found[key].conversions += share
            if value is None:
                continue
            found[key].summed += share
            found[key].value += value
            found[key].worths += ValueSums.of_share(float(share), float(value))
            # As the channel's days are.
            day = at.astimezone(UTC).date()
            values[key][day] = values[key].get(day, Decimal(0)) + value
    for key, brought in found.items():
        brought.converted = len(converted[key])
        days = {*costs[key], *values[key]}
        brought.by_day = {
            d: (costs[key].get(d, Decimal(0)), values[key].get(d, Decimal(0))) for d in sorted(days)
        }
    return found


def _add_returns(plan: AdPlan, total: Brought, parts: list[Brought]) -> None:
    """The limits of what the money brought, over all days from the first on that anything happened."""
    if not plan.aim.has_value or not total.by_day:
        return
    each = float(total.value / total.summed) if total.summed else float(plan.aim.value or 0)
    if not each:
        return
    # Of all parts that do not overlap: lines and creatives are made of them.
    cells = [p for p in parts if p.line and p.creative] or [total]
    # Of all together: a day of a single cell has too little of anything.
    daily = [[(float(value) / each, float(cost)) for cost, value in total.by_day.values()]]
    fixed = not plan.aim.value_property
    spread = Spread.of((p.worths for p in cells), each, fixed, dispersion_of(daily))
    for one in [total, *parts]:
        one.spread = spread
        if one.cost:
            one.roas_interval = return_interval(one.worths, float(one.cost), spread)


# A plan is looked at on so many days, and on each side at most one in forty is wrongly told of on any of them.
_LOOKS = 60
_SAID = 1 - 2 * 0.025 / _LOOKS


def _return_to_say(plan: AdPlan, total: Brought) -> Interval | None:
    """The return as it may be put into words, however often it is looked at.

    What has been said is said on while the 95 % interval lies on that side of break-even.
    """
    usual = total.roas_interval
    if usual is None or total.spread is None:
        return None
    even = returns.break_even(plan.site.margin)
    if plan.return_said and _side(usual, even) == plan.return_said:
        return usual
    return return_interval(total.worths, float(total.cost), total.spread, _SAID)


def _side(of: Interval | None, even: float) -> AdPlan.Return:
    if of is None or not of.known or of.low <= even <= of.high:
        return AdPlan.Return.UNSAID
    return AdPlan.Return.PAYS if of.low > even else AdPlan.Return.LOSES


def return_said(plan: AdPlan) -> AdPlan.Return:
    """Whether it is to be said of the plan that it pays or loses, by what came of it so far."""
    return _side(_return_to_say(plan, results(plan).total), returns.break_even(plan.site.margin))


def _cost_interval(total: Brought) -> Interval | None:
    """Limits of the cost of a conversion: the cost is what it is, the conversions could have been others (Poisson, exact)."""
    if not total.converted or not total.cost:
        return None
    per = float(total.cost)
    low, high = poisson_limits(total.converted)
    return Interval(per / high, per / total.converted, per / low if low else float("inf"))


def _against(plan: AdPlan, creatives: list[PlanCreative], told: Iterable[Cell], came: _Came) -> list[Against]:
    """Every creative but the first, against it: conversions of times shown, within days and lines."""
    shown: defaultdict[tuple[date, str, str], int] = defaultdict(int)
    for cell in told:
        shown[cell.day, cell.line, cell.creative] += cell.shown
    led: defaultdict[tuple[date, str, str], set[int]] = defaultdict(set)
    for rule, line, ad, visit, at, *_ in came.credits.get(_links(plan), ()):
        if rule == plan.aim_id:
            led[at.astimezone(UTC).date(), line, ad].add(visit)
    found = []
    strata = {(day, line) for day, line, _ in shown}
    for other in creatives[1:]:
        pairs = {}
        for day, line in strata:
            both = []
            for key in (creatives[0].key, other.key):
                n = shown[day, line, key]
                both.append(Counts(min(n, len(led[day, line, key])), n))
            pairs[day, line] = (both[0], both[1])
        found.append(Against(other.key, compared(pairs, len(creatives) - 1)))
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
        _return_to_say(plan, total),
        returns.break_even(plan.site.margin),
        plan.site.currency,
        [line.audience.name for line in plan.lines.all() if line.audience and line.audience.deleted_at],
    )
