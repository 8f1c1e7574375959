"""The shapes of plans in the API, and how they are filled."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from ninja import Field

from clabo.core.evidence import Interval
from clabo.core.money import returns
from clabo.core.plans import Outlook, Range
from clabo.platform.shapes import IntervalOut, Shape, finite, interval_out, known_interval
from clabo.platform.wording import say
from clabo.platform.wording.plans import says_moved
from clabo.setup.sites.models import Site
from clabo.use.delivery.models import AdChannel
from clabo.use.plans.calls import Choices, Move, NewPeople
from clabo.use.plans.content import CreativeContent, LineContent, PlanContent
from clabo.use.plans.effect import Effect, page_path
from clabo.use.plans.models import AdPlan
from clabo.use.plans.results import Brought, Results, Summary

State = Literal["draft", "running", "ended"]
Sharing = Literal["fixed", "shared"]


class SeekJson(Shape):
    """New people: around a town, with one of some interests or (`every`) all of them, of an age, with some devices."""

    town: str = Field("", max_length=80)
    km: float = Field(25.0, gt=0, le=500)
    interests: list[str] = Field([], max_length=10)
    every: bool = False
    youngest: int = Field(18, ge=18, le=90)
    oldest: int = Field(90, ge=18, le=90)
    devices: list[str] = Field([], max_length=10)


class PlanLineIn(Shape):
    """To whom: an audience, or new people; and a part of the budget against the other lines'."""

    audience: int | None = None
    seek: SeekJson | None = None
    share: Decimal = Decimal(1)


class PlanCreativeIn(Shape):
    headline: str = Field(max_length=1000)
    text: str = Field("", max_length=1000)
    button: str = Field("", max_length=1000)
    picture: str = Field("", max_length=1000)
    # A path of the site's, or a whole address.
    landing: str = Field(max_length=4000)
    share: Decimal = Decimal(1)


class AdPlanIn(Shape):
    name: str = Field(max_length=1000)
    channel: int
    # The conversion that it is for.
    aim: int
    lines: list[PlanLineIn] = Field([], max_length=50)
    left_out: list[int] = Field([], max_length=100)
    creatives: list[PlanCreativeIn] = Field([], max_length=50)
    # Empty: wherever the channel shows ads.
    placements: list[str] = Field([], max_length=50)
    daily_budget: Decimal = Decimal(10)
    highest_click: Decimal = Decimal("0.50")
    # How often one person sees it in a week; 0: as often as may be.
    cap: int = 3
    first: date | None = None
    last: date | None = None
    sharing: Sharing = "fixed"


class PlanLineOut(Shape):
    key: str
    audience: int | None
    name: str
    seek: SeekJson | None
    share: Decimal


class PlanCreativeOut(Shape):
    key: str
    headline: str
    text: str
    button: str
    picture: str
    landing: str
    # The page as it is written on the site's own pages.
    page: str
    share: Decimal


class AdPlanOut(Shape):
    """A plan as it is written, and how far it is."""

    id: int
    name: str
    state: State
    channel: int
    channel_name: str
    simulation: bool
    aim: int
    aim_name: str
    campaign: str
    lines: list[PlanLineOut]
    left_out: list[int]
    creatives: list[PlanCreativeOut]
    placements: list[str]
    daily_budget: Decimal
    highest_click: Decimal
    cap: int
    first: date | None
    last: date | None
    sharing: Sharing
    started_at: datetime | None
    ended_at: datetime | None
    # Something was changed that the channel has not heard of yet, and why.
    waits: bool
    failure: str


class AdPlanRowOut(Shape):
    """A plan in the list, with what came of it. Cost is the channel's word; conversions are credited here."""

    id: int
    name: str
    state: State
    channel_name: str
    simulation: bool
    aim_name: str
    shown_to: str
    daily_budget: Decimal
    first: date | None
    ended_at: datetime | None
    cost: Decimal
    clicks: int
    conversions: Decimal
    cost_of_one: Decimal | None
    roas: Decimal | None
    roas_interval: IntervalOut | None
    says: str
    # Whether that is good news.
    pays: bool


