"""What a plan may bring while it is written, and what is wrong with it."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from math import sqrt

from django.db.models import Count
from pyroaring import BitMap

from clabo.collect.events.models import Page
from clabo.core.evidence import Counts
from clabo.core.plans import (
    Facts,
    Finding,
    Outlook,
    Past,
    Practice,
    Shared,
    Weeks,
    Worth,
    checks,
    outlook,
    seen_so_often,
)
from clabo.core.plans.checks import SHOPS, TOO_OFTEN, PageState
from clabo.core.plans.outlook import LEAST_CLICKS
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.delivery.adapters.calling import Away, Declined
from clabo.use.links.queries import page_at
from clabo.use.plans import calls
from clabo.use.plans.calls import PlanCalls
from clabo.use.plans.content import Written, as_asked
from clabo.use.plans.models import AdPlan
from clabo.use.plans.people import PlanPeople, about, buyers_of, left_last

# Practice weeks: for ranges, and for a mean.
MANY, FEW = 39, 7
# The past that rates and values are taken from.
DAYS = 90


@dataclass(frozen=True, slots=True)
class LineReach:
    """People of a line, the identities of theirs that may be sent, and about how many the channel knows."""

    key: str
    people: int
    identities: int
    known: int


@dataclass(frozen=True, slots=True)
class Rested:
    """What the expected conversions of a creative rest on: clicks and conversions of campaigns that led to its page, or
    (`elsewhere`) to other pages of the site."""

    path: str
    campaigns: int
    clicks: int
    conversions: int
    elsewhere: bool


@dataclass(frozen=True, slots=True)
class Effect:
    """A plan as it would be. `outlook` is missing where nobody could be shown it, or the channel did not answer (`away`)."""

    lines: list[LineReach]
    people: int
    # Identities were counted on a part of them.
    rough: bool
    told: bool
    outlook: Outlook | None
    # People who see it 0, 1, 2 … times in the first week.
    often: list[float]
    findings: list[Finding]
    rests_on: list[Rested]
    away: str


def effect(written: Written, besides: int | None = None) -> Effect:
    """What a plan may bring in its first week; `besides`: the id that it is kept under, if it is."""
    site = written.site
    people = PlanPeople(site)
    reach = people.reach([line.audience for line in written.lines], written.left_out, written.channel)
    pages = [page_at(site, c.landing) for c in written.creatives]
    sizes = [about(n * reach.known) if reach.rough else round(n * reach.known) for n in reach.identities]
    weeks, away = _weeks(written, sizes)
    capless = _weeks(replace(written, cap=0), sizes, FEW)[0] if weeks and weeks.runs and written.cap else None
    lens = read_lens(site, f"{DAYS}d", conversion=written.aim.pk)
    past = [past_of(lens, page) for page in pages]
    found = None
    if weeks and weeks.runs and written.creatives:
        practice = [Practice(w.reached, w.shown, w.cost, tuple(w.clicks)) for w in weeks.runs]
        found = outlook(practice, past, worth_of(site, written.aim))
    if weeks:
        sizes = [
            n if line.seek else size for line, size, n in zip(written.lines, sizes, weeks.people, strict=True)
        ]
    new = sum(n for line, n in zip(written.lines, sizes, strict=True) if line.seek)
    facts = Facts(
        people=len(reach.everybody),
        new_people=new,
        cap=written.cap,
        daily_budget=float(written.daily_budget),
        highest_click=float(written.highest_click),
        category=written.aim.category,
        conversions=Conversion.objects.filter(rule=written.aim)[:1].count(),
        converted=people.converted(written.aim.pk, reach.everybody),
        buyers=_addable(buyers_of(site, written.aim.pk), written),
        pages=_pages(written, pages, people, reach.everybody),
        shared=[
            Shared(other.name, both, _addable(_only_audience(other), written))
            for other, both in people.shared(reach.everybody, besides)
        ],
        weeks=_as_weeks(weeks, capless, sum(sizes)),
        currency=site.currency,
        least_part=_least_part(written),
    )
    return Effect(
        [
            LineReach(line.key, len(here), identities, size)
            for line, here, identities, size in zip(
                written.lines, reach.lines, reach.identities, sizes, strict=True
            )
        ],
        len(reach.everybody),
        reach.rough,
        reach.told,
        found,
        seen_so_often([w.often for w in weeks.runs]) if weeks else [],
        checks(facts) if written.lines else [],
        _rested(written, past),
        away,
    )


def _least_part(written: Written) -> float | None:
    """The least that a line has a day, where each has its own."""
    shares = [line.share for line in written.lines]
    if written.sharing != AdPlan.Sharing.FIXED or len(shares) < 2 or not sum(shares):
        return None
    return round(float(written.daily_budget * min(shares) / sum(shares)), 2)


def _weeks(written: Written, sizes: list[int], runs: int = MANY) -> tuple[calls.Weeks | None, str]:
    """Practice weeks, or why there are none."""
    if written.missing():
        return None, ""
    today = datetime.now(UTC).date()
    # Who is left out is so already, of the site's own people; only of new people the channel has to know.
    lists = dict(written.channel.uses.values_list("audience", "key"))
    asked = as_asked(written, "forecast", today)
    asked["left_out"] = [str(lists[a.pk]) for a in written.left_out if a.pk in lists]
    try:
        return PlanCalls(written.channel).practise(asked, sizes, runs), ""
    except (Away, Declined) as error:
        return None, error.why


def _as_weeks(weeks: calls.Weeks | None, capless: calls.Weeks | None, known: int) -> Weeks | None:
    if weeks is None or not weeks.runs:
        return None
    runs = len(weeks.runs)
    reached = sum(w.reached for w in weeks.runs) / runs
    shown = sum(w.shown for w in weeks.runs) / runs
    return Weeks(
        known,
        reached,
        sum(w.cost for w in weeks.runs) / runs,
        _too_often(weeks),
        shown / reached if reached else 0.0,
        sum(any(w.clicks) for w in weeks.runs) < runs / 2,
        _too_often(capless) if capless else None,
    )


def _too_often(weeks: calls.Weeks) -> float:
    everybody = sum(sum(w.often) for w in weeks.runs)
    return sum(sum(w.often[TOO_OFTEN + 1 :]) for w in weeks.runs) / everybody if everybody else 0.0


def _only_audience(other: AdPlan) -> int | None:
    lines = list(other.lines.all())
    return lines[0].audience_id if len(lines) == 1 else None


def _addable(audience: int | None, written: Written) -> int | None:
    """An audience that could be left out as well; not where it is shown the plan, or is left out already."""
    used = {line.audience.pk for line in written.lines if line.audience} | {a.pk for a in written.left_out}
    return None if audience in used else audience


def _pages(
    written: Written, pages: list[Page | None], people: PlanPeople, everybody: BitMap
) -> list[tuple[str, PageState, int]]:
    found: dict[str, tuple[str, PageState, int]] = {}
    for creative, page in zip(written.creatives, pages, strict=True):
        if page is None:
            found[creative.landing] = (creative.landing, "unseen", 0)
        else:
            state: PageState = "stopped" if page.stopped_at else "fine"
            # A shop may lead back to what was refused.
            asked = written.aim.category not in SHOPS
            found[page.path] = (page.path, state, left_last(written.site, everybody, page) if asked else 0)
    return list(found.values())


def past_of(lens: Lens, page: Page | None) -> Past | None:
    """What campaigns brought that led to a page, in the lens's days; where that is little, to all pages; None: too little there, too."""
    if page is not None:
        found = _campaigns(lens, page)
        if found.whole.trials >= LEAST_CLICKS:
            return found
    found = _campaigns(lens, None)
    return found if found.whole.trials >= LEAST_CLICKS else None


