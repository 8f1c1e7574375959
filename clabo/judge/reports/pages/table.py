"""The landing page table and the comparison of two pages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Literal

from django.db.models import Count, Sum

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Page, TrafficDay
from clabo.core import rules
from clabo.core.evidence import (
    Counts,
    FairComparison,
    Interval,
    RateComparison,
    compare_rates,
    fair_comparison,
    holm,
    lost_conversions,
    pool_small,
    rate_intervals,
)
from clabo.core.pages.findings import KINDS, Findings, Kind, LandingPage, Returned, findings
from clabo.judge.reports.delays import add_to_come, delays_of, still_to_come
from clabo.judge.reports.pages.audience_counts import counts_of_people
from clabo.judge.reports.pages.visitors import add_visitors
from clabo.judge.reports.rows import ReportRow, add_credits, add_rates, add_returns
from clabo.judge.reports.today.standing import key_of, said_before
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.conversions.matching.selecting import Inventory, success_pages
from clabo.setup.conversions.queries import rules_of
from clabo.use.spend.joining import Joined, Paid, joined, paid_under

MOST_PAGES = 500


RowKind = Literal["page", "further", "no_visit"]


@dataclass(slots=True)
class PageRow(ReportRow):
    """One landing page under a lens.

    `kind` "further": all pages beyond the first so many; "no_visit": credit of conversions of which no visit is known.
    """

    page: Page | None = None
    kind: RowKind = "page"
    views: int = 0
    exits: int = 0
    # Distinct visitors with a view of the page, and those of them whose first visit ever fell in the period; only
    # where they are asked for.
    visitors: int | None = None
    new_visitors: int | None = None
    exit_rate: Interval | None = None
    lost: float = 0.0
    intended_exit: bool = False

    @property
    def views_per_visitor(self) -> float | None:
        return self.views / self.visitors if self.visitors else None

    def add(self, other: ReportRow) -> None:
        """Count `other` in; rates and intervals are left alone."""
        ReportRow.add(self, other)
        if isinstance(other, PageRow):
            self.views += other.views
            self.exits += other.exits


@dataclass(frozen=True, slots=True)
class PageTable:
    """The rows by entries, those that stand apart, the spend that is in none of them, and what stands out.

    Together the rows hold every credit and all joined cost of the lens.
    """

    rows: list[PageRow]
    apart: list[PageRow]
    joined: Joined
    before: dict[int, PageRow]
    findings: Findings
    # Of all rows together, conversions that are still to be expected.
    to_come: Interval | None


def page_table(lens: Lens, with_before: bool = False, with_visitors: bool = False) -> PageTable:
    """Every page that was viewed or got spend under the lens, most entries first, at most MOST_PAGES."""
    rows = page_rows(lens)
    ranked, apart = _ranked(rows)
    known = delays_of(lens)
    add_to_come(known, [*ranked, *apart])
    together = PageRow()
    for row in (*ranked, *apart):
        together.add(row)
    before: dict[int, PageRow] = {}
    if with_before:
        earlier = page_rows(lens.before(), also={r.page.pk for r in ranked if r.page}, judge=False)
        before = {row.page.pk: row for row in earlier.values() if row.page}
    if with_visitors:
        add_visitors(lens, {r.page.pk: r for r in ranked if r.page})
        add_visitors(lens.before(), {r.page.pk: r for r in before.values() if r.page})
    return PageTable(
        ranked,
        apart,
        joined(lens.site, lens.first, lens.last),
        before,
        # People are in an audience for what they did: among them no page is judged by it.
        findings(
            [judged(r) for r in ranked if lens.people is None], lens.site.margin, said=_said(lens, ranked)
        ),
        still_to_come(known, together.by_day),
    )


def _said(lens: Lens, rows: Sequence[PageRow]) -> list[tuple[Kind, int]]:
    """What Today, which looks as a lens does that nobody has changed, has said of these pages by the same conversion."""
    usual = read_lens(lens.site)
    if lens.rule is None or replace(lens, rule=usual.rule) != usual:
        return []
    before, rule = said_before(lens.site), lens.rule.pk
    pages = [(place, r.page.pk) for place, r in enumerate(rows) if r.page]
    return [(kind, place) for place, pk in pages for kind in KINDS if key_of(kind, rule, pk) in before]


def _ranked(rows: dict[int | None, PageRow]) -> tuple[list[PageRow], list[PageRow]]:
    """The first rows, and what stands apart from them: the others' sum, and what is no page's."""
    nobody = rows.get(None)
    listed = [row for pk, row in rows.items() if pk is not None]
    ranked, rest = listed[:MOST_PAGES], listed[MOST_PAGES:]
    apart = []
    if rest:
        further = PageRow(kind="further", valued=rest[0].valued)
        for row in rest:
            further.add(row)
        apart.append(further)
    if nobody:
        nobody.kind = "no_visit"
        apart.append(nobody)
    return ranked, apart


@dataclass(frozen=True, slots=True)
class Traffic:
    """What of a lens does not depend on the conversion that is counted: read once for several."""

    counts: list[tuple[int, ...]]
    paid: dict[tuple[date, int], Paid]
    success: set[int]


def traffic_under(lens: Lens) -> Traffic:
    """Counts and spend by page, and the pages that are meant to be left."""
    rows = _counts_of_everybody(lens) if lens.people is None else counts_of_people(lens)
    return Traffic(rows, paid_under(lens), _success_pages(lens))


def _counts_of_everybody(lens: Lens) -> list[tuple[int, ...]]:
    """As counts_of_people, from the daily counts."""
    counted = ("entries", "views", "begun_views", "bounces", "exits")
    found: defaultdict[int, list[int]] = defaultdict(lambda: [0] * len(counted))
    for _, page_id, *counts in of_days(
        TrafficDay,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, "page"),
        lambda days: (
            TrafficDay.objects.filter(lens.filter(days=False), days)
            .values_list("day", "page_id")
            .annotate(*map(Sum, counted))
        ),
    ):
        found[page_id] = [a + b for a, b in zip(found[page_id], counts, strict=True)]
    return [(page_id, *counts) for page_id, counts in found.items()]


def page_rows(
    lens: Lens,
    only: Collection[int] | None = None,
    also: Collection[int] = (),
    traffic: Traffic | None = None,
    judge: bool = True,
) -> dict[int | None, PageRow]:
    """The rows by page, most entries first, with their rates; None stands for no page.

    The first MOST_PAGES have their page and what is judged, and so have `also`; with `only`, these and no others. Without
    `judge` nothing is said of what they lost against the others.
    """
    traffic = traffic or traffic_under(lens)
    rows = dict(
        sorted(
            _rows(lens, traffic).items(), key=lambda item: (-item[1].entries, -item[1].views, item[0] or 0)
        )
    )
    first = [pk for pk in rows if pk is not None][:MOST_PAGES]
    pages = Page.objects.in_bulk(list(only) if only is not None else [*first, *also])
    shown = []
    for pk, page in pages.items():
        if pk in rows:
            rows[pk].page = page
            shown.append(rows[pk])
    _add_page_rates(shown)
    if lens.rule:
        for row in shown:
            row.intended_exit = row.page is not None and row.page.pk in traffic.success
        counts = [judged(r).counts for r in shown if judge]
        lost = lost_conversions(counts, [r.intended_exit for r in shown]) if judge else []
        for row, of_row in zip(shown, lost, strict=judge):
            row.lost = of_row
    return rows


def _add_page_rates(rows: Sequence[PageRow]) -> None:
    if not rows:
        return
    add_rates(rows)
    # An exit belongs to the day that its visit began, a view to its own: about midnight there may be one more.
    exits = rate_intervals([min(r.exits, r.views) for r in rows], [r.views for r in rows])
    for row, *limits in zip(rows, *exits, strict=True):
        row.exit_rate = Interval(*map(float, limits))


def judged(row: PageRow) -> LandingPage:
    """The row as findings see it."""
    counts = Counts(min(row.converted, row.entries), row.entries)
    returned = Returned(row.worths, row.spread) if row.spread else None
    return LandingPage(counts, row.revenue, row.spend, returned, row.lost, row.intended_exit)


def _success_pages(lens: Lens) -> set[int]:
    """Pages on which a conversion happens: these are meant to be left."""
    found: set[int] = set()
    known = Inventory(lens.site.pk)
    for rule in rules_of(lens.site):
        found |= success_pages(rules.parse(rule.rule, known.reading), known)
    return found


def _rows(lens: Lens, traffic: Traffic) -> dict[int | None, PageRow]:
    rows: defaultdict[int | None, PageRow] = defaultdict(PageRow)
    for page_id, *counts in traffic.counts:
        if any(counts):
            r = rows[page_id]
            r.entries, r.views, r.begun_views, r.bounces, r.exits = counts
    if lens.rule:
        add_credits(lens, lens.credits(days=False).filter(rule=lens.rule), "page_id", rows)
    costs: defaultdict[int | None, dict[date, Decimal]] = defaultdict(dict)
    for (day, page_id), paid in traffic.paid.items():
        costs[page_id][day] = paid.cost
        rows[page_id].paid += paid
    add_returns(lens, rows, costs)
    return rows


@dataclass(frozen=True, slots=True)
class PageComparison:
    """Two landing pages: `a` against `b` (b - a), plain and with the traffic's mix evened out."""

    a: PageRow
    b: PageRow
    rates: RateComparison
    fair: FairComparison
    # How fine the strata are: sources that stand alone, and channels whose small sources are taken together.
    sources: int
    pooled: int