class RangeOut(Shape):
    """Of ten weeks nine lie between `low` and `high`. A missing limit: there is none."""

    low: float | None
    middle: float | None
    high: float | None


class OutlookPlanOut(Shape):
    reached: RangeOut
    shown: RangeOut
    cost: RangeOut
    clicks: RangeOut
    conversions: RangeOut | None
    cost_of_one: RangeOut | None
    roas: RangeOut | None


class LineReachOut(Shape):
    key: str
    people: int
    identities: int
    known: int


class PlanFindingOut(Shape):
    """Something that is wrong with a plan, or right; and what can be done at once, with what."""

    weight: Literal["stops", "doubt", "fine"]
    says: str
    because: str
    remedy: Literal["", "leave_out", "cap", "budget", "highest_click"]
    on: float | None


class RestedOut(Shape):
    """What the expected conversions rest on."""

    path: str
    campaigns: int
    clicks: int
    conversions: int
    elsewhere: bool


class PlanEffectOut(Shape):
    lines: list[LineReachOut]
    # Of the site's own, each once.
    people: int
    # Identities were counted on a part of them: figures that rest on them are about so.
    rough: bool
    # Whether the channel has said how many it knows; else it is taken to be as many as usual.
    told: bool
    outlook: OutlookPlanOut | None
    often: list[float]
    findings: list[PlanFindingOut]
    rests_on: list[RestedOut]
    break_even: float
    away: str


class PlanPartOut(Shape):
    """A part of a plan: shown, reached, clicks and cost by the channel's word; visits and conversions by Clabo's."""

    line: str
    creative: str
    shown: int
    # People it was shown to, each once in a part; and how often each has seen it, on average.
    reached: int
    frequency: float | None
    clicks: int
    click_rate: IntervalOut
    cost: Decimal
    visits: int
    converted: int
    conversions: Decimal
    rate: IntervalOut
    thin: bool
    value: Decimal
    cost_of_one: Decimal | None
    roas: Decimal | None
    roas_interval: IntervalOut | None


class PlanDayOut(Shape):
    """A day of the channel's (of UTC)."""

    day: date
    cost: Decimal
    value: Decimal


class CreativeAgainstOut(Shape):
    """A creative against the first one: conversions of a thousand times shown, within days and lines."""

    creative: str
    outcome: Literal["too_early", "alike", "better", "worse"]
    difference: IntervalOut | None
    raw: IntervalOut | None
    turned: bool


class PlanMoveOut(Shape):
    """A part of the budget, or of the turns, that went from one to another, and on what evidence."""

    day: date
    what: Literal["line", "creative"]
    source: str
    target: str
    percent: float
    says: str


class PlanResultsOut(Shape):
    """What came of a plan so far."""

    told_at: datetime | None
    # Known there of each line, now.
    people: dict[str, int]
    # How many of those and of whoever was shown it before have seen it 0, 1, 2 … times, the last: so often or more.
    often: list[int]
    total: PlanPartOut
    cost_of_one_interval: IntervalOut | None
    cells: list[PlanPartOut]
    lines: list[PlanPartOut]
    creatives: list[PlanPartOut]
    against: list[CreativeAgainstOut]
    days: list[PlanDayOut]
    line_shares: dict[str, float]
    creative_shares: dict[str, float]
    moves: list[PlanMoveOut]
    says: list[str]
    theirs: int
    theirs_seen: int
    break_even: float


class TownOut(Shape):
    name: str
    east: float
    north: float


class SeekChoicesOut(Shape):
    """What new people can be sought by, and where ads are shown."""

    towns: list[TownOut]
    interests: list[str]
    devices: list[str]
    youngest: int
    oldest: int
    placements: list[str]


class BothOut(Shape):
    one: str
    other: str
    people: int


class NewPeopleOut(Shape):
    """How many new people there are, with each interest alone, and with each two of them."""

    people: int
    each: dict[str, int]
    both: list[BothOut]


