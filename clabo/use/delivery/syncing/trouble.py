"""What goes wrong with a channel: noted, and when it is tried again."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta

from clabo.core.audiences.delivery import wait_after
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.delivery.models import AdChannel


@contextmanager
def noted(channel: AdChannel) -> Iterator[None]:
    """Speak with a channel: what goes wrong is written down and raised again, and what was wrong is over when it is through."""
    try:
        yield
    except (Away, Declined) as error:
        asked = error.wait if isinstance(error, Away) else 0.0
        channel.failures += 1
        channel.failure = error.why[:300]
        channel.failing_since = channel.failing_since or datetime.now(UTC)
        wait = wait_after(channel.failures, random.random(), asked)
        channel.rests_until = datetime.now(UTC) + timedelta(seconds=wait)
        channel.save(update_fields=["failures", "failure", "failing_since", "rests_until"])
        raise
    if channel.failures:
        channel.failures, channel.failure = 0, ""
        channel.failing_since = channel.rests_until = None
        channel.save(update_fields=["failures", "failure", "failing_since", "rests_until"])


def rests(channel: AdChannel, now: datetime) -> float:
    """Seconds until it may be called again; 0 where that is now."""
    return max(0.0, (channel.rests_until - now).total_seconds()) if channel.rests_until else 0.0
