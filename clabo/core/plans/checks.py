"""What is wrong with a plan before it starts, each with what to do about it; and what is right, where that was in doubt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil
from typing import Literal

from clabo.core.message import Message, message

Weight = Literal["stops", "doubt", "fine"]
PageState = Literal["fine", "unseen", "stopped"]
# What can be done about it with one click, and on what: an audience, or a page.
Remedy = Literal["", "leave_out", "cap", "budget", "highest_click"]

FEWEST_PEOPLE = 100
# A cap that is proposed, and so often is too often.
USUAL_CAP, TOO_OFTEN = 3, 5
# Of the people, this share seeing it too often is to be said; and of the budget, this share not being spent.
WORN_OUT, UNSPENT = 0.02, 0.5
# Of the people, so many having just left the page is most of them.
REFUSED = 0.5
# Of the people, this share being in another plan, or having converted, is worth a word.
IN_BOTH = 0.02
SHOPS = frozenset({"purchase"})


@dataclass(frozen=True, slots=True)
class Shared:
    """Another plan that runs, and how many of this one's people it is shown to as well; an audience of that plan has them."""

    plan: str
    people: int
    audience: int | None


@dataclass(frozen=True, slots=True)
class Weeks:
    """Of the practice weeks: people the network knows, reached, and spent, on average; and the share who see it more than
    TOO_OFTEN times in a week, as it is, and without a cap (`uncapped`; None: not tried). `outbid`: hardly a week has a click.
    """

    known: int
    reached: float
    cost: float
    often: float
    times_each: float
    outbid: bool = False
    uncapped: float | None = None


@dataclass(frozen=True, slots=True)
class Facts:
    """What a plan is held against. People are the site's own, of all its audiences; new people are apart."""

    people: int
    new_people: int
    cap: int
    daily_budget: float
    highest_click: float
    category: str
    conversions: int
    # Of `people`, how many have converted and are not left out, and an audience of exactly such people.
    converted: int
    buyers: int | None
    # Pages that the creatives lead to: the path, its state, and how many of `people` saw it last and left.
    pages: Sequence[tuple[str, PageState, int]]
    shared: Sequence[Shared]
    weeks: Weeks | None
    currency: str = ""
    # The least that a line has of the day's budget, where each has its own.
    least_part: float | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """One sentence about a plan, what it rests on, and what can be done at once."""

    weight: Weight
    says: Message
    because: Message
    remedy: Remedy = ""
    on: float | None = None


def checks(facts: Facts) -> list[Finding]:
    """What is to be said of a plan, what stops it first.

    Examples
    --------
    >>> facts = Facts(40, 0, 0, 15.0, 0.9, "lead", 12, 0, None, [("/guide", "fine", 0)], [], None)
    >>> [f.says.code for f in checks(facts)]
    ['plan_too_few', 'plan_no_cap']
    """
    found = [*_aim(facts), *_people(facts), *_money(facts), *_often(facts), *_others(facts)]
    order: list[Weight] = ["stops", "doubt", "fine"]
    return sorted(found, key=lambda f: order.index(f.weight))


def _aim(facts: Facts) -> list[Finding]:
    found = []
    if not facts.conversions:
        found.append(Finding("stops", message("plan_aim_never"), message("plan_aim_never_because")))
    for path, state, left in facts.pages:
        if state == "stopped":
            found.append(
                Finding(
                    "stops", message("plan_page_stopped", path=path), message("plan_page_stopped_because")
                )
            )
        elif state == "unseen":
            found.append(
                Finding("stops", message("plan_page_unseen", path=path), message("plan_page_unseen_because"))
            )
        if facts.category not in SHOPS and facts.people and left > REFUSED * facts.people:
            because = message("plan_refused_because", left=left, people=facts.people, path=path)
            found.append(Finding("doubt", message("plan_refused"), because))
    return found


