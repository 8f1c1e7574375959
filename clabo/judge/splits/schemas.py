"""The shapes of split tests in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from ninja import Field

from clabo.collect.install.kit import HOLD_MS, tag_lines
from clabo.core.evidence import GroupEffect, is_thin, rate_interval, would_have_shown
from clabo.core.evidence.experiments.guards import Standing
from clabo.core.evidence.experiments.verdicts import VerdictKind
from clabo.core.money.attribution import Model
from clabo.core.money.returns import over_lifetime
from clabo.core.splits.changes import read_changes
from clabo.core.splits.measures import What
from clabo.core.splits.page_match import Match
from clabo.core.splits.targeting import Device, Visits, read_entrants
from clabo.core.splits.trigger import read_trigger
from clabo.judge.splits import queries, services
from clabo.judge.splits.analysis import results
from clabo.judge.splits.analysis.groups import Way
from clabo.judge.splits.analysis.measures import MeasureResult
from clabo.judge.splits.analysis.split_causes import causes
from clabo.judge.splits.checklist import CheckName
from clabo.judge.splits.editor.change_shape import ChangeJson
from clabo.judge.splits.models import SplitTest
from clabo.platform.shapes import IntervalOut, Shape, finite, interval_out, known_interval
from clabo.platform.wording.splits.changes import change_says
from clabo.platform.wording.splits.targeting import entrants_say
from clabo.platform.wording.splits.triggers import moment_says
from clabo.setup.conversions.queries import rule_of
from clabo.setup.conversions.schemas import ChangeOut, change_out
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience

StateName = Literal["draft", "running", "paused", "ended", "adopted"]


DeedName = Literal[
    "made",
    "changed",
    "started",
    "paused",
    "resumed",
    "ended",
    "ended_on_date",
    "ended_decided",
    "ended_on_harm",
    "adopted",
    "handed_over",
    "archived",
    "brought_back",
    "noted",
]


class WayIn(Shape):
    """How a visit came; all that is given must hold."""

    source: str = ""
    medium: str = ""
    campaign: str = ""
    # A host, its subdomains included.
    referrer: str = ""


class EntrantsIn(Shape):
    """Who may be in a test; each that is left out lets everybody in."""

    devices: list[Device] = []
    visits: Visits | None = None
    came: list[WayIn] = []
    # Only of content: whoever is in this audience, which the server is asked for once a visit.
    audience: int | None = None


class LabelIn(Shape):
    """What may be changed of a test in any state."""

    name: str = Field(max_length=120)
    notes: str = ""
    # It ends by itself after this day; once it is decided; once a challenger is worse for sure.
    ends_on: date | None = None
    ends_decided: bool = False
    ends_on_harm: bool = False


class AdoptIn(Shape):
    letter: str = Field(max_length=1)
    # Clabo shows it to everybody until the site's own page has it.
    shown: bool = False
    # In percent of everybody: who goes on seeing the control, so that it is seen whether the difference lasts.
    held_back: int = 0


class EditorIn(Shape):
    letter: str = Field(max_length=1)


class ArchiveIn(Shape):
    away: bool


class StartCheckOut(Shape):
    """One thing that is looked at before a start; `ok` is missing where Clabo cannot see it by itself."""

    what: CheckName
    ok: bool | None
    # Pages, tests or selectors that it is about.
    names: list[str]
    # Of traffic: how long the plan takes.
    days: int | None
    # Of elements: those that only a desktop or only a phone has; and a code why the page could not be looked at.
    partly: list[str]
    reason: str


class MeasureIn(Shape):
    """What a test is read by besides: of each visitor, whether they had a conversion, what it was worth, or a bounce."""

    what: What
    conversion: int | None = None
    # It must not get worse by more than `margin`, a part of the control's.
    guard: bool = False
    margin: float = 0
    lower_is_better: bool = False


class PlaceIn(Shape):
    """Pages whose address, with its host, equals, begins with or contains a text."""

    match: Match
    value: str


class MomentIn(Shape):
    """When a test of content begins for somebody: at once, or at one of these; `once` a tab."""

    after: int = 0
    scrolled: int = 0
    leaving: bool = False
    once: bool = False


class SplitTestIn(LabelIn):
    conversion: int
    # Of a test of content the one page that it is on.
    addresses: list[str] = Field(min_length=1, max_length=8)
    shares: list[int] = Field(min_length=2, max_length=8)
    traffic: int = 100
    # Of those in it, how many in a hundred are shown no variant and measured all the same.
    held_out: int = 0
    baseline: float
    smallest_lift: float
    # What differs: the address that visitors are sent to, or the content of one page.
    what: Literal["address", "content"] = "address"
    # Of a test of content: what each variant changes, and nothing for the control.
    changes: list[list[ChangeJson]] = Field([], max_length=8)
    # Who may be in it: devices, visits and came; nothing for everybody.
    who: EntrantsIn = EntrantsIn()
    # How it stands to a test on the same page: nobody is in both, or everybody may be.
    beside: Literal["", "apart", "crossed"] = ""
    measures: list[MeasureIn] = Field([], max_length=6)
    moment: MomentIn = MomentIn()
    # Of a test of content, the pages that it is on besides its own.
    pages: list[PlaceIn] = Field([], max_length=10)


class DryRunOut(Shape):
    runs: int
    alarms: float
    decided: list[float]


class PlanOut(Shape):
    per_arm: list[int]
    total: int
    # What it takes read every day, in visitors and times the plan of a single look.
    daily_total: int
    daily_times: float
    visitors_per_day: float
    days: int | None
    # The control page in the last 28 days: visitors, and how many of them converted after seeing it.
    recorded_visitors: int
    recorded_converted: int
    # The same test as if nothing differed, played so often on the control's own days: the part that called a difference,
    # and the part decided by the end of each day. Missing where too few days are known, or the plan is too long.
    dry: DryRunOut | None
    # Addresses that no hit has come from yet, and the line that the control page needs.
    unseen: list[str]
    render_line: str
    # The same for browsers that do not hold a page back by themselves, and for how long it does at most.
    hold_line: str
    hold_ms: int


class HindranceOut(Shape):
    why: Literal["missing", "overwritten", "late"]
    selector: str
    times: int
    last_at: datetime


class VariantOut(Shape):
    letter: str
    host: str
    path: str
    share: int
    # How often its page has led back to the control, and when last.
    led_back: int
    led_back_at: datetime | None
    # What it changes on the page, and the same in words.
    changes: list[ChangeJson]
    says: list[str]
    # Why the page could not show it as meant.
    hindrances: list[HindranceOut]


class SplitTestOut(Shape):
    id: int
    name: str
    notes: str
    ends_on: date | None
    ends_decided: bool
    ends_on_harm: bool
    who: EntrantsIn
    # The same in words, to stand after "visitors"; empty for everybody.
    who_says: str
    measures: list[MeasureIn]
    moment: MomentIn
    moment_says: str
    pages: list[PlaceIn]
    beside: Literal["", "apart", "crossed"]
    # Of all visitors, in percent: from where on its traffic is taken, where it shares them with another test.
    start_at: int
    adopted: str
    adopted_at: datetime | None
    # Clabo shows the winner to everybody.
    shown: bool
    # The test whose winner this one watches, and those that watch this one's.
    follows: int | None
    archived: bool
    what: Literal["address", "content"]
    state: StateName
    conversion: int
    conversion_name: str
    traffic: int
    held_out: int
    baseline: float
    smallest_lift: float
    planned_visitors: int
    started_at: datetime | None
    ended_at: datetime | None
    variants: list[VariantOut]


class SplitTestSummary(SplitTestOut):
    """With the verdict's kind as the list shows it, and the one challenger it is about."""

    verdict: str
    visitors: int
    # Visitors at the planned end.
    needed: int
    days_left: int | None
    letter: str | None


