"""What split tests add to the pipeline and to the tag."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from clabo.collect.storing import StoredBatch
from clabo.core.splits import assign
from clabo.sites.models import Site
from clabo.splits.models import Exposure, SplitTest


def tag_settings(sites: Sequence[Site]) -> dict[int, dict[str, Any]]:
    """The running tests of each site as its tag needs them: salt, addresses, shares, traffic."""
    tests = SplitTest.objects.filter(site__in=sites, state=SplitTest.State.RUNNING)
    found: dict[int, dict[str, Any]] = {site.pk: {"tests": []} for site in sites}
    for test in tests.order_by("pk").prefetch_related("variants"):
        found[test.site_id]["tests"].append(
            {
                "key": test.key,
                "traffic": test.traffic,
                "variants": [
                    {"letter": v.letter, "host": v.host, "path": v.path, "share": v.share}
                    for v in test.variants.all()
                ],
            }
        )
    return found


def expose_batch(batch: StoredBatch) -> None:
    """Record first exposures that the tag claims and that its visitor's hash confirms."""
    if not batch.claims:
        return
    tests = {
        t.key: t
        for t in SplitTest.objects.filter(site_id=batch.site_id)
        .exclude(state=SplitTest.State.DRAFT)
        .prefetch_related("variants")
    }
    first: dict[tuple[int, int], Exposure] = {}
    for event, visitor_key, claims in sorted(batch.claims, key=lambda c: c[0].time):
        for key, letter in claims.items():
            test = tests.get(key)
            if test is None or not _open_at(test, event.time):
                continue
            variants = list(test.variants.all())
            place = assign(visitor_key.hex, key, [v.share for v in variants], test.traffic)
            if place is None or variants[place].letter != letter:
                continue
            first.setdefault(
                (test.pk, event.visitor_id),
                Exposure(
                    test=test,
                    visitor_id=event.visitor_id,
                    letter=letter,
                    first_at=event.time,
                    visit_id=event.visit_id,
                ),
            )
    Exposure.objects.bulk_create(first.values(), ignore_conflicts=True)


def _open_at(test: SplitTest, time: Any) -> bool:
    return bool(
        test.started_at and test.started_at <= time and (test.ended_at is None or time < test.ended_at)
    )