def content_of(data: AdPlanIn) -> PlanContent:
    """What was sent."""
    return PlanContent(
        data.name,
        data.channel,
        data.aim,
        [
            LineContent(line.audience, line.seek.model_dump() if line.seek else None, line.share)
            for line in data.lines
        ],
        data.left_out,
        [
            CreativeContent(c.headline, c.landing, c.text, c.button, c.picture, c.share)
            for c in data.creatives
        ],
        data.placements,
        data.daily_budget,
        data.highest_click,
        data.cap,
        data.first,
        data.last,
        data.sharing,
    )


def plan_out(plan: AdPlan) -> AdPlanOut:
    """A plan as it is written."""
    return AdPlanOut(
        id=plan.pk,
        name=plan.name,
        state=plan.state,  # type: ignore[arg-type]
        channel=plan.channel_id,
        channel_name=plan.channel.name,
        simulation=is_simulation(plan.channel),
        aim=plan.aim_id,
        aim_name=plan.aim.name,
        campaign=plan.campaign,
        lines=[
            PlanLineOut(
                key=line.key,
                audience=line.audience_id,
                name=line.audience.name if line.audience else "",
                seek=SeekJson(**line.seek) if line.seek else None,
                share=line.share,
            )
            for line in plan.lines.select_related("audience")
        ],
        left_out=[a.pk for a in plan.left_out.order_by("name")],
        creatives=[
            PlanCreativeOut(
                key=c.key,
                headline=c.headline,
                text=c.text,
                button=c.button,
                picture=c.picture,
                landing=c.landing,
                page=page_path(plan.site, c.landing),
                share=c.share,
            )
            for c in plan.creatives.all()
        ],
        placements=plan.placements,
        daily_budget=plan.daily_budget,
        highest_click=plan.highest_click,
        cap=plan.cap,
        first=plan.first,
        last=plan.last,
        sharing=plan.sharing,  # type: ignore[arg-type]
        started_at=plan.started_at,
        ended_at=plan.ended_at,
        waits=plan.waits,
        failure=plan.failure,
    )


def is_simulation(channel: AdChannel) -> bool:
    """Whether the channel says that it only practises."""
    return bool((channel.told or {}).get("simulation"))


def row_out(plan: AdPlan, found: Summary | None) -> AdPlanRowOut:
    """A plan in the list."""
    total = found.total if found else Brought()
    names = [line.audience.name if line.audience else "new people" for line in plan.lines.all()]
    return AdPlanRowOut(
        id=plan.pk,
        name=plan.name,
        state=plan.state,  # type: ignore[arg-type]
        channel_name=plan.channel.name,
        simulation=is_simulation(plan.channel),
        aim_name=plan.aim.name,
        shown_to=", ".join(names),
        daily_budget=plan.daily_budget,
        first=plan.first,
        ended_at=plan.ended_at,
        cost=total.cost,
        clicks=total.clicks,
        conversions=total.conversions,
        cost_of_one=total.cost_of_one,
        roas=total.roas,
        roas_interval=known_interval(total.roas_interval),
        says=say(found.says[0]) if found and found.says else "",
        pays=bool(found and found.says and found.says[0].code in ("plan_pays", "plan_raise")),
    )


def effect_out(site: Site, found: Effect) -> PlanEffectOut:
    """What a plan may bring."""
    return PlanEffectOut(
        lines=[LineReachOut.model_validate(line) for line in found.lines],
        people=found.people,
        rough=found.rough,
        told=found.told,
        outlook=_outlook_out(found.outlook) if found.outlook else None,
        often=found.often,
        findings=[
            PlanFindingOut(
                weight=f.weight, says=say(f.says), because=say(f.because), remedy=f.remedy, on=f.on
            )
            for f in found.findings
        ],
        rests_on=[RestedOut.model_validate(r) for r in found.rests_on],
        break_even=returns.break_even(site.margin),
        away=found.away,
    )