class DeedOut(Shape):
    """What was done with the test; by nobody where Clabo did it by itself."""

    at: datetime
    by: str
    what: DeedName


class KeptOut(Shape):
    """Where a picture is that Clabo keeps."""

    address: str


class LookOut(Shape):
    """A link that shows a variant as it would be; nothing of it is counted."""

    letter: str
    address: str


class ArmOut(Shape):
    letter: str
    path: str
    # What it changes on the page, in words.
    says: list[str]
    share: int
    visitors: int
    converted: int
    rate: IntervalOut
    thin: bool
    value_per_visitor: float | None
    value_sum: Decimal
    spend: Decimal
    revenue: Decimal
    roas: Decimal | None
    lifetime_value_per_visitor: Decimal | None
    lifetime_roas: Decimal | None
    chance: float | None
    loss: float | None


class AgainstOut(Shape):
    letter: str
    # What can be said of its difference now: the last look at midnight and the sequence together.
    range: IntervalOut
    # The day whose end was looked at last, and how much of the planned information had come in by then.
    looked_on: date | None
    looked_at: float | None
    # The difference that it would have shown in 80 of 100 tests.
    would_have_shown: float | None
    # At the first look that called a difference: as measured, and corrected for having been called then.
    called: float | None
    called_unbiased: float | None
    fixed: IntervalOut
    p_value: float | None
    value_difference: IntervalOut
    # The same by the BCa bootstrap, for heavy tails.
    value_bootstrap: IntervalOut
    # With the largest 1 % of the values cut to size.
    value_winsorised: IntervalOut
    value_range: IntervalOut
    # The same as `range` and `value_range` with what was known of visitors before: each arm as if it had the same mix; and
    # the part of the visitors that this saves.
    adjusted: IntervalOut
    value_adjusted: IntervalOut
    saved: float | None


