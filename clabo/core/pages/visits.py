"""Stitching events into visits (definitions: "Visit", "Bounce")."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Generic, TypeVar

T = TypeVar("T")

DEFAULT_GAP = timedelta(minutes=30)


@dataclass(slots=True)
class Hit(Generic[T]):
    """One event of a visitor as stitching sees it; `item` is carried through untouched.

    `campaign` is the identity of the hit's campaign parameters, or None where it has none.
    """

    time: datetime
    campaign: tuple[str, ...] | None
    item: T


@dataclass(slots=True)
class Stretch(Generic[T]):
    """A visit: its first and last event time, the campaign that began it, and its hits in order."""

    start: datetime
    end: datetime
    campaign: tuple[str, ...] | None
    hits: list[Hit[T]] = field(default_factory=list)


def continues(end: datetime, campaign: tuple[str, ...] | None, hit: Hit[T], gap: timedelta) -> bool:
    """Whether `hit` belongs to the visit whose last event was at `end`.

    A gap of exactly `gap` does not end a visit. Other non-empty campaign parameters do.
    """
    if hit.time - end > gap:
        return False
    return hit.campaign is None or hit.campaign == campaign


def stitch(
    hits: Iterable[Hit[T]], gap: timedelta = DEFAULT_GAP, open_visit: Stretch[T] | None = None
) -> list[Stretch[T]]:
    """Visits of one visitor's `hits`, which must be in time order.

    `open_visit`, where given, is continued (and is then the first element of the result, changed).
    Without new hits it is returned alone.
    """
    visits = [open_visit] if open_visit else []
    for hit in hits:
        last = visits[-1] if visits else None
        if last is not None and continues(last.end, last.campaign, hit, gap):
            last.end = max(last.end, hit.time)
        else:
            last = Stretch(hit.time, hit.time, hit.campaign)
            visits.append(last)
        last.hits.append(hit)
    return visits


_LEADS_AWAY = frozenset({"outbound", "phone", "mail", "file"})


def is_interaction(kind: str, element: Mapping[str, object]) -> bool:
    """Whether an event is a marked interaction, after which a visit of one view is no bounce.

    A form sent (or its thank-you shown), an event from code, a bridge link, and clicks that lead away.
    Clicks on other links and buttons, a cookie banner's for example, show no interest in the page.
    """
    if kind == "click":
        return element.get("what") in _LEADS_AWAY
    return kind in ("mark", "form", "shown", "step")


def is_bounce(views: int, conversions: int, interacted: bool) -> bool:
    """Exactly one view, no conversion and no marked interaction."""
    return views == 1 and conversions == 0 and not interacted
