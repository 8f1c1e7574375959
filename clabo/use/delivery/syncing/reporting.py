"""Conversions fed back to the channels whose clicks they are credited to."""

from __future__ import annotations

import random
import time
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from datetime import UTC, datetime, timedelta
from urllib.parse import parse_qsl
from uuid import UUID

from django.db import transaction
from django.db.models import Q

from clabo.collect.events.models import Event
from clabo.core.audiences.delivery import Standing, next_standing
from clabo.core.money.attribution import Model
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.models import Conversion, Credit
from clabo.setup.sites.models import Site
from clabo.use.delivery.adapters.adapter import Refusal
from clabo.use.delivery.adapters.calling import Away, TooMuch
from clabo.use.delivery.adapters.registry import adapter_of
from clabo.use.delivery.models import AdChannel, OwedReport, Report
from clabo.use.delivery.syncing.trouble import noted, rests

# What a channel is told of is credited as the lens does before anybody changes it.
MODEL: Model = "last_paid"
OWED_AT_ONCE = 2_000
# What a channel's clock says of a time that has come here; for so long it is asked again.
FUTURE, CLOCKS_DIFFER = "in_the_future", timedelta(days=1)
SENT_AT_ONCE = 500


def reporting(site: Site) -> list[AdChannel]:
    """The site's channels that hear of conversions."""
    return list(
        AdChannel.objects.filter(site=site, deleted_at=None, rules__isnull=False)
        .exclude(click_parameter="")
        .distinct()
        .prefetch_related("rules")
    )


def settle(site: Site) -> int:
    """Turn what is owed into reports that wait to be sent; how many owed ones were looked at."""
    with transaction.atomic():
        owed = list(
            OwedReport.objects.select_for_update(skip_locked=True)
            .filter(site_id=site.pk)
            .order_by("pk")[:OWED_AT_ONCE]
        )
        since: dict[tuple[int, UUID], datetime] = {}
        for one in owed:
            since.setdefault((one.rule_id, one.event_id), one.at)
        for channel in reporting(site):
            _settle(channel, since)
        OwedReport.objects.filter(pk__in=[o.pk for o in owed]).delete()
    return len(owed)


def _settle(channel: AdChannel, since: dict[tuple[int, UUID], datetime]) -> None:
    rules = {r.pk: r.name for r in channel.rules.all()}
    events = {event for _, event in since}
    # What an order number stands for may be another event by now: all that share it are looked at together.
    told = Report.objects.select_for_update().filter(channel=channel)
    orders = set(told.filter(in_array("event_id", events, "uuid")).values_list("event", flat=True))
    standing = Conversion.objects.filter(site=channel.site_id, rule__in=rules, time__gte=channel.since)
    conversions = list(standing.filter(Q(in_array("event_id", events, "uuid")) | Q(order__in=orders - {""})))
    known = {
        (r.rule_id, r.event): r
        for r in told.filter(
            Q(in_array("event_id", events, "uuid")) | Q(event__in=[named(c) for c in conversions])
        )
    }
    clicks = clicks_of(channel, conversions)
    now = {
        (c.rule_id, named(c)): (c, standing_of(channel, c, clicks[c.pk]))
        for c in conversions
        if c.pk in clicks
    }
    made: list[Report] = []
    for rule_id, event in {*known, *now}:
        if rule_id not in rules:
            # No longer told of: what was told stands.
            continue
        report = known.get((rule_id, event))
        conversion, stands = now.get((rule_id, event), (None, None))
        following = next_standing(_told(report) if report else None, stands)
        if following is None:
            continue
        event_id = conversion.event_id if conversion else report.event_id if report else None
        owed_at = since.get((rule_id, event_id)) if event_id else None
        changed = report or Report(channel=channel, rule_id=rule_id, event=event, revision=0)
        # Renamed, it is still known there by what it was called at first.
        changed.name = changed.name or rules[rule_id]
        if event_id:
            changed.event_id = event_id
        changed.click, changed.time = following.click, following.time
        changed.value, changed.currency = following.value, following.currency
        changed.withdrawn = following.withdrawn
        changed.revision += 1
        changed.state, changed.reason, changed.answered_at = Report.State.WAITING, "", None
        changed.owed_at = owed_at or datetime.now(UTC)
        made.append(changed)
    for report in made:
        report.save()


def named(conversion: Conversion) -> str:
    """What a channel knows a conversion by: its order number, so that none counts twice, else its event."""
    return conversion.order or conversion.event_id.hex


def standing_of(channel: AdChannel, conversion: Conversion, click: str) -> Standing:
    """How a conversion stands that is credited to a click. Value that no sum takes up is not told either."""
    value = None if conversion.beyond else conversion.value
    return Standing(
        named(conversion),
        click,
        conversion.time,
        value,
        "" if value is None else conversion.currency or channel.site.currency,
    )