class CauseOut(Shape):
    # "leads_back": its page sends visitors back; "tag_stopped": nothing has come from its page lately; "robots": a part of
    # who comes there is no person; "lost": fewer arrived than were sent.
    what: Literal["leads_back", "tag_stopped", "robots", "lost"]
    letter: str
    # Of so many: those led back, robots, or who are missing.
    count: int


class ForecastOut(Shape):
    early: int | None
    middle: int | None
    late: int | None
    undecided: float
    days: int


class GroupOut(Shape):
    """A group of visitors in which a challenger is held against the control."""

    letter: str
    # By their variant of another test for "test", whose number and name `other` and `other_name` are.
    way: Way
    other: int | None
    other_name: str
    group: str
    control_converted: int
    control_visitors: int
    converted: int
    visitors: int
    raw: IntervalOut
    # Drawn towards the whole by how little the group tells.
    shrunk: IntervalOut
    # Whether it differs from the other groups together, after Holm.
    p_value: float | None
    differs: bool
    # It differs, and points the other way.
    reversed: bool


class ArmMeasureOut(Shape):
    letter: str
    # Visitors who did it, with its rate; of a value what a visitor brings.
    did: int
    visitors: int
    rate: IntervalOut | None
    mean: float | None


class AgainstMeasureOut(Shape):
    letter: str
    # Of the difference, honest at every look.
    range: IntervalOut
    # For one look, after Holm over all measures of its sort.
    p_value: float | None
    # Of a guard: whether it holds.
    standing: Standing | None


class MeasureOut(Shape):
    measure: MeasureIn
    # The conversion's name; missing of bounces, and where it has been deleted.
    name: str | None
    arms: list[ArmMeasureOut]
    against: list[AgainstMeasureOut]


class DayOut(Shape):
    day: date
    letter: str
    visitors: int
    range: IntervalOut


class VerdictOut(Shape):
    kind: VerdictKind
    letter: str | None
    difference: IntervalOut | None
    days_left: int | None
    overdue: bool
    all_worse: bool