def _people(facts: Facts) -> list[Finding]:
    everybody = facts.people + facts.new_people
    if everybody < FEWEST_PEOPLE:
        because = message("plan_too_few_because", people=everybody, least=FEWEST_PEOPLE)
        return [Finding("stops", message("plan_too_few"), because)]
    if facts.weeks and facts.weeks.known < FEWEST_PEOPLE:
        because = message("plan_few_known_because", known=facts.weeks.known, least=FEWEST_PEOPLE)
        return [Finding("stops", message("plan_too_few"), because)]
    if facts.converted > IN_BOTH * facts.people:
        because = message("plan_converted_because", converted=facts.converted, people=facts.people)
        return [
            Finding(
                "doubt", message("plan_converted"), because, "leave_out" if facts.buyers else "", facts.buyers
            )
        ]
    return []


def _money(facts: Facts) -> list[Finding]:
    weeks = facts.weeks
    if facts.daily_budget < facts.highest_click:
        because = message(
            "plan_one_click_because",
            budget=facts.daily_budget,
            currency=facts.currency,
            click=facts.highest_click,
        )
        return [
            Finding("stops", message("plan_one_click"), because, "budget", round(10 * facts.highest_click, 2))
        ]
    if facts.least_part is not None and facts.least_part < facts.highest_click:
        because = message(
            "plan_part_one_click_because",
            part=facts.least_part,
            currency=facts.currency,
            click=facts.highest_click,
        )
        enough = facts.daily_budget * 2 * facts.highest_click / max(facts.least_part, 1e-9)
        return [Finding("doubt", message("plan_part_one_click"), because, "budget", float(ceil(enough)))]
    if weeks is None or min(weeks.known, facts.people + facts.new_people) < FEWEST_PEOPLE:
        return []
    if weeks.outbid:
        because = message("plan_outbid_because", click=facts.highest_click, currency=facts.currency)
        return [
            Finding(
                "doubt", message("plan_outbid"), because, "highest_click", round(2 * facts.highest_click, 2)
            )
        ]
    a_day = weeks.cost / 7
    if a_day < UNSPENT * facts.daily_budget:
        because = message(
            "plan_budget_idle_because",
            a_day=round(a_day, 2),
            budget=facts.daily_budget,
            currency=facts.currency,
            reached=round(weeks.reached),
            known=weeks.known,
            times=round(weeks.times_each, 1),
        )
        return [
            Finding("doubt", message("plan_budget_idle"), because, "budget", max(1.0, round(1.2 * a_day)))
        ]
    because = message(
        "plan_enough_because",
        budget=facts.daily_budget,
        currency=facts.currency,
        reached=round(weeks.reached),
        known=weeks.known,
        times=round(weeks.times_each, 1),
    )
    return [Finding("fine", message("plan_enough"), because)]


def _often(facts: Facts) -> list[Finding]:
    weeks = facts.weeks
    often = weeks.often if weeks else None
    if not facts.cap:
        because = (
            message("plan_no_cap_because", one_in=round(1 / often), often=TOO_OFTEN)
            if often and often >= WORN_OUT / 10
            else message("plan_no_cap_unsaid")
        )
        return [Finding("doubt", message("plan_no_cap"), because, "cap", USUAL_CAP)]
    if often is None:
        return []
    if often > WORN_OUT:
        because = message(
            "plan_worn_out_because", one_in=max(1, round(1 / often)), often=TOO_OFTEN, cap=facts.cap
        )
        return [Finding("doubt", message("plan_worn_out"), because, "cap", USUAL_CAP)]
    uncapped = weeks.uncapped if weeks else None
    because = (
        message("plan_capped_because", often=TOO_OFTEN, cap=facts.cap, one_in=max(1, round(1 / uncapped)))
        if uncapped and uncapped > WORN_OUT
        else message("plan_not_worn_out_because", often=TOO_OFTEN, cap=facts.cap)
    )
    return [Finding("fine", message("plan_not_worn_out"), because)]


def _others(facts: Facts) -> list[Finding]:
    found = []
    for other in facts.shared:
        if other.people > IN_BOTH * facts.people:
            says = message("plan_outbids", plan=other.plan)
            because = message("plan_outbids_because", people=other.people)
            found.append(
                Finding("doubt", says, because, "leave_out" if other.audience else "", other.audience)
            )
    return found