def _told(report: Report) -> Standing:
    return Standing(report.event, report.click, report.time, report.value, report.currency, report.withdrawn)


def clicks_of(channel: AdChannel, conversions: Collection[Conversion]) -> dict[int, str]:
    """By conversion, the channel's click that it is credited to; those that are credited elsewhere are not in it."""
    credits = Credit.objects.filter(
        in_array("conversion_id", [c.pk for c in conversions]), model=MODEL, visit__isnull=False
    )
    visits = dict(credits.values_list("conversion_id", "visit_id"))
    # The address that a visit began with says the click; the visitor first, for that is what events are found by.
    people = [c.visitor_id for c in conversions if c.pk in visits]
    events = (
        Event.objects.filter(in_array("visitor_id", people), site=channel.site_id)
        .filter(in_array("visit_id", visits.values()), query__icontains=channel.click_parameter + "=")
        .order_by("time", "id")
    )
    first: dict[int, str] = {}
    for visit_id, query in events.values_list("visit_id", "query"):
        if visit_id not in first and (click := click_in(query, channel.click_parameter)):
            first[visit_id] = click
    return {pk: first[visit] for pk, visit in visits.items() if visit in first}


def click_in(query: str, parameter: str) -> str:
    """The click id in an address's query; empty where it has none."""
    for name, value in parse_qsl(query, max_num_fields=200):
        if name.lower() == parameter.lower() and value.strip():
            return value.strip()[:200]
    return ""


def send(channel: AdChannel, patience: float = 20.0, sleep: Callable[[float], None] = time.sleep) -> int:
    """Send what waits; how many were answered. Raises Declined; away, the channel is left for the next time."""
    adapter, answered, at_once = adapter_of(channel), 0, SENT_AT_ONCE
    # Those that are to be sent again are, once all others were.
    later: set[int] = set()
    next_time: set[int] = set()
    while True:
        waiting = Report.objects.filter(channel=channel, state=Report.State.WAITING).select_related("rule")
        some = list(waiting.exclude(pk__in=later | next_time).order_by("pk")[:at_once])
        if not some and later:
            wait = random.uniform(0.2, 1.0)
            if patience < wait:
                return answered
            patience -= wait
            sleep(wait)
            later.clear()
            continue
        if not some:
            return answered
        wait = rests(channel, datetime.now(UTC))
        if wait > patience:
            return answered
        if wait:
            sleep(wait)
            patience -= wait
        try:
            with noted(channel):
                answers = adapter.report(some)
        except Away:
            continue
        except TooMuch:
            if len(some) < 2:
                raise
            at_once = len(some) // 2
            continue
        at = datetime.now(UTC)
        for report, refusal in zip(some, answers, strict=True):
            if refusal and (refusal.again or _early(refusal, report, at)):
                (later if refusal.again else next_time).add(report.pk)
                continue
            # Only as it was sent: what has changed meanwhile still waits.
            answered += Report.objects.filter(pk=report.pk, revision=report.revision).update(
                state=Report.State.REFUSED if refusal else Report.State.TAKEN,
                reason=refusal.reason if refusal else "",
                answered_at=at,
            )


def _early(refusal: Refusal, report: Report, now: datetime) -> bool:
    """Whether it was refused for a time that lies in the future, by a clock that is not far from ours: it is later soon."""
    return refusal.reason == FUTURE and now - report.owed_at < CLOCKS_DIFFER


def owe(site: Site, conversions: Iterable[tuple[int, UUID]]) -> None:
    """Have conversions looked at anew, as (rule, event)."""
    OwedReport.objects.bulk_create(
        [OwedReport(site_id=site.pk, rule_id=rule, event_id=event) for rule, event in conversions],
        batch_size=5_000,
    )


def owe_all(channel: AdChannel, days: int) -> None:
    """Have all of the last days looked at anew that the channel is to hear of, and all that it has heard of."""
    since = max(channel.since, datetime.now(UTC) - timedelta(days=days))
    found: defaultdict[int, set[UUID]] = defaultdict(set)
    standing = Conversion.objects.filter(site=channel.site_id, rule__in=channel.rules.all(), time__gte=since)
    for rule, event in standing.values_list("rule_id", "event_id"):
        found[rule].add(event)
    for rule, event in channel.reports.filter(time__gte=since).values_list("rule_id", "event_id"):
        found[rule].add(event)
    owe(channel.site, [(rule, event) for rule, events in found.items() for event in events])


def send_again(channel: AdChannel) -> int:
    """Have what was refused sent once more, for what stood in its way may be gone; how many."""
    refused = channel.reports.filter(state=Report.State.REFUSED)
    return refused.update(state=Report.State.WAITING, reason="", answered_at=None, owed_at=datetime.now(UTC))
