"""The shapes of Today in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Literal, cast

from ninja import Field

from clabo.collect.events.models import Page
from clabo.collect.install.coverage import Covered
from clabo.judge.decisions.models import Decision
from clabo.judge.reports.pages.own_goals import OwnFinding
from clabo.judge.reports.today.next_euro import BestPlace, Place, Since
from clabo.judge.reports.today.queries import test_key
from clabo.judge.reports.today.yesterday import Yesterday
from clabo.judge.splits.analysis.results import Result
from clabo.judge.splits.schemas import VerdictOut, verdict_out
from clabo.platform.shapes import IntervalOut, Shape, finite, interval_out, known_interval
from clabo.setup.conversions.schemas import ChangeOut
from clabo.setup.sites.schemas import WaitingSettings
from clabo.use.spend.schemas import BudgetOut

MOST_NAMED = 20


class NamedPage(Shape):
    host: str
    path: str
    # Views a day as it was, and when the tag was last heard; missing where it goes on.
    per_day: float | None
    stopped_at: datetime | None


class QuietOut(Shape):
    id: int
    name: str
    per_day: float
    last_at: datetime


class SplitTestNote(Shape):
    key: str
    # Money that it is about in 28 days, where that is known.
    stake: Decimal | None
    id: int
    name: str
    category: str
    visitors: int
    verdict: VerdictOut


class PageNote(Shape):
    """A finding among the landing pages of the last 28 days."""

    key: str
    # When it was first said; it is said until it no longer holds.
    since: datetime
    stake: Decimal | None
    kind: Literal["loses_money", "earns", "converts_badly"]
    page_id: int
    path: str
    spend: Decimal
    revenue: Decimal
    profit: Decimal
    roas_interval: IntervalOut | None
    entries: int
    converted: int
    conversion_rate: IntervalOut | None
    lost: float
    # The conversion that the page is judged by, and the rate of all pages that are there for it.
    counting: str
    category: str
    together: float | None
    # It is the page's own goal; otherwise the page has none that its visits name.
    own_goal: bool


class PaidPlaceOut(Shape):
    """A page under a source, over the last 28 days."""

    page_id: int
    path: str
    source: str
    spend: Decimal
    conversions: Decimal
    value: Decimal


class MoveNote(Shape):
    """Where the next euro is best spent: money a day to move, what that brings a day, and how sure it is."""

    key: str
    stake: Decimal | None
    give: PaidPlaceOut
    take: PaidPlaceOut
    amount: Decimal
    gain: IntervalOut
    sure: float
    elasticity: IntervalOut = Field(description="By which power the site's conversions grow with spend.")
    counting: str
    category: str


class AudienceNote(Shape):
    """The largest audience that nobody has taken out."""

    key: str
    id: int
    name: str
    people: int


class SinceOut(Shape):
    """A page, under a source or all, before and since a decision: spend and profit a day."""

    path: str
    source: str
    days: int
    spend_before: Decimal
    spend_since: Decimal
    profit_before: Decimal
    profit_since: Decimal


class DecisionOut(Shape):
    """What somebody has answered to a proposal, and what came of it where it was done and a day has passed."""

    id: int
    about: str
    answer: Literal["done", "later", "never"]
    reason: str
    until: date | None
    made_at: datetime
    by: str
    said: IntervalOut | None = Field(description="The gain that was said to come of it, in money a day.")
    came: list[SinceOut]


class AnswerIn(Shape):
    key: str = Field(max_length=600)
    answer: Literal["done", "later", "never"]
    days: int = 7
    reason: str = Field("", max_length=300)


class ChangedRule(ChangeOut):
    id: int
    name: str


class LedBackNote(Shape):
    """A variant of a running test whose page leads back to its control."""

    test: int
    name: str
    control: str
    path: str
    times: int
    last_at: datetime | None


class ChannelNote(Shape):
    """A place ads run that does not answer, or to which conversions do not get through; of the last seven days."""

    id: int
    name: str
    failing_since: datetime | None
    failure: str
    sent: int
    taken: int
    refused: int
    waiting: int
    oldest_waiting: datetime | None
    reason: str
    not_removed: int = Field(
        description="Identities that it refuses to take off a list; they are there still."
    )
    not_removed_why: str


class HindranceNote(Shape):
    """Why the page of a running test cannot show one of its changes."""

    test: int
    name: str
    path: str
    letter: str
    why: Literal["missing", "overwritten", "late"]
    selector: str
    times: int
    last_at: datetime


class SuspectNote(Shape):
    """Something of the last week that looks made up, and what of it could be set aside."""

    kind: Literal["values", "beyond", "pages", "one_network", "visits", "conversions"]
    count: int
    usual: float | None
    counting: str | None
    value: Decimal | None
    order: str
    network: str
    visitor_id: int | None
    from_at: datetime | None
    until_at: datetime | None


class RefusedHostNote(Shape):
    host: str
    count: int
    last_at: datetime


class CountOut(Shape):
    """A count of the day, and the range in which it usually falls."""

    # Nothing for visits.
    id: int | None
    name: str
    count: int
    usual: IntervalOut | None


class YesterdayOut(Shape):
    day: date
    days: int
    away: bool
    counts: list[CountOut]


class RailOut(Shape):
    """The state of each section; `to_mend` and `broken_tests` as of a minute or two ago."""

    to_mend: int
    broken_tests: int
    pages: int
    stopped_pages: int
    last_hit_at: datetime | None
    conversions: int
    audiences: int
    running_tests: int
    running_plans: int
    # Campaign sources whose visits and spend are made up: they come from a channel that only practises.
    simulated: list[str]
    # Settings that hold once all that was recorded has been read by them; None where nothing waits.
    waiting: WaitingSettings | None


class TodayOut(Shape):
    to_mend: int
    now: datetime
    first_at: datetime | None
    last_at: datetime | None
    rules: int
    has_spend: bool
    silent_since: datetime | None
    late_since: datetime | None
    set_aside: int
    # Stages after storing that have failed and are tried again.
    owed: int
    # Hosts that have the tag and are none of the site's.
    refused_hosts: list[RefusedHostNote]
    suspect: list[SuspectNote]
    # At most twenty of each are named.
    stopped: list[NamedPage]
    stopped_total: int
    twice: list[NamedPage]
    twice_total: int
    quiet: list[QuietOut]
    broken: list[SplitTestNote]
    led_back: list[LedBackNote]
    hindered: list[HindranceNote]
    channels: list[ChannelNote]
    # Whose month ends, or has gone, above its budget.
    budgets: list[BudgetOut]
    spend_until: date | None
    spend_overdue: bool
    spend_total: Decimal
    # What joined no visit, where it is more than a trifle.
    spend_unjoined: Decimal
    decided: list[SplitTestNote]
    overdue: list[SplitTestNote]
    findings: list[PageNote]
    move: MoveNote | None
    unused: AudienceNote | None
    # In which money, and from which return ads pay for themselves.
    currency: str
    has_margin: bool
    break_even_roas: float
    changed: list[ChangedRule]
    yesterday: YesterdayOut | None


def test_note(r: Result, stakes: Mapping[str, Decimal]) -> SplitTestNote:
    return SplitTestNote(
        key=test_key(r),
        stake=_money(stakes.get(test_key(r))),
        id=r.test.pk,
        name=r.test.name,
        category=r.test.rule.category,
        visitors=sum(a.counts.trials for a in r.arms),
        verdict=verdict_out(r),
    )


def _money(amount: Decimal | None) -> Decimal | None:
    return None if amount is None else round(amount, 2)


def page_note(f: OwnFinding, page: Page, stakes: Mapping[str, Decimal], since: datetime) -> PageNote:
    return PageNote(
        key=f.key,
        since=since,
        stake=_money(stakes.get(f.key)),
        kind=f.finding.kind,
        page_id=page.pk,
        path=page.path,
        spend=round(f.row.spend, 2),
        revenue=round(f.row.revenue, 2),
        profit=round(f.finding.profit, 2),
        roas_interval=known_interval(f.row.roas_interval),
        entries=f.row.entries,
        converted=f.row.converted,
        conversion_rate=known_interval(f.row.conversion_rate),
        lost=f.finding.lost,
        counting=f.rule.name,
        category=f.rule.category,
        own_goal=f.own,
        together=finite(f.together),
    )


def move_note(m: BestPlace, stakes: Mapping[str, Decimal]) -> MoveNote:
    def place(p: Place) -> PaidPlaceOut:
        return PaidPlaceOut(
            page_id=p.page_id,
            path=p.page.path if p.page else "",
            source=p.source,
            spend=round(p.spend, 2),
            conversions=p.conversions,
            value=round(p.value, 2),
        )

    return MoveNote(
        key=m.key,
        stake=_money(stakes.get(m.key)),
        give=place(m.give),
        take=place(m.take),
        amount=round(Decimal(m.move.amount) / m.days, 2),
        gain=interval_out(m.gain_a_day),
        sure=m.move.sure,
        elasticity=interval_out(m.move.elasticity),
        counting=m.rule.name,
        category=m.rule.category,
    )


def decision_out(d: Decision, came: Sequence[Since], paths: Mapping[int, str]) -> DecisionOut:
    said = None
    if d.gain is not None and d.gain_low is not None and d.gain_high is not None:
        said = IntervalOut(low=float(d.gain_low), estimate=float(d.gain), high=float(d.gain_high))
    return DecisionOut(
        id=d.pk,
        about=d.about,
        answer=cast(Literal["done", "later", "never"], d.answer),
        reason=d.reason,
        until=d.until,
        made_at=d.made_at,
        by=str(d.made_by or ""),
        said=said,
        came=[
            SinceOut(
                path=paths.get(s.page_id, ""),
                source=s.source,
                days=s.days,
                spend_before=round(s.spend_before, 2),
                spend_since=round(s.spend_since, 2),
                profit_before=round(s.profit_before, 2),
                profit_since=round(s.profit_since, 2),
            )
            for s in came
        ],
    )


def named_pages(pages: Sequence[Covered]) -> list[NamedPage]:
    return [
        NamedPage(host=c.host, path=c.path, per_day=c.per_day, stopped_at=c.stopped_at)
        for c in pages[:MOST_NAMED]
    ]


def yesterday_out(y: Yesterday) -> YesterdayOut:
    counts = [
        CountOut(
            id=c.rule.pk if c.rule else None,
            name=c.rule.name if c.rule else "visits",
            count=c.count,
            usual=known_interval(c.usual),
        )
        for c in y.counts
    ]
    return YesterdayOut(day=y.day, days=y.days, away=y.away, counts=counts)
