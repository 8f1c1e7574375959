"""What has been seen on a site that others choose from."""

from __future__ import annotations

from django.db.models import Q

from clabo.collect.events.models import Origin
from clabo.core.pages.traffic_source import CHANNELS, Channel
from clabo.setup.sites.models import Site

MOST_SOURCES = 100
# As core.visits.is_bounce.


def bounced(prefix: str = "") -> Q:
    """The condition on visits (their fields behind `prefix`) that were nothing but one view."""
    nothing = {"views": 1, "conversions": 0, "interacted": False}
    return Q(**{prefix + name: value for name, value in nothing.items()})


BOUNCED = bounced()


def channels_seen(site: Site) -> list[Channel]:
    """The channels that visits came by, in the order of definitions."""
    used = set(Origin.objects.filter(site=site).values_list("channel", flat=True).distinct())
    return [c for c in CHANNELS if c in used]


def sources_seen(site: Site) -> list[str]:
    """The sources that visits came from, by name."""
    named = Origin.objects.filter(site=site).exclude(source="").exclude(channel="direct")
    return sorted(set(named.values_list("source", flat=True)))[:MOST_SOURCES]