class HeldOutOut(Shape):
    """Visitors in the test who were shown no variant, and all who were shown any, against them."""

    visitors: int
    converted: int
    rate: IntervalOut
    thin: bool
    value_per_visitor: float | None
    shown_visitors: int
    shown_converted: int
    # Shown minus held out, honest at every look; with 95 % by itself, as it decides nothing.
    range: IntervalOut
    value_range: IntervalOut


class ComparedOut(Shape):
    """Visitors of a variant whose exposure is older than the conversion window, and how many converted within it."""

    letter: str
    visitors: int
    converted: int


class ResultOut(Shape):
    test: SplitTestOut
    verdict: VerdictOut
    arms: list[ArmOut]
    against: list[AgainstOut]
    days: list[DayOut]
    split_p: float | None
    split_broken: bool
    worth: float
    needed: int
    visitors: int
    visitors_per_day: float
    decided_on: date | None
    first_day: date | None
    last_day: date | None
    category: str
    currency: str
    lifetime_factor: Decimal | None
    # When what counts as a conversion was changed while the test ran.
    changes: list[ChangeOut]
    # Of a running test that is not decided: days from now by which 10, 50 and 90 of 100 futures that fit what was seen
    # have decided it, missing where they have not at the planned end; and how many have not.
    forecast: ForecastOut | None
    log: list[DeedOut]
    # Guards first.
    measures: list[MeasureOut]
    # Of a broken split, what may be the reason.
    causes: list[CauseOut]
    # Missing where nobody is held out.
    held: HeldOutOut | None
    # Compared are conversions within so many days of the exposure, of visitors whose exposure is older; 0: all so far.
    window_days: int
    compared: list[ComparedOut]


class SplitLens(Shape):
    """The words of the lens that a test answers to; its days are its own."""

    origin: str = "any"
    device: str = "any"
    model: Model = "last_paid"
    # Only visitors who are in this audience now.
    audience: int | None = None


def content_of(site: Site, data: SplitTestIn) -> services.SplitContent:
    return services.SplitContent(
        data.name,
        rule_of(site, data.conversion),
        data.addresses,
        data.shares,
        data.traffic,
        data.baseline,
        data.smallest_lift,
        data.what,
        data.changes,
        data.who.model_dump(exclude_defaults=True),
        data.beside,
        [m.model_dump(exclude_defaults=True) for m in data.measures],
        data.moment.model_dump(exclude_defaults=True),
        [p.model_dump() for p in data.pages],
        label_of(data),
        data.held_out,
    )


def label_of(data: LabelIn) -> services.Label:
    return services.Label(data.name, data.notes, data.ends_on, data.ends_decided, data.ends_on_harm)


def test_out(t: SplitTest) -> dict[str, Any]:
    fields = (
        "name",
        "what",
        "state",
        "traffic",
        "held_out",
        "baseline",
        "smallest_lift",
        "planned_visitors",
        "started_at",
        "ended_at",
        "notes",
        "ends_on",
        "ends_decided",
        "ends_on_harm",
        "who",
        "measures",
        "moment",
        "pages",
        "beside",
        "start_at",
        "adopted",
        "adopted_at",
        "shown",
    )
    return {
        "id": t.pk,
        "conversion": t.rule_id,
        "conversion_name": t.rule.name,
        "moment_says": moment_says(read_trigger(t.moment)),
        "who_says": entrants_say(read_entrants(t.who), _audience_name(t)),
        "follows": t.follows_id,
        "archived": t.archived_at is not None,
        "variants": [
            VariantOut(
                **{
                    name: getattr(v, name)
                    for name in ("letter", "host", "path", "share", "led_back", "led_back_at", "changes")
                },
                says=[change_says(c) for c in read_changes(v.changes)],
                hindrances=[
                    HindranceOut.model_validate(h, from_attributes=True)
                    for h in v.hindrances.order_by("-last_at")
                ],
            )
            for v in t.variants.all()
        ],
        **{name: getattr(t, name) for name in fields},
    }


