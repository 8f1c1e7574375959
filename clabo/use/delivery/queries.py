"""How channels stand: what they were told, what they took, and whom they know."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Count, Min, Q

from clabo.setup.sites.models import Site
from clabo.use.delivery.models import AdChannel, AudienceUse, Delivered, Report
from clabo.use.delivery.syncing.status import list_status

# What was reported is judged over so many days.
DAYS = 7
# Later than this a report is late: what the ad side learns from is not there.
LATE = timedelta(minutes=5)
# A channel that has failed for so long is to be mended.
FAILING = timedelta(hours=1)
# From so many answers on, this share of refusals is to be looked into.
LEAST_ANSWERS, MOST_REFUSED = 20, 0.2
LOG_LENGTH = 500


@dataclass(frozen=True, slots=True)
class Feedback:
    """What became of a channel's conversions of the last days: sent = taken + refused + waiting."""

    sent: int
    taken: int
    refused: int
    waiting: int
    oldest_waiting: datetime | None
    reasons: list[tuple[str, int]]

    def unhealthy(self, now: datetime) -> bool:
        """Whether somebody has to look into it: they wait too long, or many are refused."""
        late = self.oldest_waiting is not None and now - self.oldest_waiting > LATE
        answered = self.taken + self.refused
        return late or (answered >= LEAST_ANSWERS and self.refused / answered > MOST_REFUSED)


@dataclass(frozen=True, slots=True)
class Given:
    """An audience at a channel. `there` and `refused` are identities; `known` is what the channel says of people it knows."""

    use: AudienceUse
    there: int
    refused: int
    known: int | None
    ready: bool
    as_of: datetime | None


def simulated_sources(site: Site) -> list[str]:
    """Campaign sources, in small letters, of channels that say that they only practise: what comes of them is made up."""
    found = AdChannel.objects.filter(site=site, told__simulation=True).values_list("source", flat=True)
    return sorted({source.lower() for source in found})


def channels_of(site: Site) -> list[AdChannel]:
    """The site's, by name."""
    found = AdChannel.objects.filter(site=site, deleted_at=None).select_related("agreed_by")
    return list(found.prefetch_related("rules").order_by("name"))


def feedback(channel: AdChannel, now: datetime | None = None) -> Feedback:
    """What became of what the channel was told in the last days."""
    since = channel.site.last_days(DAYS, now)
    recent = channel.reports.filter(Q(owed_at__gte=since) | Q(state=Report.State.WAITING))
    counts = dict(recent.order_by().values_list("state").annotate(Count("pk")))
    reasons = recent.filter(state=Report.State.REFUSED).order_by()
    by_reason = reasons.values_list("reason").annotate(n=Count("pk")).order_by("-n", "reason")
    waiting = recent.filter(state=Report.State.WAITING).aggregate(first=Min("owed_at"))["first"]
    return Feedback(
        sum(counts.values()),
        counts.get("taken", 0),
        counts.get("refused", 0),
        counts.get("waiting", 0),
        waiting,
        [(reason, n) for reason, n in by_reason[:10]],
    )


def given(uses: list[AudienceUse]) -> list[Given]:
    """How far the channels are with these audiences."""
    counts = {
        use: (there, refused)
        for use, there, refused in Delivered.objects.filter(use__in=uses)
        .order_by()
        .values_list("use")
        .annotate(
            there=Count("pk", filter=Q(refused="")),
            no=Count("pk", filter=~Q(refused="")),
        )
    }
    found = []
    for use in uses:
        there, refused = counts.get(use.pk, (0, 0))
        status = list_status(use)
        found.append(
            Given(
                use,
                there,
                refused,
                status.known if status else None,
                bool(status and status.ready),
                status.as_of if status else None,
            )
        )
    return found


def uses_of(site: Site) -> list[AudienceUse]:
    """The site's audiences at its channels, by the audience's name; those that are being taken away among them."""
    found = AudienceUse.objects.filter(channel__site=site, channel__deleted_at=None)
    return list(found.select_related("channel", "audience").order_by("audience__name", "channel__name", "pk"))


def log(channel: AdChannel) -> list[Report]:
    """What the channel was told last, the newest first."""
    return list(channel.reports.select_related("rule").order_by("-owed_at", "-pk")[:LOG_LENGTH])


@dataclass(frozen=True, slots=True)
class Trouble:
    """A channel that somebody has to look into."""

    channel: AdChannel
    feedback: Feedback
    # Identities that it would not take off a list, and why, most often.
    not_removed: int = 0
    not_removed_why: str = ""


def troubled(site: Site, now: datetime) -> list[Trouble]:
    """The channels that have failed for a while, or whose conversions do not get through."""
    found = []
    for channel in channels_of(site):
        if channel.kind != AdChannel.Kind.HTTP:
            continue
        of = feedback(channel, now)
        stay = Delivered.objects.filter(use__channel=channel).exclude(not_removed="").order_by()
        reasons = dict(stay.values_list("not_removed").annotate(Count("pk")))
        failing = channel.failing_since is not None and now - channel.failing_since > FAILING
        if failing or reasons or of.unhealthy(now):
            why = max(reasons, key=lambda r: (reasons[r], r)) if reasons else ""
            found.append(Trouble(channel, of, sum(reasons.values()), why))
    return found
