"""Channels made, changed and removed, and audiences given to them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from django.db import IntegrityError, transaction

from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Consent, Site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.adapters.adapter import ChannelStatus
from clabo.use.delivery.adapters.calling import Away, Declined, checked_url
from clabo.use.delivery.adapters.registry import adapter_of
from clabo.use.delivery.models import AdChannel, AudienceUse
from clabo.use.delivery.syncing.status import ask, store_status
from clabo.use.delivery.tasks import deliver_later, report_later

MOST_CHANNELS = 30
_PARAMETER = re.compile(r"[a-z0-9_]{1,36}clid")


@dataclass(frozen=True, slots=True)
class ChannelContent:
    """What a person says of a channel. `secret` empty: the one that it has."""

    name: str
    kind: str
    source: str
    click_parameter: str = ""
    base_url: str = ""
    secret: str = ""
    rules: list[int] = field(default_factory=list)
    agreed: bool = False
    reads_spend: bool = True


def channel_of(site: Site, channel_id: int) -> AdChannel:
    """One of the site's channels; raises Problem."""
    found = AdChannel.objects.filter(site=site, pk=channel_id, deleted_at=None).first()
    if found is None:
        raise missing("channel")
    return found


def use_of(site: Site, use_id: int) -> AudienceUse:
    """An audience's use of one of the site's channels; raises Problem."""
    found = AudienceUse.objects.select_related("channel", "audience").filter(pk=use_id, channel__site=site)
    use = found.filter(channel__deleted_at=None).first()
    if use is None:
        raise missing("use of an audience")
    return use


def save_channel(
    site: Site, content: ChannelContent, by: User, channel: AdChannel | None = None
) -> AdChannel:
    """Make or change a channel; raises Problem naming the field. One with an address has to answer."""
    channel = channel or AdChannel(site=site, kind=content.kind)
    values, said = _checked(site, content, channel)
    rules = list(ConversionRule.objects.filter(site=site, deleted_at=None, pk__in=content.rules))
    if len(rules) != len(set(content.rules)):
        raise Problem("One of these conversions does not exist any more.", "rules")
    if channel.pk is None and AdChannel.objects.filter(site=site, deleted_at=None).count() >= MOST_CHANNELS:
        raise Problem(f"A site has at most {MOST_CHANNELS} channels. Remove one first.", "name")
    for name, value in values.items():
        setattr(channel, name, value)
    if content.agreed != bool(channel.agreed_at):
        channel.agreed_by = by if content.agreed else None
        channel.agreed_at = datetime.now(UTC) if content.agreed else None
    channel.failures, channel.failure = 0, ""
    channel.failing_since = channel.rests_until = None
    try:
        with transaction.atomic():
            channel.save()
            channel.rules.set(rules)
    except IntegrityError:
        taken = AdChannel.objects.filter(site=site, deleted_at=None, name=channel.name).exclude(pk=channel.pk)
        if taken.exists():
            raise Problem("Another channel has this name.", "name") from None
        raise Problem(
            "Another channel has this source, so results of the two could not be separated.", "source"
        ) from None
    if said is not None:
        store_status(channel, said)
        report_later(site.pk)
        for use in channel.uses.select_related("channel"):
            deliver_later(use)
    return channel


def _checked(
    site: Site, content: ChannelContent, channel: AdChannel
) -> tuple[dict[str, Any], ChannelStatus | None]:
    name, source = content.name.strip(), content.source.strip()
    if not name or len(name) > 80:
        raise Problem("Give it a name of at most 80 characters.", "name")
    if content.kind not in AdChannel.Kind.values or (channel.pk and content.kind != channel.kind):
        raise Problem("A channel is spoken with by files or over HTTP, and stays so.", "kind")
    if not source or len(source) > 200:
        raise Problem("Say which source its links name (utm_source).", "source")
    parameter = content.click_parameter.strip().lower()
    if parameter and not _PARAMETER.fullmatch(parameter):
        raise Problem(
            "A click’s parameter is small letters, digits and underscores, and ends in clid: by that Clabo knows it.",
            "click_parameter",
        )
    if content.agreed and site.consent == Consent.NAMELESS:
        raise Problem(
            "This site works without stored ids: there is nobody whom a channel could know.", "agreed"
        )
    values = {
        "name": name,
        "source": source,
        "click_parameter": parameter,
        "reads_spend": content.reads_spend,
        "base_url": "",
        "secret": "",
    }
    if content.kind == AdChannel.Kind.HTTP:
        if content.rules and not parameter:
            raise Problem(
                "Say which parameter carries the click: conversions are reported by it.", "click_parameter"
            )
        url = checked_url(content.base_url)
        # A key goes to nobody else than it was given for.
        kept = channel.secret if channel.base_url == url else ""
        secret = content.secret.strip() or kept
        if not secret or len(secret) > 300 or not secret.isascii() or not secret.isprintable():
            raise Problem("Give the key that it expects.", "secret")
        values |= {"base_url": url, "secret": secret}
        return values, _try(AdChannel(site=site, base_url=url, secret=secret))
    return values, None


def _try(channel: AdChannel) -> ChannelStatus:
    """What it says of itself, where it answers as agreed; raises Problem."""
    try:
        return adapter_of(channel).status()
    except Away as error:
        raise Problem(f"It was tried, and not reached. {error.why}", "base_url") from None
    except Declined as error:
        raise Problem(
            f"It was tried, and did not do. {error.why}", "secret" if "key" in error.why else "base_url"
        ) from None


def remove_channel(channel: AdChannel) -> None:
    """Take a channel away; whom it knows for this site is taken out there first, as far as it can be reached."""
    now = datetime.now(UTC)
    with transaction.atomic():
        channel.deleted_at = now
        channel.save(update_fields=["deleted_at"])
        channel.uses.filter(ended_at=None).update(ended_at=now)
        for use in channel.uses.select_related("channel"):
            deliver_later(use)


def use_audience(audience: Audience, channel: AdChannel, by: User | None) -> AudienceUse:
    """Give an audience to a channel; raises Problem."""
    if not channel.agreed_at:
        raise Problem(
            f"Say first, at {channel.name}, that people agreed to their hashed identities going there.",
            "channel",
        )
    use, made = AudienceUse.objects.get_or_create(
        audience=audience, channel=channel, defaults={"made_by": by}
    )
    if not made and use.ended_at:
        use.ended_at, use.made_by = None, by
        use.save()
    if channel.kind == AdChannel.Kind.HTTP:
        deliver_later(use)
    return use


def end_use(use: AudienceUse) -> None:
    """Take an audience away from a channel: all are taken out there, then it goes."""
    if use.channel.kind == AdChannel.Kind.FILES:
        use.delete()
        return
    use.ended_at = datetime.now(UTC)
    use.save(update_fields=["ended_at"])
    deliver_later(use)


def check_now(channel: AdChannel) -> AdChannel:
    """Ask a channel how it is; raises Problem where it does not say."""
    try:
        ask(channel)
    except (Away, Declined) as error:
        raise Problem(error.why, status=409) from None
    return channel
