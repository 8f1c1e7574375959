"""What the sections have found that asks for somebody: to be mended, to be decided, to be known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from clabo.conversions.lens import Lens, read_lens
from clabo.conversions.models import RuleVersion
from clabo.conversions.queries import changes_since, rules_of
from clabo.monitoring.forgery import Suspicion, suspicions
from clabo.reports.goals import OwnFinding, own_findings
from clabo.reports.mending import ToMend, to_mend
from clabo.reports.yesterday import Yesterday, yesterday
from clabo.sites.models import Site
from clabo.splits.results import Result

CHANGES = timedelta(days=7)
DECIDED = frozenset({"adopt", "keep_control", "no_difference"})


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
    # What looks made up.
    suspect: Sequence[Suspicion]
    # To be known.
    changed: Sequence[RuleVersion]
    yesterday: Yesterday | None


def today(site: Site, now: datetime | None = None) -> Today:
    """What stands out on the site, out of what every section knows."""
    now = now or datetime.now(UTC)
    mend = to_mend(site, now)
    lens = read_lens(site)
    the_rules = rules_of(site)
    changes = changes_since(the_rules, now - CHANGES)
    return Today(
        now=now,
        rules=len(the_rules),
        mend=mend,
        decided=[r for r in mend.running if r.verdict.kind in DECIDED],
        overdue=[r for r in mend.running if r.verdict.params.get("overdue")],
        lens=lens,
        findings=own_findings(lens),
        suspect=suspicions(site, now),
        changed=sorted((v for versions in changes.values() for v in versions), key=lambda v: v.made_at)[::-1],
        yesterday=yesterday(site, now),
    )
