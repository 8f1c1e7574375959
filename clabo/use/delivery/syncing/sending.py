"""Bringing a channel's list to what an audience is: what is missing there is put, what is too much is taken off."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from itertools import chain

from django.db import connection, transaction

from clabo.use.delivery.adapters.adapter import Adapter, Member
from clabo.use.delivery.adapters.calling import Away, TooMuch
from clabo.use.delivery.adapters.registry import adapter_of
from clabo.use.delivery.models import AdChannel, AudienceUse, MemberBatch
from clabo.use.delivery.syncing.differing import (
    due,
    lay_out_due,
    not_wanted,
    note_not_removed,
    strike_off,
    write_down,
)
from clabo.use.delivery.syncing.members import clear_up
from clabo.use.delivery.syncing.trouble import noted, rests

BATCH = 5_000
# What is refused for the moment is tried again so many times before the next round is left to the next run.
ROUNDS = 6
# As namespace of advisory locks (setup/sites/locks.py and spend have others).
_USE_LOCK = 72729


class Waits(Exception):
    """The channel cannot be reached for longer than this run waits."""


def deliver(use: AudienceUse, patience: float = 60.0, sleep: Callable[[float], None] = time.sleep) -> bool:
    """Make the channel's list what the audience is; False where somebody else is at it. Raises Waits and Declined.

    A batch is written down before it is sent and struck off together with what it did, so that whenever this is broken
    off the same call, with the same key, is made again: as long as nobody in it has meanwhile become one who must not go.
    """
    with _alone(use.pk) as alone:
        if not alone:
            return False
        use = AudienceUse.objects.select_related("channel__site", "audience__site").get(pk=use.pk)
        run = _Run(use, patience, sleep)
        run.resume()
        for _ in range(ROUNDS):
            if not run.round():
                break
        else:
            return True
        if use.ended_at:
            run.patiently(lambda: run.adapter.remove_list(use.key))
            use.delete()
            if use.channel.deleted_at and not use.channel.uses.exists():
                AdChannel.objects.filter(pk=use.channel_id).update(secret="")
        else:
            AudienceUse.objects.filter(pk=use.pk).update(
                done_at=datetime.now(UTC), version=use.audience.version
            )
    return True


@contextmanager
def _alone(use_id: int) -> Iterator[bool]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s, %s)", [_USE_LOCK, use_id])
        alone = bool(cursor.fetchone()[0])
    try:
        yield alone
    finally:
        if alone:
            clear_up()
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_unlock(%s, %s)", [_USE_LOCK, use_id])


class _Run:
    def __init__(self, use: AudienceUse, patience: float, sleep: Callable[[float], None]) -> None:
        self.use, self.channel = use, use.channel
        self.adapter: Adapter = adapter_of(use.channel)
        self._patience, self._sleep = patience, sleep
        self._size = BATCH

    def patiently(self, act: Callable[[], object]) -> None:
        """Do it, again and again where the channel is away, until the patience of this run is over."""
        while True:
            wait = rests(self.channel, datetime.now(UTC))
            if wait > self._patience:
                raise Waits
            if wait:
                self._sleep(wait)
                self._patience -= wait
            try:
                with noted(self.channel):
                    act()
                return
            except Away:
                continue

    def resume(self) -> None:
        """Go on with what was under way when a run broke off.

        The channel may have been away for hours. Where somebody is not to be there by now, nothing of it is sent again:
        they count as having come there, so that they are taken off, and all others as not, so that they are put.
        """
        batch = MemberBatch.objects.filter(use=self.use).first()
        if batch is None:
            return
        lay_out_due(self.use)
        if unwanted := not_wanted(_unpacked(batch.add)):
            with transaction.atomic():
                write_down(self.use, [(m, "") for m in unwanted])
                batch.delete()
        else:
            self._send(batch)

    def round(self) -> bool:
        """Send all that differs by now; whether something has to be sent again."""
        lay_out_due(self.use)
        again = False
        number = 0
        while some := due(number, number + self._size):
            number += self._size
            batch = MemberBatch.objects.create(
                use=self.use,
                add=_packed([m for m, adding in some if adding]),
                remove=_packed([m for m, adding in some if not adding]),
            )
            again |= self._send(batch)
        return again

    def _send(self, batch: MemberBatch) -> bool:
        """Send a batch and strike it off; whether some of it is to be sent again."""
        add, remove = _unpacked(batch.add), _unpacked(batch.remove)
        answered: list[dict[Member, object]] = []

        def act() -> None:
            refused = self.adapter.put_members(self.use.key, self.use.audience.name, add, remove, batch.key)
            again = {m for m, r in refused.items() if r.again}
            lasting = {m: r.reason for m, r in refused.items() if not r.again}
            with transaction.atomic():
                # Whoever was not taken off is there still, for good reasons or bad: it is tried again in later batches.
                strike_off(self.use, [m for m in remove if m not in again and m not in lasting])
                note_not_removed(self.use, {m: lasting[m] for m in remove if m in lasting})
                write_down(self.use, [(m, lasting.get(m, "")) for m in add if m not in again])
                batch.delete()
            answered.append(dict.fromkeys(again))

        try:
            self.patiently(act)
        except TooMuch:
            if len(add) + len(remove) < 2:
                raise
            # Nothing of it was done: it is laid out anew, and goes in smaller parts.
            self._size = (len(add) + len(remove)) // 2
            batch.delete()
            return True
        return bool(answered[-1])


def _packed(members: list[Member]) -> bytes:
    return b"".join(chain.from_iterable((bytes([m.kind]), m.hash) for m in members))


def _unpacked(written: bytes | memoryview) -> list[Member]:
    packed = bytes(written)
    return [Member(packed[i], packed[i + 1 : i + 33]) for i in range(0, len(packed), 33)]
