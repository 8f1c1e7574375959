"""Reads of split tests."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from clabo.collect.events.intake.wanted import Wanted
from clabo.core.evidence import DryRun, SamplePlan, daily_cost, days_needed, dry_run
from clabo.core.pages.addresses import Address
from clabo.judge.splits.analysis.results import Recorded, recorded
from clabo.judge.splits.models import HELD_OUT, Exposure, SplitTest, Variant
from clabo.judge.splits.services import SplitContent, pages_of, places_of, plan, unseen
from clabo.setup.conversions.models import RuleVersion
from clabo.setup.conversions.queries import changes_since
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.variants import Tests


def tests_of(site: Site) -> list[SplitTest]:
    """The site's tests with their conversion and variants, newest first."""
    wanted = SplitTest.objects.filter(site=site).select_related("rule").prefetch_related("variants")
    return list(wanted.order_by("-pk"))


def tests_for_audiences(site_id: int) -> Tests:
    """What audiences ask of the site's split tests."""
    ran = SplitTest.objects.filter(site_id=site_id).exclude(state=SplitTest.State.DRAFT)
    tests = list(ran.prefetch_related("variants"))
    return Tests(
        {t.pk: t.name for t in tests},
        {t.pk: "".join(v.letter for v in t.variants.all()) for t in tests},
        Exposure.objects.filter(site_id=site_id).exclude(letter=HELD_OUT),
    )


def changes_during(test: SplitTest) -> list[RuleVersion]:
    """When what counts as a conversion was changed while the test ran."""
    return changes_since([test.rule], test.started_at)[test.rule_id] if test.started_at else []


@dataclass(frozen=True, slots=True)
class Planned:
    """What a test as it is written would take.

    `daily_times`: how many times the plan's visitors it takes if it is read every day, as it is; `days` is None where
    the control has had no visitors; `unseen`: pages that no hit has come from yet.
    """

    plan: SamplePlan
    daily_times: float
    daily_total: int
    before: Recorded
    per_day: float
    days: int | None
    unseen: list[Address]
    # The same test as if nothing differed, on the control's own days; None where they are too few.
    dry: DryRun | None


def planned(site: Site, content: SplitContent) -> Planned:
    """The plan, and what the last 28 days of the control page say to it; raises Problem naming the field."""
    wanted = plan(content)
    pages = pages_of(site, content.addresses)
    before = recorded(site, pages[0], content.rule, places=places_of(site, content))
    times = daily_cost(wanted)
    total = math.ceil(wanted.total * times)
    per_day = before.per_day * _taken(content)
    return Planned(
        wanted,
        times,
        total,
        before,
        per_day,
        days_needed(replace(wanted, total=total), per_day) if per_day > 0 else None,
        unseen(site, pages),
        _dry(content, wanted, total, before),
    )


def _taken(content: SplitContent) -> float:
    """The part of all visitors that a variant is shown to."""
    return content.traffic / 100 * (1 - content.held_out / 100)


# With fewer whole days nothing is played on them.
FEWEST_DAYS = 7


def _dry(content: SplitContent, plan: SamplePlan, total: int, before: Recorded) -> DryRun | None:
    """On the part of each day's visitors that the test takes."""
    if len(before.days) < FEWEST_DAYS:
        return None
    part = _taken(content)
    days = [(round(came * part), min(round(did * part), round(came * part))) for came, did in before.days]
    worth = content.baseline * content.smallest_lift
    return dry_run(days, content.shares, total, worth, plan.level)


def wanted_by_tests(site_id: int, wanted: Wanted) -> None:
    """The addresses of all variants."""
    rows = Variant.objects.filter(test__site=site_id).values_list("host", "path")
    wanted.pages |= {Address(host, path) for host, path in rows.distinct()}
