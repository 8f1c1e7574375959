"""The secret of the day, by which visitors without a stored id are told apart for that day and no longer."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, date, datetime, timedelta

from clabo.collect.ingest.models import DailySalt


def visitor_of(salt: bytes, site_key: str, address: str, user_agent: str) -> str:
    """Who it is, for today and this site only: 32 hexadecimal digits.

    Once the day's salt is deleted nobody can find out whose it was, not even by trying all addresses.
    """
    told = f"{site_key}|{address}|{user_agent}".encode()
    return hashlib.blake2b(told, digest_size=16, key=salt).hexdigest()


class Salts:
    """Today's and tomorrow's salts, the same in every server process, kept in memory."""

    def __init__(self) -> None:
        self._by_day: dict[date, bytes] = {}

    def today(self) -> bytes | None:
        """Today's salt (UTC); None while the database has not been reached yet."""
        return self._by_day.get(datetime.now(UTC).date())

    def refresh(self) -> None:
        """Make sure of the salts of today and tomorrow, and delete those of days gone by."""
        today = datetime.now(UTC).date()
        wanted = {today, today + timedelta(days=1)}
        if wanted <= self._by_day.keys():
            return
        DailySalt.objects.bulk_create(
            [DailySalt(day=day, salt=secrets.token_bytes(32)) for day in sorted(wanted)],
            ignore_conflicts=True,
        )
        DailySalt.objects.filter(day__lt=today).delete()
        self._by_day = {s.day: bytes(s.salt) for s in DailySalt.objects.filter(day__in=wanted)}
