"""How a plan that runs is doing: whether it spends, why not, whether more money would be well spent, whether its people tire."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from clabo.core.evidence import Counts, Interval
from clabo.core.evidence.proportions import difference_interval
from clabo.core.message import Message, message

# Of the budget of the last whole days: as much is all of it, less than this it does not spend.
ALL, TOO_LITTLE = 0.95, 0.5
DAYS = 7
FEWEST_PEOPLE = 100
# Of the chances that the pace let through, this share is most of them.
MOST = 0.6
# Seen so often on average, with so many clicks at first and lately, and less than this part as many of times shown: they are tired.
OFTEN, LEAST_CLICKS, TIRED = 6.0, 10, 0.5


@dataclass(frozen=True, slots=True)
class Chances:
    """Chances to be shown: how many, and of these held back by the pace, taken out by the cap, bid more for by others."""

    chances: int
    held: int
    capped: int
    outbid: int

    def __add__(self, other: Chances) -> Chances:
        return Chances(
            self.chances + other.chances,
            self.held + other.held,
            self.capped + other.capped,
            self.outbid + other.outbid,
        )


@dataclass(frozen=True, slots=True)
class Pulse:
    """What is known of a plan. `costs` of whole days, the last last, with `days`; clicks of the times shown in its first
    days and lately; `roas` so far, at a level at which it may be looked at every day."""

    daily_budget: float
    days: Sequence[date]
    costs: Sequence[float]
    people: int
    reached: int
    shown: int
    chances: Chances
    first_clicks: Counts
    last_clicks: Counts
    roas: Interval | None
    break_even: float
    currency: str = ""
    # Audiences that it was shown to, and that have been deleted.
    gone: Sequence[str] = ()


def pulse(of: Pulse) -> list[Message]:
    """What is to be said of it, the most pressing first; nothing where all is as it should be or too little is known.

    Examples
    --------
    >>> from datetime import date
    >>> some = Chances(1000, 0, 10, 980)
    >>> low = Pulse(15.0, [date(2026, 11, 2)], [0.4], 3000, 20, 25, some, Counts(0, 9), Counts(0, 9), None, 2.0)
    >>> [t.code for t in pulse(low)]
    ['plan_idle_outbid']
    """
    found: list[Message] = [message("plan_audience_gone", audience=name) for name in of.gone]
    last = list(of.costs)[-DAYS:]
    share = sum(last) / (of.daily_budget * len(last)) if last else None
    if share is not None and share < TOO_LITTLE:
        found.append(_why(of, sum(last) / len(last)))
    if of.reached and of.shown / of.reached >= OFTEN and _tired(of):
        found.append(
            message(
                "plan_tired",
                times=round(of.shown / of.reached),
                then=round(100 * of.first_clicks.rate, 2),
                now=round(100 * of.last_clicks.rate, 2),
            )
        )
    if of.roas is not None and of.roas.known and of.roas.high < of.break_even:
        found.append(message("plan_loses", high=round(of.roas.high, 2), even=round(of.break_even, 2)))
    if share is not None and share >= ALL and not found:
        found.append(_more(of))
    if not found and of.roas is not None and of.roas.known and of.roas.low > of.break_even:
        found.append(message("plan_pays", low=round(of.roas.low, 2), even=round(of.break_even, 2)))
    return found


def _more(of: Pulse) -> Message:
    """It spends all that it may: whether more would be well spent."""
    params = {"budget": of.daily_budget, "currency": of.currency}
    if of.roas is not None and of.roas.known and of.roas.low > of.break_even:
        return message("plan_raise", low=round(of.roas.low, 2), even=round(of.break_even, 2), **params)
    return message("plan_spends_all", **params)


def _why(of: Pulse, a_day: float) -> Message:
    asked = of.chances.chances - of.chances.held
    tried = asked - of.chances.capped
    params = {"a_day": round(a_day, 2), "budget": of.daily_budget, "currency": of.currency}
    if of.people < FEWEST_PEOPLE:
        return message("plan_idle_few", people=of.people, **params)
    if tried and of.chances.outbid > MOST * tried and of.chances.outbid >= of.chances.capped:
        return message("plan_idle_outbid", percent=round(100 * of.chances.outbid / tried), **params)
    if asked and of.chances.capped > MOST * asked:
        return message("plan_idle_capped", percent=round(100 * of.chances.capped / asked), **params)
    return message("plan_idle_few", people=of.people, **params)


def _tired(of: Pulse) -> bool:
    """Whether far fewer click now than at first, beyond chance (Newcombe's interval for the difference of two rates)."""
    first, last = of.first_clicks, of.last_clicks
    if min(first.conversions, last.conversions) < LEAST_CLICKS:
        return False
    return last.rate < TIRED * first.rate and difference_interval(first, last).high < 0
