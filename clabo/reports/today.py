"""What the sections have found that asks for somebody: to be mended, to be decided, to be known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Max

from clabo.collect import pipeline
from clabo.collect.coverage import Covered, coverage
from clabo.collect.queries import tag_state
from clabo.conversions.lens import Lens, read_lens
from clabo.conversions.models import RuleVersion
from clabo.conversions.queries import changes_since, rules_of
from clabo.conversions.quiet import QuietRule, quiet_rules
from clabo.core.findings import Finding
from clabo.reports.pages import PageRow, page_table
from clabo.reports.yesterday import Yesterday, yesterday
from clabo.sites.models import Site
from clabo.spend.models import CostPart
from clabo.splits.models import SplitTest
from clabo.splits.results import Result, result

# The worker looks in every second; what has waited for longer than this is late.
LATE = timedelta(minutes=5)
# Costs come from the ad side a day later at the latest.
SPEND_DUE = timedelta(days=2)
SPEND_USED = timedelta(days=28)
CHANGES = timedelta(days=7)
# Of the cost, what may go unjoined without a word.
UNJOINED_SHARE = Decimal("0.02")
DECIDED = frozenset({"adopt", "keep_control", "no_difference"})


@dataclass(frozen=True, slots=True)
class SpendGap:
    """What is missing of the cost: days since `last_day`, and what joined no visit."""

    last_day: date | None
    overdue: bool
    total: Decimal
    unjoined: Decimal


@dataclass(frozen=True, slots=True)
class Today:
    """All that there is to say of a site at a moment, each list with the most urgent first."""

    now: datetime
    first_at: datetime | None
    last_at: datetime | None
    rules: int
    has_spend: bool
    # To be mended.
    silent_since: datetime | None
    late_since: datetime | None
    set_aside: int
    stopped: Sequence[Covered]
    twice: Sequence[Covered]
    quiet: Sequence[QuietRule]
    broken: Sequence[Result]
    spend: SpendGap
    # To be decided.
    decided: Sequence[Result]
    overdue: Sequence[Result]
    lens: Lens
    findings: Sequence[tuple[Finding, PageRow]]
    together: float
    # To be known.
    changed: Sequence[RuleVersion]
    yesterday: Yesterday | None


def today(site: Site, now: datetime | None = None) -> Today:
    """What stands out on the site, out of what every section knows."""
    now = now or datetime.now(UTC)
    tag = tag_state(site, most=0)
    covered = coverage(site)
    lens = read_lens(site)
    table = page_table(lens)
    waiting = pipeline.backlog()
    the_rules = rules_of(site)
    running = [
        result(lens, test, now, brief=True)
        for test in SplitTest.objects.filter(site=site, state=SplitTest.State.RUNNING)
        .select_related("rule")
        .prefetch_related("variants")
        .order_by("pk")
    ]
    changes = changes_since(the_rules, now - CHANGES)
    spend = _spend(site, now, table.joined.total, sum((u.cost for u in table.joined.unjoined), Decimal(0)))
    return Today(
        now=now,
        first_at=tag.first_at,
        last_at=tag.last_at,
        rules=len(the_rules),
        has_spend=spend.last_day is not None,
        silent_since=tag.silent_since,
        late_since=waiting.oldest if waiting.oldest and now - waiting.oldest > LATE else None,
        set_aside=waiting.set_aside,
        # Once a whole site is silent, its pages and conversions are too: that is said once.
        stopped=[] if tag.silent_since else [c for c in covered if c.state == "stopped"],
        twice=[c for c in covered if c.state == "twice"],
        quiet=[] if tag.silent_since else quiet_rules(site, now),
        broken=[r for r in running if r.verdict.kind == "broken_split"],
        spend=spend,
        decided=[r for r in running if r.verdict.kind in DECIDED],
        overdue=[r for r in running if r.verdict.sentence_parts.get("overdue")],
        lens=lens,
        findings=[(f, table.rows[f.place]) for f in table.findings.found],
        together=table.findings.together,
        changed=sorted((v for versions in changes.values() for v in versions), key=lambda v: v.made_at)[::-1],
        yesterday=yesterday(site, now),
    )


def _spend(site: Site, now: datetime, total: Decimal, unjoined: Decimal) -> SpendGap:
    last = CostPart.objects.filter(site=site).aggregate(day=Max("day"))["day"]
    here = now.astimezone(site.zone).date()
    overdue = last is not None and SPEND_DUE < here - last <= SPEND_USED
    return SpendGap(last, overdue, total, unjoined if unjoined > total * UNJOINED_SHARE else Decimal(0))
