"""Monthly budgets, and how this month stands against each."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db import IntegrityError, transaction
from django.db.models import Sum

from clabo.core.money.pace import DAYS, Pace, pace
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site
from clabo.use.spend.models import Budget, SpendRow

MOST_BUDGETS = 100
MOST_CHOICES = 500
# A source that is so many days behind the others has ended; before that, its newest days are only not known yet.
ACTIVE_DAYS = 8
# With older figures nothing is said of this month.
STALE_DAYS = 5
# So far back spend is read: what the forecast uses, and as much again as figures may be late.
_BACK = 2 * DAYS


@dataclass(frozen=True, slots=True)
class BudgetStanding:
    """A budget and its month. `pace` is None where nothing was spent lately; `stale`: the figures are too old to judge by."""

    budget: Budget
    pace: Pace | None
    stale: bool = False

    @property
    def says(self) -> str:
        """What is to be said of it: over, short, on_pace, too_early or stale."""
        return "stale" if self.stale else self.pace.standing if self.pace else "too_early"


def standings(site: Site, now: datetime) -> list[BudgetStanding]:
    """All budgets of the site, as of the moment. Names are those of its spend in whatever case, as where cost is joined."""
    budgets = list(Budget.objects.filter(site=site).order_by("source", "campaign"))
    if not budgets:
        return []
    today = now.astimezone(site.zone).date()
    # Of a day that is not over yet only a part is known.
    spent = _spent(site, today - timedelta(days=_BACK), today - timedelta(days=1))
    return [_standing(budget, spent, today) for budget in budgets]


# By source and campaign in small letters: what each day cost.
Spent = Mapping[tuple[str, str], Mapping[date, float]]


def _spent(site: Site, first: date, last: date) -> Spent:
    found: defaultdict[tuple[str, str], defaultdict[date, float]] = defaultdict(lambda: defaultdict(float))
    rows = SpendRow.objects.filter(site=site, day__gte=first, day__lte=last).order_by()
    for source, campaign, day, cost in rows.values_list("source", "campaign", "day").annotate(Sum("cost")):
        found[source.lower(), campaign.lower()][day] += float(cost)
    return found


def _standing(budget: Budget, spent: Spent, today: date) -> BudgetStanding:
    source, campaign = budget.source.lower(), budget.campaign.lower()
    of_source = {key: days for key, days in spent.items() if source in ("", key[0])}
    # A campaign that has ended cost nothing since; days of a source that have not come yet are not known.
    lasts: dict[str, date] = {}
    for (name, _), days in of_source.items():
        lasts[name] = max(lasts.get(name, date.min), *days)
    if not lasts:
        return BudgetStanding(budget, None)
    newest = max(lasts.values())
    through = min(day for day in lasts.values() if day > newest - timedelta(days=ACTIVE_DAYS))
    mine = [days for (_, name), days in of_source.items() if campaign in ("", name)]
    back = [through - timedelta(days=n) for n in range(DAYS - 1, -1, -1)]
    costs = [sum(days.get(day, 0.0) for days in mine) for day in back]
    found = pace(costs, through, float(budget.amount), today)
    return BudgetStanding(budget, found, through < today - timedelta(days=STALE_DAYS))


def choices(site: Site) -> list[tuple[str, str]]:
    """Sources and their campaigns that something was spent on, to choose from; each once, in whatever case."""
    rows = SpendRow.objects.filter(site=site).order_by("source", "campaign")
    found = {(s.lower(), c.lower()): (s, c) for s, c in rows.values_list("source", "campaign").distinct()}
    return list(found.values())[:MOST_CHOICES]


def save(
    site: Site, source: str, campaign: str, amount: Decimal, by: User | None, budget: Budget | None = None
) -> Budget:
    """Set a budget, or another amount; raises Problem where it is no amount, or there is one already."""
    if amount <= 0:
        raise Problem("A budget is more than 0.", "amount")
    if campaign and not source:
        raise Problem("Say which source the campaign is of.", "source")
    if budget is None:
        source, campaign = source.strip(), campaign.strip()
        same = Budget.objects.filter(site=site, source__iexact=source, campaign__iexact=campaign)
        if same.exists():
            raise Problem("There is a budget for this already. Change its amount instead.", "source", 409)
        if Budget.objects.filter(site=site).count() >= MOST_BUDGETS:
            raise Problem(f"A site has up to {MOST_BUDGETS} budgets. Delete one first.", "source", 409)
        budget = Budget(site=site, source=source, campaign=campaign, made_by=by)
    budget.amount = amount
    try:
        with transaction.atomic():
            budget.save()
    except IntegrityError:
        raise Problem(
            "There is a budget for this already. Change its amount instead.", "source", 409
        ) from None
    return budget


def budget_of(site: Site, budget_id: int) -> Budget:
    """One of the site's; raises Problem where there is none."""
    found = Budget.objects.filter(site=site, pk=budget_id).first()
    if found is None:
        raise missing("budget")
    return found


def delete(budget: Budget, now: datetime) -> None:
    """Delete it; it can be restored for 30 days."""
    Budget.objects.filter(pk=budget.pk).update(deleted_at=now)