def compare_pages(lens: Lens, a_id: int, b_id: int) -> PageComparison:
    """Conversion rates of two landing pages under the lens; raises Problem."""
    if a_id == b_id:
        raise Problem("Choose two different pages.", "b")
    rows = _rows_of(lens, {"a": a_id, "b": b_id})
    return _compared(lens, rows[a_id], rows[b_id], a_id, b_id)


def _rows_of(lens: Lens, named: Mapping[str, int]) -> dict[int, PageRow]:
    rows = {r.page.pk: r for r in page_table(lens).rows if r.page}
    for name, page_id in named.items():
        if page_id not in rows:
            raise Problem("This page has no visits under this lens. Widen the period.", name, 404)
    return rows


MOST_BESIDE = 4


@dataclass(frozen=True, slots=True)
class Beside:
    """Several pages: each of the others against the first, all intervals together at 95 %, p-values after Holm."""

    rows: list[PageRow]
    against: list[PageComparison]
    p_values: list[float]


def beside(lens: Lens, ids: Sequence[int]) -> Beside:
    """Two to four landing pages beside each other under the lens; raises Problem."""
    if not 2 <= len(ids) <= MOST_BESIDE or len(set(ids)) < len(ids):
        raise Problem(f"Choose two to {MOST_BESIDE} different pages.", "page")
    rows = _rows_of(lens, {f"page[{place}]": page_id for place, page_id in enumerate(ids)})
    first, *others = ids
    # As many differences are read at once: each interval is widened by Bonferroni.
    level = 1 - 0.05 / len(others)
    against = [_compared(lens, rows[first], rows[other], first, other, level) for other in others]
    return Beside([rows[i] for i in ids], against, holm([c.rates.p_value for c in against]))