def _outlook_out(o: Outlook) -> OutlookPlanOut:
    def known(r: Range | None) -> RangeOut | None:
        return None if r is None else _range_out(r)

    return OutlookPlanOut(
        reached=_range_out(o.reached),
        shown=_range_out(o.shown),
        cost=_range_out(o.cost),
        clicks=_range_out(o.clicks),
        conversions=known(o.conversions),
        cost_of_one=known(o.cost_of_one),
        roas=known(o.roas),
    )


def _range_out(r: Range) -> RangeOut:
    return RangeOut(low=finite(r.low), middle=finite(r.middle), high=finite(r.high))


def part_out(b: Brought) -> PlanPartOut:
    """A part of a plan."""
    return PlanPartOut(
        line=b.line,
        creative=b.creative,
        shown=b.shown,
        reached=b.reached,
        frequency=b.frequency,
        clicks=b.clicks,
        click_rate=interval_out(b.click_rate),
        cost=b.cost,
        visits=b.visits,
        converted=b.converted,
        conversions=b.conversions,
        rate=interval_out(b.rate),
        thin=b.thin,
        value=b.value,
        cost_of_one=b.cost_of_one,
        roas=b.roas,
        roas_interval=known_interval(b.roas_interval),
    )


def results_out(plan: AdPlan, found: Results) -> PlanResultsOut:
    """What came of a plan."""
    standing = found.standing
    names = {line.key: line.audience.name if line.audience else "new people" for line in plan.lines.all()}
    names |= {c.key: c.headline for c in plan.creatives.all()}
    return PlanResultsOut(
        told_at=plan.told_at,
        people=standing.people if standing else {},
        often=standing.often if standing else [],
        total=part_out(found.total),
        cost_of_one_interval=known_interval(found.cost_interval),
        cells=[part_out(b) for b in found.cells],
        lines=[part_out(b) for b in found.lines],
        creatives=[part_out(b) for b in found.creatives],
        against=[
            CreativeAgainstOut(
                creative=a.creative,
                outcome=a.tried.outcome,
                difference=_per_thousand(a.tried.difference),
                raw=_per_thousand(a.tried.raw),
                turned=a.tried.turned,
            )
            for a in found.against
        ],
        days=[PlanDayOut(day=d, cost=c, value=v) for d, (c, v) in sorted(found.total.by_day.items())],
        line_shares=standing.line_shares if standing else {},
        creative_shares=standing.creative_shares if standing else {},
        moves=[_move_out(m, names, plan.site.currency) for m in found.moves],
        says=[say(t) for t in found.says],
        theirs=found.theirs,
        theirs_seen=found.theirs_seen,
        break_even=returns.break_even(plan.site.margin),
    )


def _per_thousand(i: Interval | None) -> IntervalOut | None:
    return known_interval(Interval(1000 * i.low, 1000 * i.estimate, 1000 * i.high)) if i else None


def _move_out(m: Move, names: dict[str, str], currency: str) -> PlanMoveOut:
    return PlanMoveOut(
        day=m.day,
        what=m.what,
        source=names.get(m.source, m.source),
        target=names.get(m.target, m.target),
        percent=round(100 * m.share, 1),
        says=says_moved(
            m.what,
            (m.source_tally.effort, m.source_tally.conversions),
            (m.target_tally.effort, m.target_tally.conversions),
            m.chance,
            currency,
        ),
    )


def choices_out(found: Choices) -> SeekChoicesOut:
    """What new people can be sought by."""
    return SeekChoicesOut(
        towns=[TownOut(name=t.name, east=t.east, north=t.north) for t in found.towns],
        interests=found.interests,
        devices=found.devices,
        youngest=found.youngest,
        oldest=found.oldest,
        placements=found.placements,
    )


def new_people_out(found: NewPeople) -> NewPeopleOut:
    """How many new people there are."""
    return NewPeopleOut(
        people=found.people,
        each=found.each,
        both=[BothOut(one=a, other=b, people=n) for a, b, n in found.both],
    )
