"""Where visits came from, opened step by step, and what became of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import reduce
from operator import and_
from typing import Any, Literal

from django.db.models import Count, Q, QuerySet, Sum
from django.db.models.functions import ExtractHour, ExtractIsoWeekDay

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Page, TrafficDay, Visit
from clabo.collect.events.queries import BOUNCED
from clabo.core.evidence import Interval, is_thin, rate_intervals
from clabo.judge.reports.delays import add_to_come, delays_of
from clabo.judge.reports.rows import VALUE_SUMS, ReportRow, add_credits, add_rates, add_returns, value_sums
from clabo.judge.sources.dimensions import (
    CHAIN,
    COUNTED,
    Within,
    of_cost,
    of_counts,
    of_visits,
    spellings,
    stated,
    stored,
)
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Credit
from clabo.setup.sites.models import Site
from clabo.use.spend.joining import Paid, cost_of_visits
from clabo.use.spend.models import CostPart

MOST_ROWS = 500
Cells = dict[tuple[Any, date], Paid]


@dataclass(slots=True, kw_only=True)
class SourceRow(ReportRow):
    """Visits of one value of a dimension; `kind` as for pages: "further" and "no_visit" rows have no value."""

    value: str = ""
    kind: Literal["value", "further", "no_visit", "total"] = "value"
    page: Page | None = None


@dataclass(frozen=True, slots=True)
class SourceTable:
    """Rows by entries, what they are told apart by, and all of them together. Rows sum to the total."""

    by: str
    rows: list[SourceRow]
    apart: list[SourceRow]
    total: SourceRow


@dataclass(frozen=True, slots=True)
class Hour:
    """Visits that began in one hour of one day of the week (1: Monday), and those that led to a conversion."""

    weekday: int
    hour: int
    entries: int
    converted: int
    rate: Interval

    @property
    def thin(self) -> bool:
        return is_thin(self.converted, self.entries)


@dataclass(slots=True)
class _Read:
    """What was read, by value."""

    rows: defaultdict[Any, SourceRow] = field(default_factory=lambda: defaultdict(SourceRow))


def source_table(lens: Lens, by: str, within: Sequence[Within] = ()) -> SourceTable:
    """The lens's visits of `within`, told apart by a dimension."""
    read = _Read()
    counted = lens.people is None and {by, *(w.dimension for w in within)} <= COUNTED
    if counted:
        _read_counts(read, lens, by, within)
        paid = _paid(lens, by, within)
    else:
        _read_visits(read, lens, by, within)
        paid = _paid_for_visits(lens, by, within)
    _read_credits(read, lens, by, within)
    costs: defaultdict[Any, dict[date, Decimal]] = defaultdict(dict)
    together: dict[date, Decimal] = {}
    for (value, day), of_day in paid.items():
        read.rows[value].paid += of_day
        costs[value][day] = costs[value].get(day, Decimal(0)) + of_day.cost
        together[day] = together.get(day, Decimal(0)) + of_day.cost
    total = SourceRow(kind="total")
    for row in read.rows.values():
        total.add(row)
    add_rates([*read.rows.values(), total])
    add_returns(lens, read.rows, costs)
    add_returns(lens, {"": total}, {"": together})
    listed, apart = _named(lens.site, by, read.rows)
    add_to_come(delays_of(lens), [*listed, *apart, total])
    return SourceTable(by, listed, apart, total)


def opened(lens: Lens, within: Sequence[Within]) -> SourceTable:
    """The next step of the chain that tells the visits of `within` apart; the last one where none does."""
    known = {w.dimension for w in within}
    deepest = max((CHAIN.index(d) for d in known if d in CHAIN), default=-1)
    left = [d for d in CHAIN[deepest + 1 :] if d not in known] or [CHAIN[-1]]
    table = source_table(lens, left[0], within)
    for dimension in left[1:]:
        if any(r.value for r in table.rows) or len(table.rows) > 1:
            break
        table = source_table(lens, dimension, within)
    return table


def _named(site: Site, by: str, rows: dict[Any, SourceRow]) -> tuple[list[SourceRow], list[SourceRow]]:
    nobody = rows.pop(None, None)
    in_order = sorted(rows.items(), key=lambda item: (-item[1].entries, -item[1].spend, str(item[0])))
    written = spellings(site, by, [str(value) for value, _ in in_order[:MOST_ROWS]])
    for value, row in in_order:
        row.value = written.get(value, stated(by, value))
    if by == "page":
        pages = Page.objects.in_bulk([value for value, _ in in_order[:MOST_ROWS]])
        for value, row in in_order:
            row.page = pages.get(value)
    listed, rest = [r for _, r in in_order[:MOST_ROWS]], [r for _, r in in_order[MOST_ROWS:]]
    apart = []
    if rest:
        further = SourceRow(kind="further", valued=rest[0].valued)
        for row in rest:
            further.add(row)
        apart.append(further)
    if nobody:
        nobody.kind = "no_visit"
        apart.append(nobody)
    return listed, apart


