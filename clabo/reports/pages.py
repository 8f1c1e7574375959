"""The landing page table and the comparison of two pages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Count, Sum

from clabo.accounts.problems import Problem
from clabo.collect.models import Page, TrafficDay
from clabo.conversions.lens import Lens
from clabo.conversions.models import Credit
from clabo.conversions.queries import rules_of
from clabo.conversions.selecting import Inventory, success_pages
from clabo.core import rules
from clabo.core.evidence import (
    Counts,
    FairComparison,
    Interval,
    RateComparison,
    compare_rates,
    fair_comparison,
    is_thin,
    lost_conversions,
    rate_intervals,
    return_interval,
)
from clabo.core.findings import Findings, LandingPage, findings
from clabo.core.returns import cost_per_conversion, roas
from clabo.spend.joining import Joined, cost_under, joined

MOST_PAGES = 500


@dataclass(slots=True)
class PageRow:
    """One landing page under a lens. Money in the site's currency; None is shown as a dash."""

    page: Page
    entries: int = 0
    views: int = 0
    begun_views: int = 0
    bounces: int = 0
    exits: int = 0
    # Visits that entered here and led to a conversion: the rate's numerator.
    converted: int = 0
    # Credited conversions; a fraction under the linear model.
    conversions: Decimal = Decimal(0)
    revenue: Decimal = Decimal(0)
    spend: Decimal = Decimal(0)
    bounce_rate: Interval | None = None
    conversion_rate: Interval | None = None
    roas_interval: Interval | None = None
    lost: float = 0.0
    intended_exit: bool = False
    # What is counted has a value; without one there is no return on the spend, not one of nothing.
    valued: bool = True

    @property
    def thin(self) -> bool:
        return is_thin(self.converted, self.entries)

    @property
    def cost_per_conversion(self) -> Decimal | None:
        return cost_per_conversion(self.spend, self.conversions)

    @property
    def roas(self) -> Decimal | None:
        return roas(self.revenue, self.spend) if self.valued else None


@dataclass(frozen=True, slots=True)
class PageTable:
    """The rows by entries, the spend that is in none of them, and what stands out."""

    rows: list[PageRow]
    joined: Joined
    before: dict[int, PageRow]
    findings: Findings


def page_table(lens: Lens, with_before: bool = False) -> PageTable:
    """Every page that was viewed or got spend under the lens, most entries first."""
    rows = _rows(lens)
    before: dict[int, PageRow] = {}
    if with_before:
        before = _rows(lens.before())
    pages = Page.objects.in_bulk([*rows, *before])
    for page_id, row in [*rows.items(), *before.items()]:
        row.page = pages[page_id]
    _add_rates([*rows.values(), *before.values()])
    ranked = sorted(rows.values(), key=lambda r: (-r.entries, -r.views, str(r.page)))[:MOST_PAGES]
    success = _success_pages(lens)
    for row in ranked:
        row.intended_exit = row.page.pk in success
    if lens.rule:
        counts = [_judged(r).counts for r in ranked]
        for row, lost in zip(
            ranked, lost_conversions(counts, [r.intended_exit for r in ranked]), strict=True
        ):
            row.lost = lost
    return PageTable(
        ranked,
        joined(lens.site, lens.first, lens.last),
        before,
        findings([_judged(r) for r in ranked], lens.site.margin),
    )


def _add_rates(rows: Sequence[PageRow]) -> None:
    """The rates of all rows at once: one by one they would take most of the report's time."""
    if not rows:
        return
    entries = [r.entries for r in rows]
    bounces = rate_intervals([r.bounces for r in rows], entries)
    converted = rate_intervals([min(r.converted, r.entries) for r in rows], entries)
    for row, *limits in zip(rows, *bounces, *converted, strict=True):
        low, estimate, high, low_2, estimate_2, high_2 = map(float, limits)
        row.bounce_rate = Interval(low, estimate, high)
        row.conversion_rate = Interval(low_2, estimate_2, high_2)


def _judged(row: PageRow) -> LandingPage:
    counts = Counts(min(row.converted, row.entries), row.entries)
    return LandingPage(counts, row.revenue, row.spend, row.roas_interval, row.lost, row.intended_exit)


def _success_pages(lens: Lens) -> set[int]:
    """Pages on which a conversion happens: these are meant to be left."""
    found: set[int] = set()
    known = Inventory(lens.site.pk)
    for rule in rules_of(lens.site):
        found |= success_pages(rules.parse(rule.rule), known)
    return found


