"""The shapes of channels in the API, and how they are filled."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from ninja import Field

from clabo.platform.shapes import Shape
from clabo.platform.wording.delivery import reason_words
from clabo.use.delivery.adapters.files import heads_of
from clabo.use.delivery.models import AdChannel, Report
from clabo.use.delivery.queries import Given, feedback, given
from clabo.use.delivery.syncing.status import runs_plans

KindName = Literal["files", "http"]


class AdChannelIn(Shape):
    name: str = Field(max_length=200)
    kind: KindName
    source: str = Field(max_length=400)
    click_parameter: str = Field("", max_length=100)
    base_url: str = Field("", max_length=300)
    # Empty: as it was. It is never shown again.
    secret: str = Field("", max_length=400)
    # The conversions that are reported.
    rules: list[int] = Field([], max_length=200)
    agreed: bool = False
    reads_spend: bool = True


class RefusedForOut(Shape):
    reason: str
    says: str
    count: int


class FeedbackOut(Shape):
    """Of the last seven days: sent = taken + refused + waiting."""

    sent: int
    taken: int
    refused: int
    waiting: int
    oldest_waiting: datetime | None
    reasons: list[RefusedForOut]


class AudienceUseOut(Shape):
    """An audience at a channel: how many people, how many identities of theirs, how many of those are there, and known."""

    id: int
    audience: int
    audience_name: str
    channel: int
    channel_name: str
    kind: KindName
    made_at: datetime
    ending: bool
    people: int | None
    wanted: int | None
    there: int
    refused: int
    done_at: datetime | None
    known: int | None
    ready: bool
    as_of: datetime | None


class HeadsJson(Shape):
    """How the columns of files are named, in their order."""

    members: dict[str, str] = Field({}, max_length=10)
    conversions: dict[str, str] = Field({}, max_length=10)


class FedRuleOut(Shape):
    id: int
    name: str


class AdChannelOut(Shape):
    id: int
    name: str
    kind: KindName
    source: str
    click_parameter: str
    base_url: str
    simulation: bool
    # It runs plans that are written here.
    plans: bool
    rules: list[FedRuleOut]
    since: datetime
    agreed_at: datetime | None
    agreed_by: str
    reads_spend: bool
    spend_read_at: datetime | None
    told_at: datetime | None
    failing_since: datetime | None
    failure: str
    rests_until: datetime | None
    heads: HeadsJson
    feedback: FeedbackOut
    uses: list[AudienceUseOut]


class ReportOut(Shape):
    """A conversion as the channel was told of it."""

    owed_at: datetime
    time: datetime
    conversion: str
    event: str
    click: str
    value: Decimal | None
    currency: str
    withdrawn: bool
    revision: int
    state: Literal["waiting", "taken", "refused"]
    reason: str
    answered_at: datetime | None


class DaysIn(Shape):
    first: date
    last: date


class SpendReadOut(Shape):
    """Days whose spend was taken in, and days that are as they were."""

    days: int
    unchanged: int
    rows: int


class AgainOut(Shape):
    count: int


class UseIn(Shape):
    channel: int


def channel_out(channel: AdChannel) -> AdChannelOut:
    """The channel; its key stays where it is."""
    of = feedback(channel)
    uses = list(channel.uses.select_related("channel", "audience").order_by("audience__name"))
    return AdChannelOut(
        id=channel.pk,
        name=channel.name,
        kind=channel.kind,  # type: ignore[arg-type]
        source=channel.source,
        click_parameter=channel.click_parameter,
        base_url=channel.base_url,
        simulation=bool((channel.told or {}).get("simulation")),
        plans=runs_plans(channel),
        rules=[FedRuleOut(id=r.pk, name=r.name) for r in channel.rules.all()],
        since=channel.since,
        agreed_at=channel.agreed_at,
        agreed_by=str(channel.agreed_by or ""),
        reads_spend=channel.reads_spend,
        spend_read_at=channel.spend_read_at,
        told_at=channel.told_at,
        failing_since=channel.failing_since,
        failure=channel.failure,
        rests_until=channel.rests_until,
        heads=HeadsJson(members=heads_of(channel, "members"), conversions=heads_of(channel, "conversions")),
        feedback=FeedbackOut(
            sent=of.sent,
            taken=of.taken,
            refused=of.refused,
            waiting=of.waiting,
            oldest_waiting=of.oldest_waiting,
            reasons=[RefusedForOut(reason=r, says=reason_words(r), count=n) for r, n in of.reasons],
        ),
        uses=[use_out(g) for g in given(uses)],
    )


def use_out(g: Given) -> AudienceUseOut:
    """An audience at a channel."""
    use = g.use
    return AudienceUseOut(
        id=use.pk,
        audience=use.audience_id,
        audience_name=use.audience.name,
        channel=use.channel_id,
        channel_name=use.channel.name,
        kind=use.channel.kind,  # type: ignore[arg-type]
        made_at=use.made_at,
        ending=use.ended_at is not None,
        people=use.people,
        wanted=use.wanted,
        there=g.there,
        refused=g.refused,
        done_at=use.done_at,
        known=g.known,
        ready=g.ready,
        as_of=g.as_of,
    )


def report_out(r: Report) -> ReportOut:
    """A line of the log."""
    return ReportOut(
        owed_at=r.owed_at,
        time=r.time,
        conversion=r.rule.name,
        event=r.event,
        click=r.click,
        value=r.value,
        currency=r.currency,
        withdrawn=r.withdrawn,
        revision=r.revision,
        state=r.state,  # type: ignore[arg-type]
        reason=reason_words(r.reason),
        answered_at=r.answered_at,
    )
