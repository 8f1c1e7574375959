"""Saying how an ad side counts."""

from __future__ import annotations

from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from clabo.judge.attribution_reconciliation.models import AdSide
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site

LONGEST_DAYS = 90
MOST_SIDES = 200


def ad_side(site: Site, source: str) -> AdSide:
    """How a source counts, as somebody has said; as the site does where nobody has."""
    known = AdSide.objects.filter(site=site, source=source).first()
    return known or AdSide(site=site, source=source, window_days=site.attribution_window_days)


def set_ad_side(site: Site, source: str, window_days: int, once: bool, time_zone: str) -> AdSide:
    """Say how a source counts; raises Problem."""
    source = source.strip().lower()
    if not source:
        raise Problem("Say which source counts so.", "source")
    if not 1 <= window_days <= LONGEST_DAYS:
        raise Problem(f"A window has 1 to {LONGEST_DAYS} days.", "window_days")
    try:
        if time_zone:
            ZoneInfo(time_zone)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Problem("This time zone is not known. Choose one like Europe/Vienna.", "time_zone") from None
    if AdSide.objects.filter(site=site).exclude(source=source).count() >= MOST_SIDES:
        raise Problem(f"There are {MOST_SIDES} sources already.", "source", 409)
    made, _ = AdSide.objects.update_or_create(
        site=site,
        source=source,
        defaults={"window_days": window_days, "once": once, "time_zone": time_zone},
    )
    return made