def _audience_name(t: SplitTest) -> str:
    wanted = t.who.get("audience")
    named = Audience.objects.filter(pk=wanted, site=t.site_id).first() if wanted else None
    return named.name if named else ""


def _letter(r: results.Result) -> str | None:
    place = r.verdict.params.get("challenger")
    return None if place is None else r.arms[1 + place].variant.letter


def verdict_out(r: results.Result) -> VerdictOut:
    """The verdict, with what a sentence about it needs."""
    parts = r.verdict.params
    return VerdictOut(
        kind=r.verdict.kind,
        letter=_letter(r),
        difference=interval_out(parts["difference"]) if "difference" in parts else None,
        days_left=parts.get("days_left"),
        overdue=bool(parts.get("overdue")),
        all_worse=bool(parts.get("all_worse")),
    )


def arm_out(a: results.Arm, factor: Decimal | None) -> ArmOut:
    rate = rate_interval(a.counts.conversions, a.counts.trials)
    return ArmOut(
        letter=a.variant.letter,
        path=a.variant.path,
        says=[change_says(c) for c in read_changes(a.variant.changes)],
        share=a.variant.share,
        visitors=a.counts.trials,
        converted=a.counts.conversions,
        rate=interval_out(rate),
        thin=is_thin(a.counts.conversions, a.counts.trials),
        value_per_visitor=a.value.mean if a.counts.trials and a.valued else None,
        value_sum=a.value_sum,
        spend=round(a.spend, 4),
        revenue=round(a.revenue, 4),
        roas=None if a.roas is None else round(a.roas, 4),
        lifetime_value_per_visitor=over_lifetime(Decimal(a.value.mean), factor)
        if a.counts.trials and a.valued
        else None,
        lifetime_roas=over_lifetime(a.roas, factor),
        chance=finite(a.chance),
        loss=finite(a.loss),
    )


def summary_out(t: SplitTest, r: results.Result) -> SplitTestSummary:
    """A test as the list shows it."""
    return SplitTestSummary(
        **test_out(t),
        verdict=r.verdict.kind,
        visitors=sum(a.counts.trials for a in r.arms),
        needed=r.needed,
        days_left=r.verdict.params.get("days_left"),
        letter=_letter(r),
    )


def plan_out(site: Site, p: queries.Planned) -> PlanOut:
    """The plan with the lines that the control page needs."""
    lines = tag_lines(site)
    return PlanOut(
        per_arm=p.plan.per_arm,
        total=p.plan.total,
        daily_total=p.daily_total,
        daily_times=p.daily_times,
        visitors_per_day=p.per_day,
        days=p.days,
        recorded_visitors=p.before.visitors,
        recorded_converted=p.before.converted,
        dry=DryRunOut(**asdict(p.dry)) if p.dry else None,
        unseen=[page.path for page in p.unseen],
        render_line=lines.render,
        hold_line=lines.hold,
        hold_ms=HOLD_MS,
    )


def groups_out(by_letter: Mapping[str, Mapping[str, Mapping[str, GroupEffect]]]) -> list[GroupOut]:
    numbers = {int(way.split()[1]) for ways in by_letter.values() for way in ways if " " in way}
    names = dict(SplitTest.objects.filter(pk__in=numbers).values_list("pk", "name"))
    return [
        GroupOut(
            letter=letter,
            way=cast(Any, way.split()[0]),
            other=int(way.split()[1]) if " " in way else None,
            other_name=names.get(int(way.split()[1]), "") if " " in way else "",
            group=name,
            control_converted=g.control.conversions,
            control_visitors=g.control.trials,
            converted=g.challenger.conversions,
            visitors=g.challenger.trials,
            raw=interval_out(g.raw),
            shrunk=interval_out(g.shrunk),
            p_value=finite(g.p_value),
            differs=g.differs,
            reversed=g.reversed,
        )
        for letter, ways in by_letter.items()
        for way, of in ways.items()
        for name, g in of.items()
    ]


