"""Which conversion each landing page is there for, and the pages judged by it (definitions: "A page's own goal")."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Count

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Page
from clabo.core.pages.findings import KINDS, Finding, findings, strongest
from clabo.core.pages.own_goal import own_goal
from clabo.judge.reports.models import PageGoal
from clabo.judge.reports.pages.table import MOST_PAGES, PageRow, judged, page_rows, traffic_under
from clabo.judge.reports.today.standing import key_of
from clabo.platform.problems import missing
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import ConversionRule, Credit
from clabo.setup.conversions.queries import rule_of, rules_of
from clabo.setup.sites.models import Site


@dataclass(frozen=True, slots=True)
class Goal:
    """A page's own goal, and whether somebody has said so."""

    rule: ConversionRule
    by_hand: bool


def goals_of(lens: Lens, the_rules: Sequence[ConversionRule]) -> dict[int, Goal]:
    """The own goals of the pages that were entered under the lens, by page; pages without one are missing."""
    by_id = {r.pk: r for r in the_rules}
    led: defaultdict[int, dict[int, int]] = defaultdict(dict)
    credits = lens.credits(days=False).filter(rule__in=the_rules).exclude(page=None)
    what = lens.sight and (lens.sight, "goals", tuple(r.pk for r in the_rules))
    for _, page_id, rule_id, visits in of_days(
        Credit,
        lens.site.pk,
        lens.first,
        lens.last,
        what,
        lambda days: (
            credits.filter(days)
            .values_list("day", "page_id", "rule_id")
            .annotate(Count("visit_id", distinct=True))
        ),
    ):
        # A visit has one day.
        led[page_id][rule_id] = led[page_id].get(rule_id, 0) + visits
    found: dict[int, Goal] = {}
    for page_id, visits_by_rule in led.items():
        if (named := own_goal(visits_by_rule)) is not None:
            found[page_id] = Goal(by_id[named], False)
    for page_id, rule_id in PageGoal.objects.filter(site=lens.site, rule__in=the_rules).values_list(
        "page_id", "rule_id"
    ):
        found[page_id] = Goal(by_id[rule_id], True)
    return found


def set_goal(site: Site, page_id: int, rule_id: int | None) -> None:
    """Say what a page is there for; with None its visits say it. Raises Problem."""
    page = Page.objects.filter(site=site, pk=page_id).first()
    if page is None:
        raise missing("page")
    if rule_id is None:
        PageGoal.objects.filter(page=page).delete()
        return
    rule = rule_of(site, rule_id)
    if rule.deleted_at:
        raise missing("conversion")
    PageGoal.objects.update_or_create(page=page, defaults={"site": site, "rule": rule})


@dataclass(frozen=True, slots=True)
class OwnFinding:
    """A finding about a page, the conversion that it is judged by, and the rate of all pages with that goal."""

    finding: Finding
    row: PageRow
    rule: ConversionRule
    together: float
    # The page is there for this conversion; otherwise it has no goal of its own, and the lens's stands in.
    own: bool

    @property
    def key(self) -> str:
        """What it is known by."""
        return key_of(self.finding.kind, self.rule.pk, self.row.page.pk if self.row.page else 0)


@dataclass(frozen=True, slots=True)
class OwnFindings:
    """Those to be shown, at most one of each kind; and the keys of all that hold."""

    shown: list[OwnFinding]
    holding: set[str]


def own_findings(lens: Lens, said: Collection[str] = ()) -> OwnFindings:
    """What stands out among the pages, each judged by its own goal and beside pages with the same.

    A page without a goal of its own is judged by the lens's conversion, and for its money only. `said`: the keys of
    what was said before.
    """
    the_rules = rules_of(lens.site)
    goals = goals_of(lens, the_rules)
    groups: defaultdict[int, set[int]] = defaultdict(set)
    for page_id, goal in goals.items():
        groups[goal.rule.pk].add(page_id)
    traffic = traffic_under(lens)
    apart: list[tuple[list[PageRow], ConversionRule, bool]] = []
    for rule in the_rules:
        is_lens = lens.rule is not None and rule.pk == lens.rule.pk
        if not groups[rule.pk] and not is_lens:
            continue
        apart.append((_shown(page_rows(lens.counting(rule), groups[rule.pk], traffic=traffic)), rule, True))
        if is_lens:
            others = _shown(page_rows(lens, traffic=traffic))
            apart.append(([r for r in others if r.page and r.page.pk not in goals], rule, False))
    among = sum(len(rows) for rows, _, _ in apart)
    found: list[OwnFinding] = []
    holding: set[str] = set()
    for rows, rule, own in apart:
        keys = {
            (kind, place): key_of(kind, rule.pk, r.page.pk)
            for place, r in enumerate(rows)
            if r.page
            for kind in KINDS
        }
        before = [which for which, key in keys.items() if key in said]
        told = findings([judged(r) for r in rows], lens.site.margin, among, before)
        holding |= {keys[which] for which in told.holding}
        found += [
            OwnFinding(f, rows[f.place], rule, told.together, own)
            for f in told.found
            if own or f.kind != "converts_badly"
        ]
    best = strongest([f.finding for f in found])
    return OwnFindings([next(f for f in found if f.finding is b) for b in best], holding)


def _shown(rows: Mapping[int | None, PageRow]) -> list[PageRow]:
    return [r for r in rows.values() if r.page][:MOST_PAGES]