def _read_counts(read: _Read, lens: Lens, by: str, within: Sequence[Within]) -> None:
    wanted = (Q(**{of_counts(w.dimension): stored(w.dimension, w.value)}) for w in within)
    counts = TrafficDay.objects.filter(lens.filter(days=False), *wanted)
    for _, value, entries, begun_views, bounces in of_days(
        TrafficDay,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, by, tuple(within)),
        lambda days: (
            counts.filter(days)
            .values_list("day", of_counts(by))
            .annotate(Sum("entries"), Sum("begun_views"), Sum("bounces"))
        ),
    ):
        if entries or begun_views or bounces:
            row = read.rows[value]
            row.entries += entries
            row.begun_views += begun_views
            row.bounces += bounces


def _read_visits(read: _Read, lens: Lens, by: str, within: Sequence[Within]) -> None:
    visits = _visits(lens, by, within, days=False)
    for _, value, entries, begun_views, bounces in of_days(
        Visit,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, by, tuple(within)),
        lambda days: (
            visits.filter(days)
            .values_list("day", "_by")
            .annotate(n=Count("id"), of_views=Sum("views"), bounced=Count("id", filter=BOUNCED))
        ),
    ):
        row = read.rows[value]
        row.entries += entries
        row.begun_views += begun_views
        row.bounces += bounces


def _visits(lens: Lens, by: str, within: Sequence[Within], days: bool = True) -> Any:
    """A query over visits with a field `_by`, which the type checker cannot know of."""
    visits = lens.visits(days).order_by().annotate(_by=of_visits(by))
    for place, w in enumerate(within):
        name = f"_in{place}"
        visits = visits.annotate(**{name: of_visits(w.dimension)})
        visits = visits.filter(**{name: stored(w.dimension, w.value)})
    return visits


def _credits(lens: Lens, within: Sequence[Within], days: bool = True) -> QuerySet[Credit]:
    """What is credited, each with its value of the dimension, None where no visit is known."""
    credits = lens.credits(days=days).filter(rule=lens.rule)
    for place, w in enumerate(within):
        value = stored(w.dimension, w.value)
        if w.dimension in COUNTED:
            credits = credits.filter(**{of_counts(w.dimension): value})
        else:
            name = f"_in{place}"
            credits = credits.filter(visit__isnull=False).annotate(
                **{name: of_visits(w.dimension, "visit__")}
            )
            credits = credits.filter(**{name: value})
    return credits


def _valued(credits: QuerySet[Credit], by: str) -> tuple[QuerySet[Credit], Any]:
    if by in COUNTED:
        return credits, of_counts(by)
    return credits.annotate(_by=of_visits(by, "visit__")), "_by"


def _read_credits(read: _Read, lens: Lens, by: str, within: Sequence[Within]) -> None:
    if not lens.rule:
        return
    credits, name = _valued(_credits(lens, within, days=False), by)
    of_visits = credits.filter(visit__isnull=False)
    add_credits(lens, of_visits, name, read.rows, ("visits", by, tuple(within)))
    if nobody := _credited_to_nobody(lens, credits, within):
        row = read.rows[None]
        for share, summed, value, *sums in nobody.values():
            row.conversions += share
            row.summed += summed
            row.revenue += value
            row.worths += value_sums(summed, value, sums)


def _credited_to_nobody(
    lens: Lens, credits: QuerySet[Credit], within: Sequence[Within]
) -> dict[date, tuple[Any, ...]]:
    """Conversions of which no visit is known, by day: how many, those of them whose money is summed, that, and VALUE_SUMS."""
    rows = of_days(
        Credit,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, lens.rule and lens.rule.pk, "nobody", tuple(within)),
        lambda days: (
            credits.filter(days, visit=None)
            .order_by()
            .values_list("day")
            .annotate(
                n=Sum("share"),
                summed=Sum("share", filter=Q(value__isnull=False)),
                worth=Sum("value"),
                **VALUE_SUMS,
            )
        ),
    )
    return {
        day: (n, summed or Decimal(0), worth or Decimal(0), *sums) for day, n, summed, worth, *sums in rows
    }


