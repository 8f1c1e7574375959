"""The practice network as one of Brackenhive's channels, with an audience to be shown and one to be left out."""

from __future__ import annotations

from datetime import UTC, datetime

from django.conf import settings

from clabo.accounts.models import User
from clabo.audiences.models import Audience
from clabo.conversions.models import ConversionRule
from clabo.delivery.models import AdChannel, AudienceUse
from clabo.demo import scenario
from clabo.sites.models import Site

NAME, SOURCE, CLICK_PARAMETER = "Practice network", "practice", "practiceclid"
GIVEN = ("Saw the starter kit, did not order", "Ordered a starter kit")
REPORTED = ("starter_kit_order", "guide_lead")


def make_channel(site: Site) -> None:
    """Where a practice network is served, it is a channel of the demo: the worker does the rest once it runs."""
    if not settings.CLABO_NETWORK_KEY:
        return
    by = User.objects.get(email=scenario.PEOPLE[0][1])
    channel = AdChannel.objects.create(
        site=site,
        name=NAME,
        kind=AdChannel.Kind.HTTP,
        source=SOURCE,
        click_parameter=CLICK_PARAMETER,
        base_url=settings.CLABO_NETWORK_URL,
        secret=settings.CLABO_NETWORK_KEY,
        agreed_by=by,
        agreed_at=datetime.now(UTC),
    )
    channel.rules.set(ConversionRule.objects.filter(site=site, name__in=REPORTED))
    for audience in Audience.objects.filter(site=site, name__in=GIVEN):
        AudienceUse.objects.create(audience=audience, channel=channel, made_by=by)