def _rows(lens: Lens) -> dict[int, PageRow]:
    rows: dict[int, PageRow] = {}

    def row(page_id: int) -> PageRow:
        if page_id not in rows:
            rows[page_id] = PageRow(page=None)  # type: ignore[arg-type]  # filled in by page_table
        return rows[page_id]

    traffic = (
        TrafficDay.objects.filter(lens.filter())
        .values_list("page_id")
        .annotate(Sum("entries"), Sum("views"), Sum("begun_views"), Sum("bounces"), Sum("exits"))
    )
    for page_id, *counts in traffic:
        if any(counts):
            r = row(page_id)
            r.entries, r.views, r.begun_views, r.bounces, r.exits = counts
    values: defaultdict[int, dict[date, Decimal]] = defaultdict(dict)
    if lens.rule:
        credits = Credit.objects.filter(lens.filter(), rule=lens.rule, model=lens.model).exclude(page=None)
        for page_id, converted, share, value in credits.values_list("page_id").annotate(
            Count("visit_id", distinct=True), Sum("share"), Sum("value")
        ):
            r = row(page_id)
            r.converted, r.conversions, r.revenue = converted, share, value or Decimal(0)
        for page_id, day, value in credits.values_list("page_id", "day").annotate(Sum("value")):
            values[page_id][day] = value or Decimal(0)
    costs: defaultdict[int, dict[date, Decimal]] = defaultdict(dict)
    for (day, page_id), cost in cost_under(lens).items():
        costs[page_id][day] = cost
        row(page_id).spend += cost
    _add_returns(lens, rows, values, costs)
    return rows


ByDay = Mapping[int, Mapping[date, Decimal]]


def _add_returns(lens: Lens, rows: Mapping[int, PageRow], values: ByDay, costs: ByDay) -> None:
    """The return on each page's spend. Where a page has few conversions, all pages together say what one is worth."""
    valued = lens.rule is not None and lens.rule.has_value
    everywhere = sum(r.converted for r in rows.values())
    mean = float(sum(r.revenue for r in rows.values())) / everywhere if everywhere else 0.0
    if not mean and lens.rule and lens.rule.value:
        mean = float(lens.rule.value)
    days = [lens.first + timedelta(days=i) for i in range(lens.days)]
    for page_id, row in rows.items():
        row.valued = valued
        # From an event's property, and none has come: what one would bring is not known.
        if not valued or not mean or page_id not in costs:
            continue
        each = mean if row.thin else float(row.revenue) / row.converted or mean
        of_value, of_cost = values.get(page_id, {}), costs[page_id]
        row.roas_interval = return_interval(
            row.converted,
            each,
            [float(of_value.get(d, 0)) for d in days],
            [float(of_cost.get(d, 0)) for d in days],
        )


@dataclass(frozen=True, slots=True)
class PageComparison:
    """Two landing pages: `a` against `b` (b - a), plain and with the traffic's mix evened out."""

    a: PageRow
    b: PageRow
    rates: RateComparison
    fair: FairComparison


def compare_pages(lens: Lens, a_id: int, b_id: int) -> PageComparison:
    """Conversion rates of two landing pages under the lens; raises Problem."""
    if a_id == b_id:
        raise Problem("Choose two different pages.", "b")
    rows = {r.page.pk: r for r in page_table(lens).rows}
    for name, page_id in (("a", a_id), ("b", b_id)):
        if page_id not in rows:
            raise Problem("This page has no visits under this lens. Widen the period.", name, 404)
    strata = _strata(lens, [a_id, b_id])
    fair = fair_comparison({key: (pair[a_id], pair[b_id]) for key, pair in strata.items()})
    a, b = rows[a_id], rows[b_id]
    return PageComparison(
        a, b, compare_rates(Counts(a.converted, a.entries), Counts(b.converted, b.entries)), fair
    )


def _strata(lens: Lens, page_ids: Sequence[int]) -> dict[tuple[str, int], dict[int, Counts]]:
    """Entries and converted visits of each page by channel and device."""
    nothing = Counts(0, 0)
    entries: defaultdict[tuple[str, int], dict[int, int]] = defaultdict(dict)
    for channel, device, page_id, n in (
        TrafficDay.objects.filter(lens.filter(), page_id__in=page_ids)
        .values_list("origin__channel", "device", "page_id")
        .annotate(Sum("entries"))
    ):
        entries[(channel, device)][page_id] = n
    converted: defaultdict[tuple[str, int], dict[int, int]] = defaultdict(dict)
    for channel, device, page_id, n in (
        Credit.objects.filter(lens.filter(), page_id__in=page_ids, rule=lens.rule, model=lens.model)
        .values_list("origin__channel", "device", "page_id")
        .annotate(Count("visit_id", distinct=True))
    ):
        converted[(channel, device)][page_id] = n
    return {
        key: {
            p: Counts(min(converted[key].get(p, 0), by_page[p]), by_page[p]) if by_page.get(p) else nothing
            for p in page_ids
        }
        for key, by_page in entries.items()
    }
