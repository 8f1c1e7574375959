"""What is broken on a site, as far as Clabo can see it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db.models import Max

from clabo.collect.install.coverage import Covered, coverage
from clabo.collect.install.queries import TagState, tag_state
from clabo.collect.pipeline.queries import backlog
from clabo.judge.splits.analysis.results import Result, result
from clabo.judge.splits.models import Hindrance, SplitTest, Variant
from clabo.setup.conversions.lens import read_lens
from clabo.setup.monitoring.conversions import QuietRule, quiet_rules
from clabo.setup.sites.models import Site
from clabo.use.delivery.queries import Trouble, troubled
from clabo.use.spend.budgets import BudgetStanding, standings
from clabo.use.spend.joining import joined
from clabo.use.spend.models import CostPart

# The worker looks in every second; what has waited for longer than this is late.
LATE = timedelta(minutes=5)
LED_BACK_SHOWN = timedelta(days=1)
# Costs come from the ad side a day later at the latest.
SPEND_DUE = timedelta(days=2)
SPEND_USED = timedelta(days=28)
# Of the cost, what may go unjoined without a word.
UNJOINED_SHARE = Decimal("0.02")


@dataclass(frozen=True, slots=True)
class SpendGap:
    """What is missing of the cost: days since `last_day`, and what of the last 28 joined no visit."""

    last_day: date | None
    overdue: bool
    total: Decimal
    # Nothing where it is a trifle.
    unjoined: Decimal


@dataclass(frozen=True, slots=True)
class ToMend:
    """All that is broken, each list with the most urgent first; and the running tests, broken or not."""

    tag: TagState
    silent_since: datetime | None
    late_since: datetime | None
    set_aside: int
    owed: int
    stopped: Sequence[Covered]
    twice: Sequence[Covered]
    quiet: Sequence[QuietRule]
    broken: Sequence[Result]
    # Variants of running tests whose page leads back to the control.
    led_back: Sequence[Variant]
    # Selectors of running tests for which their page has had no element lately.
    hindered: Sequence[Hindrance]
    # Places ads run that do not answer, or to which conversions do not get through.
    channels: Sequence[Trouble]
    # That this month's spend will, or does, go beyond.
    budgets: Sequence[BudgetStanding]
    spend: SpendGap
    running: Sequence[Result]

    @property
    def count(self) -> int:
        """How many things there are to mend."""
        lists = (
            self.stopped,
            self.twice,
            self.quiet,
            self.broken,
            self.led_back,
            self.hindered,
            self.channels,
            self.budgets,
        )
        single = (
            self.silent_since,
            self.late_since,
            self.set_aside,
            self.owed,
            self.tag.refused_hosts,
            self.spend.overdue,
            self.spend.unjoined,
        )
        return sum(len(each) for each in lists) + sum(bool(each) for each in single)


def to_mend(site: Site, now: datetime) -> ToMend:
    """What is broken on the site at this moment."""
    tag = tag_state(site, most=0)
    covered = coverage(site, state="stopped").pages + coverage(site, state="twice").pages
    waiting = backlog(site)
    lens = read_lens(site)
    running = [
        result(lens, test, now, brief=True)
        for test in SplitTest.objects.filter(site=site, state=SplitTest.State.RUNNING)
        .select_related("rule")
        .prefetch_related("variants")
        .order_by("pk")
    ]
    return ToMend(
        tag=tag,
        silent_since=tag.silent_since,
        late_since=waiting.oldest if waiting.oldest and now - waiting.oldest > LATE else None,
        set_aside=waiting.set_aside,
        owed=waiting.owed,
        # Once a whole site is silent, its pages and conversions are too: that is said once.
        stopped=[] if tag.silent_since else [c for c in covered if c.state == "stopped"],
        twice=[c for c in covered if c.state == "twice"],
        quiet=[] if tag.silent_since else quiet_rules(site, now),
        broken=[r for r in running if r.verdict.kind == "broken_split"],
        led_back=[
            v
            for r in running
            for v in r.test.variants.all()
            if v.led_back_at is not None and now - v.led_back_at < LED_BACK_SHOWN
        ],
        hindered=list(
            Hindrance.objects.filter(
                variant__test__in=[r.test for r in running], last_at__gt=now - LED_BACK_SHOWN
            )
            # Some visitors' pages are slow everywhere: their number stands with the test.
            .exclude(why=Hindrance.Why.LATE)
            .select_related("variant__test")
            .order_by("-last_at")
        ),
        channels=troubled(site, now),
        budgets=[b for b in standings(site, now) if b.says == "over"],
        spend=_spend(site, now.astimezone(site.zone).date()),
        running=running,
    )


def _spend(site: Site, here: date) -> SpendGap:
    last = CostPart.objects.filter(site=site).aggregate(day=Max("day"))["day"]
    overdue = last is not None and SPEND_DUE < here - last <= SPEND_USED
    state = joined(site, here - SPEND_USED + timedelta(days=1), here)
    unjoined = sum((u.cost for u in state.unjoined), Decimal(0))
    return SpendGap(
        last, overdue, state.total, unjoined if unjoined > state.total * UNJOINED_SHARE else Decimal(0)
    )
