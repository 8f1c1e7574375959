"""What may have broken a split, as far as Clabo can see it, the surest first."""

from __future__ import annotations

from dataclasses import dataclass

from clabo.collect.events.models import Page, TrafficClass, Visit
from clabo.judge.splits.analysis.results import Result
from clabo.judge.splits.models import SplitTest

# Of the visits that begin on a variant's page, so many robots are worth a word.
ROBOTS = 0.05


@dataclass(frozen=True, slots=True)
class Cause:
    """`what` happened to the visitors of a variant, and to how many."""

    what: str
    letter: str
    count: int


def causes(r: Result) -> list[Cause]:
    """Likely reasons why fewer or more came into an arm than its share says."""
    found = [Cause("leads_back", v.letter, v.led_back) for v in r.test.variants.all() if v.led_back]
    if r.test.what == SplitTest.What.ADDRESS:
        pages = {a.variant.letter: a.page_id for a in r.arms if a.page_id}
        stopped = set(
            Page.objects.filter(pk__in=pages.values(), stopped_at__isnull=False).values_list("pk", flat=True)
        )
        found += [Cause("tag_stopped", letter, 0) for letter, page in pages.items() if page in stopped]
        for letter, page in pages.items():
            began = Visit.objects.filter(
                site=r.test.site_id, entry_page=page, started_at__gte=r.test.started_at
            )
            robots = began.filter(traffic_class=TrafficClass.BOT).count()
            if robots > ROBOTS * max(1, began.count()):
                found.append(Cause("robots", letter, robots))
    # By the arm that has most for its share: the others should have had as many for theirs.
    full = max((a.counts.trials / a.variant.share for a in r.arms), default=0.0)
    missing = {a.variant.letter: round(full * a.variant.share) - a.counts.trials for a in r.arms}
    worst = max(missing, key=lambda letter: missing[letter])
    if missing[worst] > 0:
        found.append(Cause("lost", worst, missing[worst]))
    return found
