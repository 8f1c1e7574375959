"""Exits, bounces and what pages lose against their own goals, worst first, with what may be the reason."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal

from django.db.models import Count, Max, Sum

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Event, Kind, Page, TrafficDay
from clabo.collect.pictures.links import dead_links
from clabo.core.pages.worst import Loss, Wait, fallen_silent, losses
from clabo.judge.reports.pages.load_times import waits
from clabo.judge.reports.pages.own_goals import goals_of
from clabo.judge.reports.pages.table import MOST_PAGES, PageRow, judged, page_rows, traffic_under
from clabo.judge.reports.rows import worth_of_one
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.queries import rules_of

# How far back a form's usual rate is read from.
_FORMS_DAYS = 90


@dataclass(frozen=True, slots=True)
class Reason:
    """What may be wrong with a page: "form_silent" (nobody has sent a form since), "tag_stopped", "dead_link" (to `what`),
    "slow" (a quarter of its views waited longer than `wait` says).
    """

    kind: str
    since: datetime | None
    what: str = ""
    wait: Wait | None = None


@dataclass(frozen=True, slots=True)
class WorstRow:
    """A page with its loss against its own goal, and what the losses are worth where the goal has a value."""

    row: PageRow
    rule: ConversionRule
    by_hand: bool
    loss: Loss
    worth: Decimal | None


@dataclass(frozen=True, slots=True)
class Worst:
    """Pages by expected loss, thin ones after the others; and those that nobody's goal is known of, by entries.

    `reasons`: what may be wrong with them, by page.
    """

    rows: list[WorstRow]
    without_goal: list[PageRow]
    reasons: dict[int, list[Reason]]


def worst_pages(lens: Lens, now: datetime | None = None) -> Worst:
    """Every page that was entered under the lens, judged by its own goal beside pages with the same."""
    the_rules = rules_of(lens.site)
    goals = goals_of(lens, the_rules)
    of_rule: defaultdict[int, set[int]] = defaultdict(set)
    for page_id, goal in goals.items():
        of_rule[goal.rule.pk].add(page_id)
    traffic = traffic_under(lens)
    found: list[WorstRow] = []
    for rule in the_rules:
        if not of_rule[rule.pk]:
            continue
        rows = page_rows(lens.counting(rule), of_rule[rule.pk], traffic=traffic, judge=False)
        shown = [r for r in rows.values() if r.page and r.entries]
        told = losses([judged(r).counts for r in shown], [r.intended_exit for r in shown])
        each = _worth_of_one(rule, shown)
        for row, loss in zip(shown, told, strict=True):
            if loss is not None and row.page:
                worth = None if each is None else each * Decimal(max(0.0, loss.lost.estimate))
                found.append(WorstRow(row, rule, goals[row.page.pk].by_hand, loss, worth))
    found.sort(key=lambda w: (w.loss.thin and not w.loss.certain, -w.loss.lost.estimate, -w.row.entries))
    known = {w.row.page.pk for w in found if w.row.page}
    every = page_rows(lens, traffic=traffic, judge=False).values()
    rest = [r for r in every if r.page and r.entries and r.page.pk not in known and not r.intended_exit]
    found, rest = found[:MOST_PAGES], rest[:MOST_PAGES]
    shown_pages = [r.page for r in (*(w.row for w in found), *rest) if r.page]
    return Worst(found, rest, _reasons(lens, shown_pages, now or datetime.now(UTC)))


def _worth_of_one(rule: ConversionRule, rows: Sequence[PageRow]) -> Decimal | None:
    """What a conversion brings on these pages; None where it has no value."""
    if not rule.has_value:
        return None
    return Decimal(each) if (each := worth_of_one(rows, rule)) else rule.value


def _reasons(lens: Lens, pages: Sequence[Page], now: datetime) -> dict[int, list[Reason]]:
    ids = [p.pk for p in pages]
    silent, dead, waited = _silent_forms(lens, ids, now), dead_links(lens.site, ids), waits(lens, ids)
    found: defaultdict[int, list[Reason]] = defaultdict(list)
    for page in pages:
        here = found[page.pk]
        if since := silent.get(page.pk):
            here.append(Reason("form_silent", since))
        if page.stopped_at:
            here.append(Reason("tag_stopped", page.stopped_at))
        if page.pk in dead:
            path, since = dead[page.pk]
            here.append(Reason("dead_link", since, path))
        if (wait := waited.get(page.pk)) and wait.slow:
            here.append(Reason("slow", None, wait=wait))
    return found


def _silent_forms(lens: Lens, pages: Sequence[int], now: datetime) -> dict[int, datetime]:
    """Pages with a form that has been sent, and should have been sent again by now; since when."""
    site = lens.site
    first = site.first_of_last(_FORMS_DAYS, now)
    sent = (
        Event.objects.in_counted_visits()
        .filter(in_array("page_id", pages), site=site, kind=Kind.FORM, time__gte=site.midnight(first))
        .values_list("page_id")
        .annotate(n=Count("id"), last=Max("time"))
    )
    views: defaultdict[int, list[tuple[date, int]]] = defaultdict(list)
    today = now.astimezone(site.zone).date()
    rows = TrafficDay.objects.filter(site=site).values_list("day", "page_id").annotate(Sum("views"))
    for day, page, n in of_days(
        TrafficDay, site.pk, first, today, "views of pages", lambda d: rows.filter(d)
    ):
        views[page].append((day, n))
    found = {}
    for page, n, last in sent:
        # The day of the last sending counts for before: what came after it on that day is not known apart.
        its_day = last.astimezone(site.zone).date()
        before = sum(v for day, v in views[page] if day <= its_day)
        since = sum(v for day, v in views[page] if day > its_day)
        if fallen_silent(n, before, since):
            found[page] = last
    return found