def _compared(
    lens: Lens, a: PageRow, b: PageRow, a_id: int, b_id: int, level: float = 0.95
) -> PageComparison:
    strata = pool_small(_strata(lens, a_id, b_id))
    fair = fair_comparison(strata, level)
    alike = {(channel, source) for channel, source, _ in strata}
    pooled = sum(source is None for _, source in alike)
    return PageComparison(
        a,
        b,
        compare_rates(_led(a), _led(b), level),
        fair,
        len(alike) - pooled,
        pooled,
    )


def _led(row: PageRow) -> Counts:
    return Counts(min(row.converted, row.entries), row.entries)


def _strata(lens: Lens, a_id: int, b_id: int) -> dict[tuple[str, str, Hashable], tuple[Counts, Counts]]:
    """Entries and converted visits of both pages by channel and source, and device."""
    stratum = ("origin__channel", "origin__source", "device")
    both = [a_id, b_id]
    traffic = TrafficDay.objects.filter(lens.filter(), page_id__in=both)
    visits = lens.visits().order_by().filter(entry_page_id__in=both)
    counted = (
        list(traffic.values_list(*stratum, "page_id").annotate(Sum("entries")))
        if lens.people is None
        else list(visits.values_list(*stratum, "entry_page_id").annotate(Count("id")))
    )
    entries = {tuple(row): n for *row, n in counted if n}
    credits = lens.credits().filter(page_id__in=both, rule=lens.rule)
    led = credits.values_list(*stratum, "page_id").annotate(Count("visit_id", distinct=True))
    converted = {tuple(row): n for *row, n in led}

    def counts(stratum: tuple[object, ...], page_id: int) -> Counts:
        n = entries.get((*stratum, page_id), 0)
        return Counts(min(converted.get((*stratum, page_id), 0), n), n)

    return {s: (counts(s, a_id), counts(s, b_id)) for s in {row[:3] for row in entries}}
