"""Answering what Today proposes."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db import models

from clabo.core.evidence import Interval
from clabo.judge.decisions.models import Decision
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site

LONGEST_DAYS = 90
# What was done is not proposed again before its outcome can be seen.
DONE_DAYS = 28
MOST_OPEN = 500


def answer(
    site: Site,
    key: str,
    about: str,
    how: Decision.Answer,
    by: User | None,
    days: int = 7,
    reason: str = "",
    gain: Interval | None = None,
) -> Decision:
    """Say that a proposal was done, is put off for so many days, or is never to be made again, with the reason.

    `gain` is what was said to come of it, in money a day.
    """
    reason = " ".join(reason.split())
    if how == Decision.Answer.NEVER and not reason:
        raise Problem("Say why, so that others know.", "reason")
    if not 1 <= days <= LONGEST_DAYS:
        raise Problem(f"Put it off for 1 to {LONGEST_DAYS} days.", "days")
    if standing(site).count() >= MOST_OPEN:
        raise Problem("Too many proposals are put off or dismissed. Undo some first.", status=409)
    today = datetime.now(UTC).astimezone(site.zone).date()
    wait = {Decision.Answer.LATER: days, Decision.Answer.DONE: DONE_DAYS}.get(how)
    standing(site).filter(key=key).update(undone_at=datetime.now(UTC))
    return Decision.objects.create(
        site=site,
        key=key,
        about=about[:300],
        gain=None if gain is None else Decimal(gain.estimate),
        gain_low=None if gain is None else Decimal(gain.low),
        gain_high=None if gain is None else Decimal(gain.high),
        answer=how,
        reason=reason[:300],
        until=None if wait is None else today + timedelta(days=wait),
        made_by=by,
    )


def take_back(site: Site, decision_id: int) -> None:
    """Have it proposed again; raises Problem where there is no such decision."""
    if not standing(site).filter(pk=decision_id).update(undone_at=datetime.now(UTC)):
        raise missing("decision")


def standing(site: Site) -> models.QuerySet[Decision]:
    """The site's decisions that nobody has taken back."""
    return Decision.objects.filter(site=site, undone_at=None)


def silenced(site: Site, today: date) -> set[str]:
    """The keys of what is not to be proposed today."""
    rows = standing(site).values_list("key", "until")
    return {key for key, until in rows if until is None or until > today}
