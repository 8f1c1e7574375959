"""Where the next euro is best spent among the pages and sources that ads lead through."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Count, Q, Sum

from clabo.collect.events.models import Page
from clabo.core.evidence import NO_VALUES, Interval, ValueSums
from clabo.core.money.allocation import Move, Spent, best_move
from clabo.judge.reports.rows import VALUE_SUMS, spread_of, value_sums
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import ConversionRule
from clabo.use.spend.models import CostPart

# How far back the spend of single days says how conversions follow it.
DAYS_OF_ELASTICITY = 84


@dataclass(slots=True)
class Place:
    """A page under a source: what was spent on it, and what came of its visits."""

    page_id: int
    source: str
    spend: Decimal = Decimal(0)
    conversions: Decimal = Decimal(0)
    converted: int = 0
    value: Decimal = Decimal(0)
    worths: ValueSums = NO_VALUES
    page: Page | None = field(default=None, compare=False)


@dataclass(frozen=True, slots=True)
class BestPlace:
    """The move that is expected to bring most: money a day, as the core has found it over the lens's days."""

    give: Place
    take: Place
    move: Move
    days: int
    # The conversion that is counted.
    rule: ConversionRule

    @property
    def gain_a_day(self) -> Interval:
        gain = self.move.gain
        return Interval(gain.low / self.days, gain.estimate / self.days, gain.high / self.days)

    @property
    def key(self) -> str:
        """What a decision about it is kept by: the conversion, then both pages and sources."""
        places = [self.give.page_id, self.give.source, self.take.page_id, self.take.source]
        return "move:" + json.dumps([self.rule.pk, *places])


def places_under(lens: Lens) -> dict[tuple[int, str], Place]:
    """Pages under sources that were paid for on the lens's days, with what their visits are credited with."""
    found: dict[tuple[int, str], Place] = {}
    span = Q(site=lens.site, day__gte=lens.first, day__lte=lens.last)
    parts = CostPart.objects.filter(span, cost__gt=0).exclude(how=CostPart.How.NOTHING)
    for page_id, source, cost in parts.values_list("page_id", "source").annotate(Sum("cost")):
        place = found.setdefault((page_id, source.lower()), Place(page_id, source.lower()))
        place.spend += cost
    if lens.rule:
        credits = lens.credits().filter(rule=lens.rule, page_id__in={p for p, _ in found})
        rows = credits.values_list("page_id", "origin__source").annotate(
            Sum("share"),
            Count("visit_id", distinct=True),
            Sum("value"),
            summed=Sum("share", filter=Q(value__isnull=False)),
            **VALUE_SUMS,
        )
        for page_id, source, share, converted, value, summed, *sums in rows:
            paid_for = found.get((page_id, (source or "").lower()))
            if paid_for is not None:
                paid_for.conversions += share
                paid_for.converted += converted
                paid_for.value += value or Decimal(0)
                paid_for.worths += value_sums(summed, value, sums)
    return found


def best_place(lens: Lens) -> BestPlace | None:
    """The best move of money under the lens; None where there is none that the evidence supports.

    Days that have not all their conversions in yet are the same for all places, so they change no comparison much.
    """
    if lens.rule is None or not lens.rule.has_value:
        return None
    under = places_under(lens)
    places = list(under.values())
    together, all_value = sum(p.converted for p in places), sum(p.value for p in places)
    if not together:
        return None
    mean = float(all_value) / together
    spread = spread_of((p.worths for p in places), lens.rule, mean, 1.0).relative_variance
    days = _days_of(lens, under)
    margin = float(lens.site.margin) if lens.site.margin else 1.0
    move = best_move(
        [
            Spent(
                float(p.spend),
                p.converted,
                float(p.value) / p.converted if p.converted else mean,
                spread,
                days[key],
            )
            for key, p in under.items()
        ],
        margin,
    )
    if move is None:
        return None
    give, take = places[move.give], places[move.take]
    pages = Page.objects.in_bulk([give.page_id, take.page_id])
    give.page, take.page = pages[give.page_id], pages[take.page_id]
    return BestPlace(give, take, move, lens.days, lens.rule)


def _days_of(
    lens: Lens, places: Iterable[tuple[int, str]]
) -> dict[tuple[int, str], list[tuple[float, float]]]:
    """Of each place, conversions credited to visits of each day and what was spent on it, the oldest day first."""
    first = lens.last - timedelta(days=DAYS_OF_ELASTICITY - 1)
    back = replace(lens, first=first)
    days = [first + timedelta(days=n) for n in range(DAYS_OF_ELASTICITY)]
    spent: dict[tuple[int, str], dict[date, float]] = {key: {} for key in places}
    came: dict[tuple[int, str], dict[date, float]] = {key: {} for key in spent}
    pages = {page for page, _ in spent}
    parts = CostPart.objects.filter(
        site=lens.site, day__gte=first, day__lte=lens.last, cost__gt=0, page_id__in=pages
    ).exclude(how=CostPart.How.NOTHING)
    rows = parts.values_list("page_id", "source", "day").annotate(Sum("cost"))
    credited = (
        back.credits()
        .filter(rule=lens.rule, page_id__in=pages)
        .values_list("page_id", "origin__source", "day")
        .annotate(Count("visit_id", distinct=True))
    )
    for into, found in ((spent, rows), (came, credited)):
        for page_id, source, day, much in found:
            if (key := (page_id, (source or "").lower())) in into:
                into[key][day] = into[key].get(day, 0.0) + float(much)
    return {key: [(came[key].get(day, 0.0), spent[key].get(day, 0.0)) for day in days] for key in spent}


@dataclass(frozen=True, slots=True)
class Since:
    """A page, under one source or all, before and since a decision: spend and profit a day, over `days` since."""

    page_id: int
    source: str
    days: int
    spend_before: Decimal
    spend_since: Decimal
    profit_before: Decimal
    profit_since: Decimal


def since(lens: Lens, page_id: int, source: str, decided: date, yesterday: date) -> Since | None:
    """How it did over the 28 days before the day of the decision, and from the day after; None before a day has passed.

    Profit is what is credited to its visits, times the margin, less the spend. Without a source all of them are looked at.
    """
    if yesterday <= decided:
        return None
    parts = (
        replace(lens, first=decided - timedelta(days=28), last=decided - timedelta(days=1)),
        replace(lens, first=decided + timedelta(days=1), last=yesterday),
    )
    margin = lens.site.margin or Decimal(1)
    found: list[Decimal] = []
    for part in parts:
        here = [p for (page, of), p in places_under(part).items() if page == page_id and source in ("", of)]
        spend, value = sum((p.spend for p in here), Decimal(0)), sum((p.value for p in here), Decimal(0))
        found += [spend / part.days, (value * margin - spend) / part.days]
    return Since(page_id, source, parts[1].days, found[0], found[2], found[1], found[3])
