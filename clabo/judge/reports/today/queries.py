"""What the sections have found that asks for somebody: to be mended, to be decided, to be known."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from django.core.cache import cache

from clabo.collect.events.models import fingerprint
from clabo.judge.decisions.services import silenced
from clabo.judge.reports.pages.own_goals import OwnFinding, own_findings
from clabo.judge.reports.today.mending import ToMend, to_mend
from clabo.judge.reports.today.next_euro import BestPlace, best_place
from clabo.judge.reports.today.standing import said_before
from clabo.judge.reports.today.yesterday import Yesterday, yesterday
from clabo.judge.splits.analysis.results import Result
from clabo.platform.wording.decisions import audience_about, move_about, page_about, test_about
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.conversions.models import RuleVersion
from clabo.setup.conversions.queries import changes_since, rules_of
from clabo.setup.monitoring.forgery import Suspicion, suspicions
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.preview import sizes
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import audiences_of
from clabo.use.delivery.models import AudienceUse

CHANGES = timedelta(days=7)
DECIDED = frozenset({"adopt", "keep_control", "no_difference", "guard_fails"})


LEAST_PEOPLE = 50
_COUNTED_FOR = 600


@dataclass(frozen=True, slots=True)
class Unused:
    """An audience that nobody has taken out, and how many are in it."""

    audience: Audience
    people: int


@dataclass(frozen=True, slots=True)
class Today:
    """All that there is to say of a site at a moment, each list with the most urgent first."""

    now: datetime
    rules: int
    mend: ToMend
    # To be decided: tests that have an answer or are past their plan, and what stands out among the pages.
    decided: Sequence[Result]
    overdue: Sequence[Result]
    lens: Lens
    findings: Sequence[OwnFinding]
    # Findings that were said before, each with since when; and the keys of all that hold now.
    said: Mapping[str, datetime]
    holding: Collection[str]
    # Where the next euro is best spent, and the largest audience that nobody has taken out.
    move: BestPlace | None
    unused: Unused | None
    # What of these is at stake in 28 days, by key, where it is money; and what each is about, in words.
    stakes: Mapping[str, Decimal]
    about: Mapping[str, str]
    # What looks made up.
    suspect: Sequence[Suspicion]
    # To be known.
    changed: Sequence[RuleVersion]
    yesterday: Yesterday | None


def today(site: Site, now: datetime | None = None) -> Today:
    """What stands out on the site, out of what every section knows, but for what somebody has answered."""
    now = now or datetime.now(UTC)
    mend = to_mend(site, now)
    lens = read_lens(site)
    the_rules = rules_of(site)
    changes = changes_since(the_rules, now - CHANGES)
    answered = silenced(site, now.astimezone(site.zone).date())
    move = best_place(lens)
    unused = _unused(site)
    said = said_before(site)
    told = own_findings(lens, said)
    findings = [f for f in told.shown if f.key not in answered]
    ends = [r for r in mend.running if test_key(r) not in answered]
    stakes, about = _weighed(site, findings, ends)
    if move:
        stakes[move.key] = Decimal(move.move.gain.estimate) * 28 / move.days
        about[move.key] = move_about(
            str(move.give.page and move.give.page.path),
            move.give.source,
            str(move.take.page and move.take.page.path),
            move.take.source,
        )
    if unused:
        about[audience_key(unused)] = audience_about(unused.audience.name)
    return Today(
        now=now,
        rules=len(the_rules),
        mend=mend,
        decided=[r for r in ends if r.verdict.kind in DECIDED],
        overdue=[r for r in ends if r.verdict.params.get("overdue")],
        lens=lens,
        findings=findings,
        said=said,
        holding=told.holding,
        move=move if move and move.key not in answered else None,
        unused=unused if unused and audience_key(unused) not in answered else None,
        stakes=stakes,
        about=about,
        suspect=suspicions(site, now),
        changed=sorted((v for versions in changes.values() for v in versions), key=lambda v: v.made_at)[::-1],
        yesterday=yesterday(site, now),
    )


def test_key(result: Result) -> str:
    """What decisions about a test's end are kept by."""
    return f"test:{result.test.pk}"


def audience_key(unused: Unused) -> str:
    """What decisions about an audience are kept by."""
    return f"audience:{unused.audience.pk}"


def _weighed(
    site: Site, findings: Sequence[OwnFinding], ends: Sequence[Result]
) -> tuple[dict[str, Decimal], dict[str, str]]:
    """What findings and tests are about, and the money at stake in 28 days where it is known."""
    margin = site.margin or Decimal(1)
    stakes: dict[str, Decimal] = {}
    about: dict[str, str] = {}
    for f in findings:
        key = f.key
        about[key] = page_about(f.finding.kind, f.row.page.path if f.row.page else "")
        if f.finding.kind != "converts_badly":
            stakes[key] = abs(f.finding.profit)
        elif f.rule.has_value and (each := f.row.order_value or f.rule.value):
            stakes[key] = Decimal(f.finding.lost) * each * margin
    for r in ends:
        about[test_key(r)] = test_about(r.test.name)
        if r.verdict.kind == "adopt" and r.test.rule.value is not None:
            rates = [a.counts.rate for a in r.arms if a.counts.trials]
            lift = (
                Decimal(max(rates) - r.arms[0].counts.rate)
                if rates and r.arms[0].counts.trials
                else Decimal(0)
            )
            stakes[test_key(r)] = lift * Decimal(r.visitors_per_day * 28) * r.test.rule.value * margin
    return stakes, about


def _unused(site: Site) -> Unused | None:
    """The largest audience that nobody has ever taken out or given to a channel, if it is worth the while."""
    used = set(AudienceUse.objects.filter(channel__site=site).values_list("audience", flat=True))
    idle = {a.pk: a for a in audiences_of(site) if a.pk not in used and not a.takings.exists()}
    if not idle:
        return None
    # To count people takes longer than all the rest of Today, and their number changes slowly.
    key = f"idle-audiences-{site.pk}-{fingerprint(*map(str, sorted(idle)))}"
    counted = cache.get(key)
    if counted is None:
        counted = {pk: size.now for pk, size in sizes(site, list(idle.values())).items()}
        cache.set(key, counted, _COUNTED_FOR)
    largest = max(idle, key=lambda pk: (counted[pk], -pk))
    return Unused(idle[largest], counted[largest]) if counted[largest] >= LEAST_PEOPLE else None
