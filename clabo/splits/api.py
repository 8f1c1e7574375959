"""Split tests: drafts, plan, start and end, results."""

from __future__ import annotations

import math
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from clabo.accounts.models import Role
from clabo.conversions.api import ChangeOut, change_out
from clabo.conversions.lens import read_lens
from clabo.conversions.models import RuleVersion
from clabo.conversions.queries import changes_since, rule_of
from clabo.core.evidence import Interval, days_needed, is_thin, rate_interval, sequential_cost
from clabo.core.returns import over_lifetime
from clabo.install.kit import HOLD_MS, tag_lines
from clabo.sites.access import site_for
from clabo.sites.models import Site
from clabo.splits import results, services
from clabo.splits.models import SplitTest

router = Router(tags=["split tests"])
StateName = Literal["draft", "running", "ended"]


class RangeOut(Schema):
    low: float | None
    estimate: float | None
    high: float | None


def _range(i: Interval) -> RangeOut:
    low, estimate, high = (v if math.isfinite(v) else None for v in (i.low, i.estimate, i.high))
    return RangeOut(low=low, estimate=estimate, high=high)


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None


class TestIn(Schema):
    __test__ = False

    name: str = Field(max_length=120)
    conversion: int
    addresses: list[str] = Field(min_length=2, max_length=8)
    shares: list[int] = Field(min_length=2, max_length=8)
    traffic: int = 100
    baseline: float
    smallest_lift: float


class PlanOut(Schema):
    per_arm: list[int]
    total: int
    # What the always-honest reading needs, in visitors and times the plan.
    honest_total: int
    honest_times: float
    visitors_per_day: float
    days: int | None
    # The control page in the last 28 days: visitors, and how many of them converted after seeing it.
    recorded_visitors: int
    recorded_converted: int
    # Addresses that no hit has come from yet, and the line that the control page needs.
    unseen: list[str]
    render_line: str
    # The same for browsers that do not hold a page back by themselves, and for how long it does at most.
    hold_line: str
    hold_ms: int


class VariantOut(Schema):
    letter: str
    host: str
    path: str
    share: int
    # How often its page has led back to the control, and when last.
    led_back: int
    led_back_at: datetime | None


class TestOut(Schema):
    __test__ = False

    id: int
    name: str
    state: StateName
    conversion: int
    conversion_name: str
    traffic: int
    baseline: float
    smallest_lift: float
    planned_visitors: int
    started_at: datetime | None
    ended_at: datetime | None
    variants: list[VariantOut]


class TestSummary(TestOut):
    """With the verdict's kind as the list shows it, and the one challenger it is about."""

    verdict: str
    visitors: int
    days_left: int | None
    letter: str | None


class ArmOut(Schema):
    letter: str
    path: str
    share: int
    visitors: int
    converted: int
    rate: RangeOut
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


class AgainstOut(Schema):
    letter: str
    sequence: RangeOut
    fixed: RangeOut
    p_value: float | None
    value_difference: RangeOut
    # The same by the BCa bootstrap, for heavy tails.
    value_bootstrap: RangeOut
    value_sequence: RangeOut


class DayOut(Schema):
    day: date
    letter: str
    visitors: int
    range: RangeOut


class VerdictOut(Schema):
    kind: Literal["adopt", "keep_control", "no_difference", "too_early", "broken_split", "no_data"]
    letter: str | None
    difference: RangeOut | None
    days_left: int | None
    overdue: bool
    all_worse: bool


class ResultOut(Schema):
    test: TestOut
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


class SplitLens(Schema):
    """The words of the lens that a test answers to; its days are its own."""

    origin: str = "any"
    device: str = "any"
    model: Literal["last_paid", "last", "first", "linear"] = "last_paid"


def _content(site: Site, data: TestIn) -> services.TestContent:
    return services.TestContent(
        data.name,
        rule_of(site, data.conversion),
        data.addresses,
        data.shares,
        data.traffic,
        data.baseline,
        data.smallest_lift,
    )


def _test(t: SplitTest) -> dict[str, Any]:
    fields = (
        "name",
        "state",
        "traffic",
        "baseline",
        "smallest_lift",
        "planned_visitors",
        "started_at",
        "ended_at",
    )
    return {
        "id": t.pk,
        "conversion": t.rule_id,
        "conversion_name": t.rule.name,
        "variants": [
            VariantOut(**{name: getattr(v, name) for name in VariantOut.model_fields})
            for v in t.variants.all()
        ],
        **{name: getattr(t, name) for name in fields},
    }


def _letter(r: results.Result) -> str | None:
    place = r.verdict.sentence_parts.get("challenger")
    return None if place is None else r.arms[1 + place].variant.letter


def verdict_out(r: results.Result) -> VerdictOut:
    """The verdict, with what a sentence about it needs."""
    parts = r.verdict.sentence_parts
    return VerdictOut(
        kind=r.verdict.kind,
        letter=_letter(r),
        difference=_range(parts["difference"]) if "difference" in parts else None,
        days_left=parts.get("days_left"),
        overdue=bool(parts.get("overdue")),
        all_worse=bool(parts.get("all_worse")),
    )


