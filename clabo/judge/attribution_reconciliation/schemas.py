"""The shapes of the two counts in the API, and how they are filled."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from ninja import Field

from clabo.core.money.attribution_reconciliation import Part, Tally
from clabo.judge.attribution_reconciliation.queries import Side, SideDay, TwoCounts
from clabo.judge.reports.schemas import LensOut, lens_out
from clabo.platform.shapes import IntervalOut, Shape, known_interval
from clabo.setup.conversions.lens import Lens


class AdSideIn(Shape):
    source: str = Field(max_length=200)
    window_days: int
    once: bool = False
    time_zone: str = Field("", max_length=64)


class AdSideOut(Shape):
    source: str
    window_days: int
    once: bool
    # Empty: the site's.
    time_zone: str


class PartOut(Shape):
    """What one cause adds to Clabo's count on the way to the ad side's; the value where it is known."""

    part: Part
    conversions: Decimal
    value: Decimal | None


class SideDayOut(Shape):
    """One source on one day. What no file says is missing."""

    source: str
    day: date
    clicks: int
    arrived: int
    said: Decimal | None
    said_value: Decimal | None
    seen: Decimal
    seen_value: Decimal | None
    # By the ad side's rules, out of what Clabo saw.
    claimed: Decimal


class SideOut(Shape):
    counting: AdSideOut
    clicks: int
    # Visits by its ads that reports count; robots' and own visits, which they leave out.
    arrived: int
    robots: int
    own: int
    # Visits that arrived over clicks.
    landing: IntervalOut | None
    # The ad side's conversions, those for ads that were only seen among them.
    said: Decimal | None
    said_value: Decimal | None
    view_through: Decimal | None
    seen: Decimal
    seen_value: Decimal | None
    parts: list[PartOut]
    rest: Decimal | None
    rest_value: Decimal | None
    days: list[SideDayOut]


class TwoCountsOut(Shape):
    lens: LensOut
    # Visitors are asked first: of those who say no, Clabo sees nothing.
    asks: bool
    sides: list[SideOut]


def two_counts_out(lens: Lens, found: TwoCounts) -> TwoCountsOut:
    valued = lens.rule is not None and lens.rule.has_value
    return TwoCountsOut(
        lens=lens_out(lens), asks=found.asks, sides=[_side_out(s, valued) for s in found.sides]
    )


def _side_out(side: Side, valued: bool) -> SideOut:
    source = side.counting.source

    def worth(tally: Tally) -> Decimal | None:
        return tally.value if valued else None

    def of_day(d: SideDay) -> SideDayOut:
        return SideDayOut(
            source=source,
            day=d.day,
            clicks=d.said.clicks,
            arrived=d.arrived.visits,
            said=d.said.all,
            said_value=d.said.value,
            seen=d.seen.conversions,
            seen_value=worth(d.seen),
            claimed=d.claimed.conversions,
        )

    return SideOut(
        counting=AdSideOut(
            source=source,
            window_days=side.counting.window_days,
            once=side.counting.once,
            time_zone=side.counting.time_zone,
        ),
        clicks=side.said.clicks,
        arrived=side.arrived.visits,
        robots=side.arrived.robots,
        own=side.arrived.own,
        landing=known_interval(side.landing),
        said=side.said.all,
        said_value=side.said.value,
        view_through=side.said.view_conversions,
        seen=side.seen.conversions,
        seen_value=worth(side.seen),
        parts=[
            PartOut(
                part=part,
                conversions=tally.conversions,
                value=None if part == "view_through" else worth(tally),
            )
            for part, tally in side.parts
        ],
        rest=side.rest,
        rest_value=side.rest_value if valued else None,
        days=[of_day(d) for d in side.days],
    )
