"""Steps from one way of counting to another, against counts made one by one."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from unittest import TestCase
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.money.attribution_reconciliation import Claimed, Click, Counting, placed, together, total
from clabo.core.money.attribution_reconciliation import Steps as Found
from clabo.core.money.attribution_reconciliation import steps as steps_of

START = datetime(2026, 10, 1, tzinfo=UTC)
FIRST, LAST = date(2026, 10, 3), date(2026, 10, 25)
VIENNA, AUCKLAND = ZoneInfo("Europe/Vienna"), ZoneInfo("Pacific/Auckland")
OURS = Counting(30, False, VIENNA)
HOURS = st.integers(0, 40 * 24)


def steps(history: list[Claimed], ours: Counting, theirs: Counting, first: date, last: date) -> Found:
    every = [placed(c, ours, theirs) for c in history]
    return steps_of(every if theirs.once else together(every), theirs.once, first, last)


@st.composite
def histories(draw: st.DrawFn) -> list[Claimed]:
    """Conversions of several visitors, each with the clicks that came before."""
    found: list[Claimed] = []
    visit = 0
    for _ in range(draw(st.integers(1, 4))):
        clicks = []
        for hour in sorted(draw(st.sets(HOURS, max_size=5))):
            visit += 1
            clicks.append(Click(visit, START + timedelta(hours=hour)))
        for hour in draw(st.lists(HOURS, max_size=4)):
            at = START + timedelta(hours=hour, minutes=5)
            before = [c for c in clicks if c.start <= at]
            own = draw(st.sampled_from([None, *[c.visit for c in before[-1:]]]))
            found.append(Claimed(at, Decimal(draw(st.integers(0, 9))), before, own, draw(st.booleans())))
    return found


class Steps(TestCase):
    @given(histories(), st.sampled_from([1, 7, 30, 90]), st.booleans(), st.sampled_from([VIENNA, AUCKLAND]))
    def test_each_step_counted_one_by_one(
        self, history: list[Claimed], window: int, once: bool, zone: ZoneInfo
    ) -> None:
        found = steps(history, OURS, Counting(window, once, zone), FIRST, LAST)

        def plain(
            days: int, once: bool, zone: ZoneInfo, every: bool, own: bool = False
        ) -> tuple[int, Decimal]:
            n, worth, taken = 0, Decimal(0), []
            for c in sorted(history, key=lambda c: c.at):
                if c.uncounted and not every:
                    continue
                last = None
                for click in c.clicks:
                    age = c.at - click.start
                    if age <= timedelta(days=days) or (own and click.visit == c.own):
                        last = click
                if last is None or (once and last.visit in taken):
                    continue
                taken.append(last.visit)
                if FIRST <= last.start.astimezone(zone).date() <= LAST:
                    n, worth = n + 1, worth + c.value
            return n, worth

        for by_day, expected in (
            (found.shared, plain(30, False, VIENNA, False, own=True)),
            (found.window, plain(window, False, VIENNA, False)),
            (found.counting, plain(window, once, VIENNA, False)),
            (found.days, plain(window, once, zone, False)),
            (found.uncounted, plain(window, once, zone, True)),
        ):
            tally = total(by_day)
            self.assertEqual((tally.conversions, tally.value), expected)
        self.assertEqual(found.claimed, found.uncounted)

    def test_bounds(self) -> None:
        click = Click(1, datetime(2026, 10, 5, 22, 30, tzinfo=UTC))
        sale = Claimed(click.start + timedelta(days=7), Decimal(5), [click])
        theirs = Counting(7, False, AUCKLAND)
        found = steps([sale], OURS, theirs, FIRST, LAST)
        # On the last moment of the window; past midnight in Vienna, and a day on in Auckland.
        self.assertEqual(list(found.window), [date(2026, 10, 6)])
        self.assertEqual(list(found.claimed), [date(2026, 10, 6)])
        late = Claimed(sale.at + timedelta(seconds=1), Decimal(5), [click], own=1)
        found = steps([late], Counting(7, False, VIENNA), theirs, FIRST, LAST)
        # The visit that it happened in is always ours; their window knows the click's age alone.
        self.assertEqual((list(found.shared), list(found.window)), ([date(2026, 10, 6)], []))