@router.get("/sites/{int:site_id}/tests", response=list[TestSummary])
def tests(request: HttpRequest, site_id: int) -> list[TestSummary]:
    site = site_for(request, site_id)
    lens = read_lens(site)
    rows = (
        SplitTest.objects.filter(site=site)
        .select_related("rule")
        .prefetch_related("variants")
        .order_by("-pk")
    )
    found = []
    for t in rows:
        r = results.result(lens, t, brief=True)
        found.append(
            TestSummary(
                **_test(t),
                verdict=r.verdict.kind,
                visitors=sum(a.counts.trials for a in r.arms),
                days_left=r.verdict.sentence_parts.get("days_left"),
                letter=_letter(r),
            )
        )
    return found


@router.post("/sites/{int:site_id}/tests", response=TestOut)
def make_test(request: HttpRequest, site_id: int, data: TestIn) -> TestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return TestOut(**_test(services.save_test(site, _content(site, data))))


@router.post("/sites/{int:site_id}/tests/plan", response=PlanOut)
def plan(request: HttpRequest, site_id: int, data: TestIn) -> PlanOut:
    site = site_for(request, site_id)
    content = _content(site, data)
    planned = services.plan(content)
    pages = services.pages_of(site, data.addresses)
    before = results.recorded(site, pages[0], content.rule)
    times = sequential_cost(planned)
    per_day = before.per_day * data.traffic / 100
    return PlanOut(
        per_arm=planned.per_arm,
        total=planned.total,
        honest_total=math.ceil(planned.total * times),
        honest_times=times,
        visitors_per_day=per_day,
        days=days_needed(planned, per_day) if per_day > 0 else None,
        recorded_visitors=before.visitors,
        recorded_converted=before.converted,
        unseen=[p.path for p in services.unseen(site, pages)],
        render_line=tag_lines(site).render,
        hold_line=tag_lines(site).hold,
        hold_ms=HOLD_MS,
    )


@router.put("/sites/{int:site_id}/tests/{int:test_id}", response=TestOut)
def change_test(request: HttpRequest, site_id: int, test_id: int, data: TestIn) -> TestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return TestOut(**_test(services.save_test(site, _content(site, data), services.test_of(site, test_id))))


@router.delete("/sites/{int:site_id}/tests/{int:test_id}", response={204: None})
def remove_test(request: HttpRequest, site_id: int, test_id: int) -> tuple[int, None]:
    services.remove(services.test_of(site_for(request, site_id, Role.EDITOR), test_id))
    return 204, None


@router.post("/sites/{int:site_id}/tests/{int:test_id}/start", response=TestOut)
def start_test(request: HttpRequest, site_id: int, test_id: int) -> TestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return TestOut(**_test(services.start(services.test_of(site, test_id))))


@router.post("/sites/{int:site_id}/tests/{int:test_id}/end", response=TestOut)
def end_test(request: HttpRequest, site_id: int, test_id: int) -> TestOut:
    site = site_for(request, site_id, Role.EDITOR)
    return TestOut(**_test(services.end(services.test_of(site, test_id))))


@router.get("/sites/{int:site_id}/tests/{int:test_id}", response=ResultOut)
def test_result(request: HttpRequest, site_id: int, test_id: int, words: Query[SplitLens]) -> ResultOut:
    site = site_for(request, site_id)
    test = services.test_of(site, test_id)
    r = results.result(read_lens(site, origin=words.origin, device=words.device, model=words.model), test)
    return ResultOut(
        test=TestOut(**_test(test)),
        verdict=verdict_out(r),
        arms=[_arm(a, test.rule.lifetime_factor) for a in r.arms],
        against=[
            AgainstOut(
                letter=a.letter,
                sequence=_range(a.sequence),
                fixed=_range(a.fixed),
                p_value=_number(a.p_value),
                value_difference=_range(a.value.difference),
                value_bootstrap=_range(a.value_bootstrap),
                value_sequence=_range(a.value_sequence),
            )
            for a in r.against
        ],
        days=[
            DayOut(day=d.day, letter=d.letter, visitors=d.visitors, range=_range(d.interval)) for d in r.days
        ],
        split_p=_number(r.health.p_value),
        split_broken=r.health.broken,
        worth=r.worth,
        needed=r.needed,
        visitors=sum(a.counts.trials for a in r.arms),
        visitors_per_day=r.visitors_per_day,
        decided_on=r.decided_on,
        first_day=r.first_day,
        last_day=r.last_day,
        category=test.rule.category,
        currency=site.currency,
        lifetime_factor=test.rule.lifetime_factor,
        changes=[change_out(v) for v in _rule_changes(test)],
    )


def _rule_changes(test: SplitTest) -> list[RuleVersion]:
    return changes_since([test.rule], test.started_at)[test.rule_id] if test.started_at else []


def _arm(a: results.Arm, factor: Decimal | None) -> ArmOut:
    rate = rate_interval(a.counts.conversions, a.counts.trials)
    return ArmOut(
        letter=a.variant.letter,
        path=a.variant.path,
        share=a.variant.share,
        visitors=a.counts.trials,
        converted=a.counts.conversions,
        rate=_range(rate),
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
        chance=_number(a.chance),
        loss=_number(a.loss),
    )
