"""Monthly budgets, and how this month stands against each."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db import IntegrityError, transaction
from django.db.models import Max, QuerySet, Sum

from clabo.core.money.pace import DAYS, Pace, pace
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site
from clabo.use.spend.models import Budget, SpendRow

MOST_BUDGETS = 100
# A source of which nothing has come for so long has ended; before that, its newest days are only not known yet.
ACTIVE_DAYS = 14
# With older figures nothing is said of this month.
STALE_DAYS = 5


@dataclass(frozen=True, slots=True)
class BudgetStanding:
    """A budget and its month. `pace` is None where nothing was ever spent; `stale`: the figures are too old to judge by."""

    budget: Budget
    pace: Pace | None
    stale: bool = False

    @property
    def says(self) -> str:
        """What is to be said of it: over, short, on_pace, too_early or stale."""
        return "stale" if self.stale else self.pace.standing if self.pace else "too_early"


def standings(site: Site, now: datetime) -> list[BudgetStanding]:
    """All budgets of the site, as of the moment."""
    today = now.astimezone(site.zone).date()
    budgets = Budget.objects.filter(site=site).order_by("source", "campaign")
    return [_standing(budget, today) for budget in budgets]


def _standing(budget: Budget, today: date) -> BudgetStanding:
    rows = _rows(budget.site, budget.source)
    # A campaign that has ended cost nothing since; days of a source that have not come yet are not known.
    last = rows.filter(day__lte=today).order_by().values("source").annotate(last=Max("day"))
    lasts = [row["last"] for row in last]
    if not lasts:
        return BudgetStanding(budget, None)
    active = [day for day in lasts if day > max(lasts) - timedelta(days=ACTIVE_DAYS)]
    through = min(active)
    # Of a day that is not over yet only a part is known.
    through = min(through, today - timedelta(days=1))
    first = through - timedelta(days=max(DAYS, through.day) - 1)
    of = rows.filter(campaign=budget.campaign) if budget.campaign else rows
    by_day = dict(
        of.filter(day__gte=first, day__lte=through).order_by().values_list("day").annotate(Sum("cost"))
    )
    days = [first + timedelta(days=n) for n in range((through - first).days + 1)]
    found = pace([float(by_day.get(day, 0)) for day in days], through, float(budget.amount), today)
    return BudgetStanding(budget, found, through < today - timedelta(days=STALE_DAYS))


def _rows(site: Site, source: str) -> QuerySet[SpendRow]:
    rows = SpendRow.objects.filter(site=site)
    return rows.filter(source=source) if source else rows


def choices(site: Site) -> list[tuple[str, str]]:
    """Sources and their campaigns that something was spent on, to choose from."""
    found = SpendRow.objects.filter(site=site).order_by("source", "campaign")
    return list(found.values_list("source", "campaign").distinct()[:500])


def save(
    site: Site, source: str, campaign: str, amount: Decimal, by: User | None, budget: Budget | None = None
) -> Budget:
    """Set a budget, or another amount; raises Problem where it is no amount, or there is one already."""
    if amount <= 0:
        raise Problem("A budget is more than 0.", "amount")
    if campaign and not source:
        raise Problem("Say which source the campaign is of.", "source")
    if budget is None:
        if Budget.objects.filter(site=site).count() >= MOST_BUDGETS:
            raise Problem(f"A site has up to {MOST_BUDGETS} budgets. Delete one first.", "source", 409)
        budget = Budget(site=site, source=source.strip(), campaign=campaign.strip(), made_by=by)
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
