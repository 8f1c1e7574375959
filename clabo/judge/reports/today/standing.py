"""Findings that have been said: they go on until they no longer hold, so that none comes and goes with the day."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime

from clabo.core.pages.findings import Kind
from clabo.judge.reports.models import StandingFinding
from clabo.setup.sites.models import Site


def key_of(kind: Kind, rule_id: int, page_id: int) -> str:
    """What a finding is known by: its kind, the conversion that the page is judged by, and the page."""
    return f"{kind}:{rule_id}:{page_id}"


def said_before(site: Site) -> dict[str, datetime]:
    """The findings that stand, each with when it was first said."""
    return dict(StandingFinding.objects.filter(site=site).values_list("key", "since"))


def note_said(
    site: Site,
    before: Mapping[str, datetime],
    shown: Collection[str],
    holding: Collection[str],
    now: datetime,
) -> None:
    """Keep what is shown now, and forget what was said before and no longer holds."""
    if gone := before.keys() - set(holding):
        StandingFinding.objects.filter(site=site, key__in=gone).delete()
    new = [StandingFinding(site=site, key=key, since=now) for key in shown if key not in before]
    if new:
        StandingFinding.objects.bulk_create(new, ignore_conflicts=True)