def _campaigns(lens: Lens, page: Page | None) -> Past:
    visits = lens.visits().filter(channel="paid").order_by()
    credits = lens.credits().filter(rule=lens.rule, visit__channel="paid").order_by()
    if page is not None:
        visits, credits = visits.filter(entry_page=page), credits.filter(page=page)
    names = ("origin__source", "origin__campaign")
    clicks: dict[tuple[str, str], int] = {
        (source, campaign): n for source, campaign, n in visits.values_list(*names).annotate(n=Count("pk"))
    }
    came: defaultdict[tuple[str, str], int] = defaultdict(int)
    for source, campaign, n in credits.values_list(*names).annotate(n=Count("visit", distinct=True)):
        came[source, campaign] = n
    counts = tuple(Counts(min(came[key], n), n) for key, n in sorted(clicks.items()))
    return Past(counts, elsewhere=page is None)


def worth_of(site: Site, rule: ConversionRule) -> Worth | None:
    """What a conversion brought in the last days; where none did, what the rule says; None without a value."""
    since = datetime.now(UTC).astimezone(site.zone).date().toordinal() - DAYS
    recent = Conversion.objects.filter(
        rule=rule, day__gt=datetime.fromordinal(since).date(), value__isnull=False, currency="", beyond=False
    )
    values = [
        float(v) for v in recent.order_by("-time").values_list("value", flat=True)[:5000] if v is not None
    ]
    if len(values) > 1:
        mean = sum(values) / len(values)
        return Worth(mean, sqrt(sum((v - mean) ** 2 for v in values) / (len(values) - 1)))
    fixed = values[0] if values else rule.value
    return None if fixed is None else Worth(float(fixed or Decimal(0)))


def _rested(written: Written, past: list[Past | None]) -> list[Rested]:
    found = []
    for creative, of in zip(written.creatives, past, strict=True):
        if of is not None:
            whole, path = of.whole, page_path(written.site, creative.landing)
            one = Rested(path, len(of.campaigns), whole.trials, whole.conversions, of.elsewhere)
            if one not in found:
                found.append(one)
    return found


def page_path(site: Site, landing: str) -> str:
    """A page as it is written on the site's own pages: its path, and its host only where it is another's."""
    page = page_at(site, landing)
    return page.path if page else landing
