"""What every report's row has: visits, what they led to and what they cost, with rates, returns and their intervals."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping, MutableMapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any, TypeVar

from django.db.models import Count, F, FloatField, Q, QuerySet, Sum
from django.db.models.functions import Cast, Ln

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Visit
from clabo.core.evidence import (
    NO_VALUES,
    Interval,
    Spread,
    ValueSums,
    dispersion_of,
    is_thin,
    rate_intervals,
    return_interval,
)
from clabo.core.money import returns
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import ConversionRule, Credit
from clabo.use.spend.joining import Paid


@dataclass(slots=True, kw_only=True)
class ReportRow:
    """Visits that are alike in something. Money in the site's currency; None is shown as a dash."""

    entries: int = 0
    begun_views: int = 0
    bounces: int = 0
    # Visits that led to a conversion: the rate's numerator.
    converted: int = 0
    # Credited conversions; a fraction under the linear model.
    conversions: Decimal = Decimal(0)
    # Those of them whose money is in `revenue`: not of another currency, nor beyond a day's limit.
    summed: Decimal = Decimal(0)
    revenue: Decimal = Decimal(0)
    # What their values are, as far as chance needs to know it.
    worths: ValueSums = NO_VALUES
    paid: Paid = field(default_factory=Paid)
    bounce_rate: Interval | None = None
    conversion_rate: Interval | None = None
    roas_interval: Interval | None = None
    # How much values differ, of which the interval is; None where there is no return.
    spread: Spread | None = None
    # What is counted has a value; without one there is no return on the spend, not one of nothing.
    valued: bool = True
    # Credited conversions of each day of the visits, of which a visit is known.
    by_day: dict[date, Decimal] = field(default_factory=dict)
    # What one conversion is worth there, or where they are few under the whole lens; None without a value.
    each: float | None = None
    # Conversions of its visits that are still to be expected.
    to_come: Interval | None = None

    @property
    def rate_to_come(self) -> Interval | None:
        """What these will add to the conversion rate, if each is another visit's."""
        return times(self.to_come, 1 / self.entries) if self.to_come and self.entries else None

    @property
    def roas_to_come(self) -> Interval | None:
        """What these will add to the return on ad spend."""
        if not self.to_come or not self.each or not self.spend:
            return None
        return times(self.to_come, self.each / float(self.spend))

    @property
    def spend(self) -> Decimal:
        return self.paid.cost

    @property
    def thin(self) -> bool:
        return is_thin(self.converted, self.entries)

    @property
    def cost_per_conversion(self) -> Decimal | None:
        return returns.cost_per_conversion(self.spend, self.conversions)

    @property
    def roas(self) -> Decimal | None:
        return returns.roas(self.revenue, self.spend) if self.valued else None

    @property
    def order_value(self) -> Decimal | None:
        return returns.order_value(self.revenue, self.summed) if self.valued else None

    def profit(self, margin: Decimal | None) -> Decimal | None:
        return returns.profit(self.revenue, self.spend, margin) if self.valued else None

    def add(self, other: ReportRow) -> None:
        """Count `other` in; rates and intervals are left alone."""
        self.entries += other.entries
        self.begun_views += other.begun_views
        self.bounces += other.bounces
        self.converted += other.converted
        self.conversions += other.conversions
        self.summed += other.summed
        self.revenue += other.revenue
        self.worths += other.worths
        self.paid += other.paid
        for day, share in other.by_day.items():
            self.by_day[day] = self.by_day.get(day, Decimal(0)) + share


def times(interval: Interval, factor: float) -> Interval:
    """The interval in another unit."""
    return Interval(*(limit * factor for limit in (interval.low, interval.estimate, interval.high)))


def add_rates(rows: Sequence[ReportRow]) -> None:
    """The rates of all rows at once: one by one they would take most of the report's time."""
    if not rows:
        return
    entries = [r.entries for r in rows]
    bounces = rate_intervals([min(r.bounces, r.entries) for r in rows], entries)
    converted = rate_intervals([min(r.converted, r.entries) for r in rows], entries)
    for row, *limits in zip(rows, *bounces, *converted, strict=True):
        numbers = list(map(float, limits))
        row.bounce_rate = Interval(*numbers[:3])
        row.conversion_rate = Interval(*numbers[3:6])


