"""Spend read from channels, through the same import as files: one for each day, so that a corrected day replaces itself alone."""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from hashlib import sha256

from django.db import transaction

from clabo.core.money.spend_file import ColumnMapping
from clabo.core.money.spend_headings import FIELDS
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.use.delivery.adapters.adapter import SpendOfDay
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.delivery.adapters.registry import adapter_of
from clabo.use.delivery.models import AdChannel, SpendReading
from clabo.use.delivery.syncing.trouble import noted
from clabo.use.spend import services as imports
from clabo.use.spend.models import SpendImport

# Ad sides correct themselves: the last days are read anew.
DAYS_ANEW = 3
MOST_DAYS = 400
# The channel is the source of all of it.
_HEAD = tuple(field for field in FIELDS if field != "source")


@dataclass(frozen=True, slots=True)
class Read:
    """What reading did: days whose rows were taken in, and days that are as they were."""

    days: int = 0
    unchanged: int = 0
    rows: int = 0


def read_spend(channel: AdChannel, first: date, last: date, by: User | None = None) -> Read:
    """Read the days from the channel and take in what has changed; raises Away, Declined, and Problem where a row is bad."""
    with noted(channel):
        currency, rows = adapter_of(channel).spend(first, last)
        if rows and currency != channel.site.currency:
            raise Declined(
                f"It counts in {currency}, and this site in {channel.site.currency}. Nothing was taken in."
            )
    by_day: defaultdict[date, list[SpendOfDay]] = defaultdict(list)
    for row in rows:
        by_day[row.day].append(row)
    known = {r.day: r for r in channel.readings.filter(day__gte=first, day__lte=last)}
    found = Read()
    # A day that it says nothing of any more is one, too.
    for day in sorted({*by_day, *known}):
        done = _take_in(channel, day, by_day[day], by)
        found = Read(
            found.days + done, found.unchanged + (not done), found.rows + (len(by_day[day]) if done else 0)
        )
    channel.spend_read_at = datetime.now(UTC)
    channel.save(update_fields=["spend_read_at"])
    return found


def read_now(channel: AdChannel, first: date, last: date, by: User) -> Read:
    """Read days because somebody asks for them; raises Problem."""
    if channel.kind != AdChannel.Kind.HTTP:
        raise Problem("This channel gives its spend as files: take them in under Spend.", "channel", 409)
    if not first <= last < first + timedelta(days=MOST_DAYS):
        raise Problem(f"Ask for a first and a last day, at most {MOST_DAYS} of them.", "last")
    try:
        return read_spend(channel, first, last, by)
    except (Away, Declined) as error:
        raise Problem(error.why, status=409) from None


def last_days(channel: AdChannel, now: datetime | None = None) -> tuple[date, date]:
    """The days that are read by themselves: the last ones, today's not, for it is not over."""
    today = (now or datetime.now(UTC)).astimezone(channel.site.zone).date()
    return today - timedelta(days=DAYS_ANEW), today - timedelta(days=1)


def _take_in(channel: AdChannel, day: date, rows: Sequence[SpendOfDay], by: User | None) -> bool:
    content = written(rows)
    digest = sha256(content).hexdigest()
    with transaction.atomic():
        reading = SpendReading.objects.select_for_update().filter(channel=channel, day=day).first()
        # The same bytes again: they are in, or somebody has taken them out.
        if reading is not None and reading.digest == digest and by is None:
            return False
        before = reading.batch if reading else None
        standing = before is not None and before.state == SpendImport.State.DONE
        if reading is not None and reading.digest == digest and standing:
            return False
        if before is not None and standing:
            imports.undo(before)
        batch = None
        if rows:
            name = f"{channel.name}, {day:%Y-%m-%d}.csv"
            batch = imports.upload(channel.site, name, io.BytesIO(content), by)
            checked = imports.check(batch, _mapping(channel))
            if checked.bad:
                line, bad, _ = checked.bad[0]
                raise Problem(
                    f"{day:%-d %b}, line {line}: {say(bad.told)}. Nothing of that day was taken in."
                )
            batch = imports.take_in(batch, _mapping(channel), remember=False)
        SpendReading.objects.update_or_create(
            channel=channel,
            day=day,
            defaults={"digest": digest, "batch": batch, "read_at": datetime.now(UTC)},
        )
    return True


def written(rows: Sequence[SpendOfDay]) -> bytes:
    """The rows as a file that the import reads."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(_HEAD)
    for row in rows:
        plain = (getattr(row, name) for name in _HEAD)
        writer.writerow(["" if value is None else str(value) for value in plain])
    return out.getvalue().encode()


def _mapping(channel: AdChannel) -> ColumnMapping:
    columns = {name: place for place, name in enumerate(_HEAD)}
    return ColumnMapping(columns, "ymd", ".", channel.source)  # type: ignore[arg-type]
