"""What an outside service is told, and when it is tried again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal

# Waits double from the first to the longest, in seconds.
FIRST_WAIT, LONGEST_WAIT = 2.0, 900.0
# What a service asks for is kept up to a week; more is taken for a mistake of its clock.
LONGEST_ASKED = 7 * 86_400.0


def wait_after(failures: int, chance: float, asked: float = 0.0) -> float:
    """Seconds until an outside service is tried again, after so many failures in a row.

    Parameters
    ----------
    failures : int
        From 1 on.
    chance : float
        From [0, 1): somewhere between nothing and the whole wait, so that many who failed at once do not come back at
        once ("full jitter").
    asked : float
        What the service itself asked for, in seconds (Retry-After, RFC 9110 §10.2.3): never sooner than that, up to
        LONGEST_ASKED.

    Returns
    -------
    float
        Seconds, at most LONGEST_WAIT after what was asked for.

    Examples
    --------
    >>> wait_after(1, 0.5), wait_after(4, 0.5), wait_after(30, 0.5), wait_after(1, 0.5, 7.0)
    (1.0, 8.0, 450.0, 8.0)
    """
    wait = min(LONGEST_WAIT, FIRST_WAIT * 2.0 ** min(failures - 1, 30))
    return min(LONGEST_ASKED, asked) + wait * chance


@dataclass(frozen=True, slots=True)
class Standing:
    """A conversion as an outside service is to know it: which click it is credited to, when it was, what it is worth."""

    event: str
    click: str
    time: datetime
    value: Decimal | None
    currency: str
    withdrawn: bool = False


def next_standing(told: Standing | None, now: Standing | None) -> Standing | None:
    """What is to be told next; None where nothing is.

    Parameters
    ----------
    told : Standing or None
        What was told last, or is about to be; None where nothing ever was.
    now : Standing or None
        What stands by now; None where no such conversion is credited to a click of that service, any more or at all.

    Returns
    -------
    Standing or None
        `now` where it is something else than `told`; where there is none any more, what was told as withdrawn.

    Examples
    --------
    >>> at = datetime(2026, 11, 1)
    >>> one = Standing("7", "a", at, Decimal(59), "EUR")
    >>> next_standing(None, one) == one, next_standing(one, one), next_standing(None, None)
    (True, None, None)
    >>> gone = next_standing(one, None)
    >>> gone.withdrawn, next_standing(gone, None), next_standing(gone, one) == one
    (True, None, True)
    """
    if now is None:
        return replace(told, withdrawn=True) if told is not None and not told.withdrawn else None
    return None if now == told else now


# What a file for an ad program can say, and how its columns are named where nobody has named them otherwise.
MEMBER_COLUMNS = {"email": "email_sha256", "id": "customer_id_sha256", "change": "change"}
CONVERSION_COLUMNS = {
    "click": "click_id",
    "name": "conversion_name",
    "time": "conversion_time",
    "value": "value",
    "currency": "currency",
    "event": "event_id",
    "change": "change",
}