def measure_out(m: MeasureResult) -> MeasureOut:
    on_values = m.measure.what == "value"
    return MeasureOut(
        measure=MeasureIn(**asdict(m.measure)),
        name=m.rule.name if m.rule else None,
        arms=[
            ArmMeasureOut(
                letter=a.letter,
                did=a.counts.conversions,
                visitors=a.counts.trials,
                rate=None
                if on_values or not a.counts.trials
                else known_interval(rate_interval(a.counts.conversions, a.counts.trials)),
                mean=finite(a.value.mean) if on_values and a.counts.trials else None,
            )
            for a in m.arms
        ],
        against=[
            AgainstMeasureOut(
                letter=a.letter,
                range=interval_out(a.range),
                p_value=finite(a.p_value),
                standing=a.standing if m.measure.guard else None,
            )
            for a in m.against
        ],
    )


def held_out(h: results.HeldOut, valued: bool) -> HeldOutOut:
    n, k = h.counts.trials, h.counts.conversions
    return HeldOutOut(
        visitors=n,
        converted=k,
        rate=interval_out(rate_interval(k, n)),
        thin=is_thin(k, n),
        value_per_visitor=h.value.mean if n and valued else None,
        shown_visitors=h.shown.trials,
        shown_converted=h.shown.conversions,
        range=interval_out(h.against.range),
        value_range=interval_out(h.against.value_range),
    )


def result_out(r: results.Result, test: SplitTest) -> ResultOut:
    """What came of a test."""
    return ResultOut(
        test=SplitTestOut(**test_out(test)),
        verdict=verdict_out(r),
        arms=[arm_out(a, test.rule.lifetime_factor) for a in r.arms],
        against=[
            AgainstOut(
                letter=a.letter,
                range=interval_out(a.range),
                looked_on=a.looked_on,
                looked_at=a.look.time if a.look else None,
                would_have_shown=finite(would_have_shown(a.look)) if a.look else None,
                called=finite(a.called),
                called_unbiased=finite(a.called_unbiased),
                fixed=interval_out(a.fixed),
                p_value=finite(a.p_value),
                value_difference=interval_out(a.value.difference),
                value_bootstrap=interval_out(a.value_bootstrap),
                value_winsorised=interval_out(a.value_winsorised),
                value_range=interval_out(a.value_range),
                adjusted=interval_out(a.adjusted),
                value_adjusted=interval_out(a.value_adjusted),
                saved=finite(a.saved),
            )
            for a in r.against
        ],
        days=[
            DayOut(day=d.day, letter=d.letter, visitors=d.visitors, range=interval_out(d.interval))
            for d in r.days
        ],
        split_p=finite(r.health.p_value),
        split_broken=r.health.broken,
        worth=r.worth,
        needed=r.needed,
        visitors=sum(a.counts.trials for a in r.arms),
        visitors_per_day=r.visitors_per_day,
        decided_on=r.decided_on,
        first_day=r.first_day,
        last_day=r.last_day,
        category=test.rule.category,
        currency=test.site.currency,
        lifetime_factor=test.rule.lifetime_factor,
        changes=[change_out(v) for v in queries.changes_during(test)],
        log=[
            DeedOut(at=d.at, by=str(d.by or ""), what=cast(Any, d.what))
            for d in test.deeds.select_related("by")
        ],
        forecast=ForecastOut(**asdict(r.forecast)) if r.forecast else None,
        causes=[CauseOut(what=cast(Any, c.what), letter=c.letter, count=c.count) for c in causes(r)]
        if r.health.broken
        else [],
        held=held_out(r.held, valued=test.rule.has_value) if r.held else None,
        window_days=r.window,
        compared=[
            ComparedOut(letter=k, visitors=c.trials, converted=c.conversions) for k, c in r.compared.items()
        ],
        measures=[measure_out(m) for m in sorted(r.measures, key=lambda m: not m.measure.guard)],
    )