K = TypeVar("K", bound=Hashable)
R = TypeVar("R", bound=ReportRow)


def add_credits(
    lens: Lens, credits: QuerySet[Credit], key: str, rows: MutableMapping[K, R], within: Hashable = ()
) -> None:
    """What is credited, to the rows, told apart by the field `key` of credits. `rows` makes what it lacks.

    `credits` of all days; `within` states what they are narrowed to beyond the lens.
    """

    def read(days: Q) -> Iterable[tuple[Any, ...]]:
        return (
            credits.filter(days)
            .values_list("day", F(key))
            .annotate(
                visits=Count("visit_id", distinct=True),
                all=Sum("share"),
                summed=Sum("share", filter=Q(value__isnull=False)),
                worth=Sum("value"),
                of_visits=Sum("share", filter=Q(visit__isnull=False)),
                **VALUE_SUMS,
            )
        )

    what = lens.sight and (lens.sight, lens.rule and lens.rule.pk, key, within)
    for day, of, visits, share, summed, value, of_visits, *sums in of_days(
        # What visits themselves tell may change without the credits.
        (Credit, Visit),
        lens.site.pk,
        lens.first,
        lens.last,
        what,
        read,
    ):
        row = rows[of]
        # A visit has one day, so that those of several are their days' together.
        row.converted += visits
        row.conversions += share
        row.summed += summed or Decimal(0)
        row.revenue += value or Decimal(0)
        row.worths += value_sums(summed, value, sums)
        if of_visits:
            row.by_day[day] = of_visits


# A credit has its share of its conversion's value.
_SHARE = Cast("share", FloatField())
_VALUE = Cast("value", FloatField()) / _SHARE
_ABOVE = Q(value__gt=0)
# Of credits: squares of values, how many are above nought, their logarithms and the squares of these.
VALUE_SUMS: dict[str, Sum] = {
    "squares": Sum(_SHARE * _VALUE * _VALUE),
    "positive": Sum(_SHARE, filter=_ABOVE),
    "logs": Sum(_SHARE * Ln(_VALUE), filter=_ABOVE),
    "log_squares": Sum(_SHARE * Ln(_VALUE) * Ln(_VALUE), filter=_ABOVE),
}


def value_sums(summed: Decimal | None, value: Decimal | None, sums: Sequence[float | None]) -> ValueSums:
    """What `VALUE_SUMS` gave, beside how many conversions' values are summed and their sum."""
    return ValueSums(float(summed or 0), float(value or 0), *(float(x or 0) for x in sums))


def add_returns(lens: Lens, rows: Mapping[K, R], costs: Mapping[K, Mapping[date, Decimal]]) -> None:
    """The return on each row's spend. Where a row has few conversions, all together say what one is worth.

    `costs` are by row and day. The row None is of no visit, and has no return.
    """
    valued = lens.rule is not None and lens.rule.has_value
    mean = worth_of_one(rows.values(), lens.rule)
    daily = (
        [(float(row.by_day.get(day, 0)), float(cost)) for day, cost in costs[key].items()]
        for key, row in rows.items()
        if key in costs
    )
    spread = spread_of((row.worths for row in rows.values()), lens.rule, mean, dispersion_of(daily))
    for key, row in rows.items():
        row.valued = valued
        # From an event's property, and none has come: what one would bring is not known.
        if key is None or not valued or not mean:
            continue
        row.each = (
            mean if row.thin else float(row.revenue / row.conversions if row.conversions else 0) or mean
        )
        row.spread = spread
        if row.spend:
            row.roas_interval = return_interval(row.worths, float(row.spend), spread)


def spread_of(
    worths: Iterable[ValueSums], rule: ConversionRule | None, mean: float, dispersion: float
) -> Spread:
    """How much the values of a rule's conversions differ within rows, and their number from day to day."""
    fixed = rule is not None and not rule.value_property
    return Spread.of(worths, mean, fixed, dispersion)


def worth_of_one(rows: Iterable[ReportRow], rule: ConversionRule | None) -> float:
    """What a conversion brings in the mean of all rows, of no known visit too; else what the rule says, else 0."""
    several = list(rows)
    summed, revenue = (sum((getattr(r, n) for r in several), Decimal(0)) for n in ("summed", "revenue"))
    if revenue and summed:
        return float(revenue / summed)
    return float(rule.value) if rule and rule.value else 0.0
