"""Which candidates are conversions, against the definition read aloud."""

from __future__ import annotations

from dataclasses import dataclass
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.rules import COUNTINGS, count


@dataclass(frozen=True)
class Event:
    time: int
    received: int
    visitor: int
    visit: int | None
    order: str


events = st.lists(
    st.builds(
        Event,
        time=st.integers(0, 20),
        received=st.integers(0, 20),
        visitor=st.integers(1, 3),
        visit=st.sampled_from([1, 2, 3, None]),
        order=st.sampled_from(["", "", "A", "B"]),
    ),
    max_size=10,
    unique_by=(lambda e: e.time, lambda e: e.received),
)


class Counting(TestCase):
    @given(events, st.sampled_from(COUNTINGS))
    def test_as_defined(self, given_events: list[Event], mode: str) -> None:
        in_order = sorted(given_events, key=lambda e: e.time)
        expected = []
        for event in in_order:
            # Of one order number the first received is the order.
            if event.order and any(
                e.order == event.order and e.received < event.received for e in given_events
            ):
                continue
            earlier = [
                e
                for e in in_order
                if e.time < event.time
                and not (
                    e.order and any(o.order == e.order and o.received < e.received for o in given_events)
                )
            ]
            if mode == "visitor" and any(e.visitor == event.visitor for e in earlier):
                continue
            if mode == "visit" and event.visit is not None and any(e.visit == event.visit for e in earlier):
                continue
            expected.append(event)
        self.assertEqual(count(in_order, mode, lambda e: e.received), expected)  # type: ignore[arg-type]

    def test_an_order_that_the_mode_leaves_out_is_left_out_for_good(self) -> None:
        first, left_out = Event(1, 1, 1, 1, "A"), Event(2, 2, 1, 1, "B")
        again = Event(3, 3, 2, 2, "B")
        self.assertEqual(count([first, left_out, again], "visit", lambda e: e.received), [first])