def _paid(lens: Lens, by: str, within: Sequence[Within]) -> Cells:
    """Spend by value and day; None where no visit answered to it and its value is not known."""
    kind, _, name = lens.origin.partition(":")
    wanted = [Q(**{of_cost(w.dimension): stored(w.dimension, w.value)}) for w in within]
    if kind in ("channel", "source"):
        wanted.append(Q(**{kind: name}))
    if lens.device is not None:
        wanted.append(Q(device=lens.device))
    parts = CostPart.objects.filter(reduce(and_, wanted, Q()), site=lens.site).exclude(
        how=CostPart.How.NOTHING
    )
    sums = of_days(
        CostPart,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, by, tuple(within)),
        lambda days: (
            parts.filter(days)
            .values_list("day", of_cost(by))
            .annotate(Sum("cost"), Sum("clicks"), Sum("impressions"))
        ),
    )
    # A device of 0: no visit tells.
    return {(value if value != 0 else None, day): Paid(*rest) for day, value, *rest in sums}


def _paid_for_visits(lens: Lens, by: str, within: Sequence[Within]) -> Cells:
    """What these visits cost, of which clicks and impressions are nobody's."""
    rows = of_days(
        (Visit, TrafficDay, CostPart),
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, "paid for visits", by, tuple(within)),
        lambda days: _cost_by_value(lens, by, within, days),
    )
    return {(value, day): Paid(cost.quantize(Decimal("0.000001"))) for day, value, cost in rows}


def _cost_by_value(
    lens: Lens, by: str, within: Sequence[Within], days: Q
) -> Iterator[tuple[date, Any, Decimal]]:
    """Day, value and what its visits cost."""
    cell = ("day", "entry_page_id", "origin_id", "device")
    visits = _visits(lens, by, within, days=False).filter(days)
    rows = visits.values_list("_by", *cell).annotate(Count("id"))
    by_value: defaultdict[tuple[Any, ...], dict[Any, int]] = defaultdict(dict)
    for value, *place, n in rows:
        by_value[tuple(place)][value] = n
    every = {place: sum(of.values()) for place, of in by_value.items()}
    found: defaultdict[tuple[date, Any], Decimal] = defaultdict(Decimal)
    for spot, cost in cost_of_visits(lens.site, every).items():
        for value, n in by_value[spot].items():
            found[spot[0], value] += cost * n / every[spot]
    for (day, value), cost in found.items():
        yield day, value, cost


def hours(lens: Lens, within: Sequence[Within] = ()) -> list[Hour]:
    """The lens's visits of `within` by weekday and hour of their beginning, in the site's time zone."""
    zone = lens.site.zone
    begun = {
        "weekday": ExtractIsoWeekDay("started_at", tzinfo=zone),
        "hour": ExtractHour("started_at", tzinfo=zone),
    }
    what = lens.sight and (lens.sight, str(zone), tuple(within), lens.rule and lens.rule.pk)
    visits = _visits(lens, "device", within, days=False).annotate(**begun)
    entries: defaultdict[tuple[int, int], int] = defaultdict(int)
    for _, weekday, hour, n in of_days(
        Visit,
        lens.site.pk,
        lens.first,
        lens.last,
        what and ("hours", what),
        lambda days: visits.filter(days).values_list("day", "weekday", "hour").annotate(n=Count("id")),
    ):
        entries[weekday, hour] += n
    converted: defaultdict[tuple[int, int], int] = defaultdict(int)
    if lens.rule:
        of_credits = _credits(lens, within, days=False).annotate(
            weekday=ExtractIsoWeekDay("visit__started_at", tzinfo=zone),
            hour=ExtractHour("visit__started_at", tzinfo=zone),
        )
        led = of_credits.filter(visit__isnull=False)
        for _, weekday, hour, n in of_days(
            (Credit, Visit),
            lens.site.pk,
            lens.first,
            lens.last,
            what and ("hours converted", what),
            lambda days: (
                led.filter(days)
                .values_list("day", "weekday", "hour")
                .annotate(Count("visit_id", distinct=True))
            ),
        ):
            converted[weekday, hour] += n
    keys = sorted(entries)
    counts = [min(converted.get(key, 0), entries[key]) for key in keys]
    if not keys:
        return []
    limits = zip(*rate_intervals(counts, [entries[key] for key in keys]), strict=True)
    return [
        Hour(weekday, hour, entries[weekday, hour], n, Interval(*map(float, each)))
        for (weekday, hour), n, each in zip(keys, counts, limits, strict=True)
    ]
