"""Speaking with channels, by the worker."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.db.models import F, Q

from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.delivery.models import AdChannel, AudienceUse, OwedReport, Report
from clabo.use.delivery.syncing import reporting, sending, spending, status

# So often an audience is compared with what is there, and a channel asked how it is.
EVERY = timedelta(minutes=10)
# In the site's time: by then ad sides have closed the day before.
SPEND_HOUR = 6


@job("audience to a channel", queue="outside")
def deliver(site_id: int, use_id: int) -> None:
    """Bring one list to what its audience is. What stands in the way is written at the channel; the minute's look comes again."""
    use = AudienceUse.objects.filter(pk=use_id, audience__site=site_id).first()
    if use is None:
        return
    try:
        sending.deliver(use)
        if AudienceUse.objects.filter(pk=use_id).exists():
            status.ask(AdChannel.objects.get(pk=use.channel_id))
    except (Away, Declined, sending.Waits):
        return


def deliver_later(use: AudienceUse) -> None:
    """Have a list brought up to date soon."""
    deliver.later(once=f"deliver-{use.pk}", site_id=use.channel.site_id, use_id=use.pk)


def deliver_site(site_id: int) -> None:
    """Have all lists of a site brought up to date soon: somebody has gone from it."""
    for use in AudienceUse.objects.filter(channel__site=site_id).select_related("channel"):
        deliver_later(use)


@job("conversions to channels", queue="soon")
def report(site_id: int) -> None:
    """Tell channels of what came, changed or went among conversions."""
    site = Site.objects.filter(pk=site_id).first()
    if site is None:
        return
    while reporting.settle(site) == reporting.OWED_AT_ONCE:
        pass
    for channel in reporting.reporting(site):
        # Those that are fed by files wait for somebody to take one.
        if channel.kind == AdChannel.Kind.HTTP:
            try:
                reporting.send(channel)
            except Declined:
                continue


def report_later(site_id: int) -> None:
    """Have channels told soon; one such job waits at most."""
    report.later(once=f"report-{site_id}", lock=f"report-{site_id}", site_id=site_id)


@job("spend from a channel", queue="outside")
def spend(site_id: int, channel_id: int) -> None:
    """Read the last days' spend anew."""
    channel = AdChannel.objects.filter(pk=channel_id, site=site_id, deleted_at=None).first()
    if channel is None:
        return
    try:
        spending.read_spend(channel, *spending.last_days(channel))
    except (Away, Declined):
        # Written at the channel; tried again in the next hour's look.
        return


@job("channels", every="* * * * *", queue="soon")
def channels() -> None:
    """Whatever is due: lists to be compared, conversions that wait, channels that were not asked for a while."""
    now = datetime.now(UTC)
    for use in AudienceUse.objects.filter(_due(now)).select_related("channel"):
        deliver_later(use)
    sites = set(OwedReport.objects.values_list("site_id", flat=True).distinct())
    waiting = Report.objects.filter(
        state=Report.State.WAITING, channel__deleted_at=None, channel__kind=AdChannel.Kind.HTTP
    )
    sites |= set(waiting.values_list("channel__site_id", flat=True).distinct())
    for site_id in sites:
        report_later(site_id)
    for channel in AdChannel.objects.filter(kind=AdChannel.Kind.HTTP, deleted_at=None):
        stale = channel.told_at is None or channel.told_at < now - EVERY
        if (stale or not status.settled(channel)) and not (channel.rests_until and channel.rests_until > now):
            ask.later(once=f"ask-{channel.pk}", site_id=channel.site_id, channel_id=channel.pk)


def _due(now: datetime) -> Q:
    """Lists that were not compared for a while, or are not done with; not while their channel is left alone."""
    rests = Q(channel__rests_until__gt=now)
    old = Q(done_at=None) | Q(done_at__lt=now - EVERY) | Q(batch__isnull=False) | Q(ended_at__isnull=False)
    changed = ~Q(version=F("audience__version")) | Q(audience__deleted_at__isnull=False, wanted__gt=0)
    return (old | changed) & ~rests & Q(channel__kind=AdChannel.Kind.HTTP)


@job("status of a channel", queue="outside")
def ask(site_id: int, channel_id: int) -> None:
    """Ask a channel how it is."""
    channel = AdChannel.objects.filter(pk=channel_id, site=site_id, deleted_at=None).first()
    if channel is not None:
        try:
            status.ask(channel)
        except (Away, Declined):
            return


@job("spend from channels", every="17 * * * *")
def spends() -> None:
    """Each site's in its own morning; where that failed, an hour later again. Once a day all recent conversions are looked at anew."""
    now = datetime.now(UTC)
    wanted = AdChannel.objects.filter(kind=AdChannel.Kind.HTTP, deleted_at=None).select_related("site")
    for_each(wanted, lambda channel: _spend_of(channel, now), "spend from channels")


def _spend_of(channel: AdChannel, now: datetime) -> None:
    local = now.astimezone(channel.site.zone)
    if channel.reads_spend and local.hour >= SPEND_HOUR and not _read_today(channel, local):
        spend.later(once=f"spend-{channel.pk}", site_id=channel.site_id, channel_id=channel.pk)
    if local.hour == SPEND_HOUR - 1:
        reporting.owe_all(channel, 30)


def _read_today(channel: AdChannel, local: datetime) -> bool:
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0)
    return channel.spend_read_at is not None and channel.spend_read_at >= midnight
