"""What is wrong with a plan, and how one that runs is doing."""

from __future__ import annotations

from django.utils.translation import gettext
from django.utils.translation import gettext_noop as _

from clabo.platform.wording.words import texts, words_for

_SIGNS = {"EUR": "€", "USD": "$", "GBP": "£"}

texts(
    {
        "plan_aim_never": _("What it is for has never happened."),
        "plan_aim_never_because": _(
            "This conversion has not been counted once. Rehearse it under Live before money is spent on it."
        ),
        "plan_page_stopped": _("The tag on {path} has stopped."),
        "plan_page_stopped_because": _("Visits there would not be recorded. Mend it under Pixel first."),
        "plan_page_unseen": _("Nobody was ever seen on {path}."),
        "plan_page_unseen_because": _(
            "Open it once with the tag on it, or check under Pixel whether it is there."
        ),
        "plan_refused": _("Most of them have just refused this page."),
        "plan_refused_because": _(
            "{left:,} of {people:,} saw {path} last and left. Lead them elsewhere, or make another offer."
        ),
        "plan_too_few": _("Too few people."),
        "plan_too_few_because": _(
            "{people:,} people are left; with fewer than {least} neither money nor numbers come together. Take a longer lookback, or another audience."
        ),
        "plan_few_known_because": _(
            "The network knows {known:,} of them; with fewer than {least} neither money nor numbers come together. Add an audience, or new people."
        ),
        "plan_converted": _("Some of them have done it already."),
        "plan_converted_because": _("{converted:,} of {people:,} have converted and are not left out."),
        "plan_one_click": _("The day’s budget does not pay for one click."),
        "plan_part_one_click": _("One of its audiences has too little to pay for a click."),
        "plan_outbid": _("Others would bid more."),
        "plan_budget_idle": _("There is more money than people."),
        "plan_enough": _("Enough people for the money."),
        "plan_no_cap": _("Nothing keeps one person from seeing it far too often."),
        "plan_no_cap_unsaid": _("Set how often one person sees it in a week."),
        "plan_worn_out": _("Some would see it too often."),
        "plan_not_worn_out": _("Nobody is worn out."),
        "plan_not_worn_out_because": _(
            "With at most {cap} times a week hardly anybody sees it more than {often} times."
        ),
        "plan_outbids": _("It outbids your own plan “{plan}”."),
        "plan_outbids_because": _("{people:,} people are in both."),
        "plan_audience_gone": _(
            "The audience “{audience}” has been deleted: nobody of it is shown this any more. Bring it back, or say whom the plan is for."
        ),
        "plan_tired": _(
            "Ad fatigue: a frequency of {times}, and a CTR of {now} % now, {then} % at first. Show something new, or end it."
        ),
        "plan_pays": _("It pays: ROAS is {low}× at least, and break-even {even}×."),
        "plan_loses": _("It loses money: ROAS is {high}× at most, and break-even {even}×."),
    }
)


def money(amount: float, currency: str) -> str:
    """An amount with its currency: whole where it is whole.

    >>> money(15.0, "EUR"), money(0.9, "EUR"), money(1234.5, "CHF")
    ('€15', '€0.90', 'CHF 1,234.50')
    """
    number = f"{amount:,.0f}" if amount == int(amount) else f"{amount:,.2f}"
    return f"{_SIGNS[currency]}{number}" if currency in _SIGNS else f"{currency} {number}".strip()


@words_for("plan_one_click_because")
def _one_click(budget: float, click: float, currency: str) -> str:
    said = gettext("{budget} a day, and a click costs up to {click}.")
    return said.format(budget=money(budget, currency), click=money(click, currency))


@words_for("plan_part_one_click_because")
def _part_one_click(part: float, click: float, currency: str) -> str:
    said = gettext(
        "Of the day’s budget the least is {part}, and a click costs up to {click}. Shared, it would have what the others leave."
    )
    return said.format(part=money(part, currency), click=money(click, currency))


@words_for("plan_outbid_because")
def _outbid(click: float, currency: str) -> str:
    said = gettext("At {click} a click at most, hardly a practice week brought one.")
    return said.format(click=money(click, currency))


@words_for("plan_budget_idle_because")
def _idle(a_day: float, budget: float, currency: str, reached: int, known: int, times: float) -> str:
    said = gettext(
        "Of {budget} a day about {a_day} would be spent, on {reached:,} of the {known:,} whom the network knows, each {times} times a week."
    )
    return said.format(
        budget=money(budget, currency),
        a_day=money(a_day, currency),
        reached=reached,
        known=known,
        times=times,
    )


@words_for("plan_enough_because")
def _enough(budget: float, currency: str, reached: int, known: int, times: float) -> str:
    said = gettext("{budget} a day reaches about {reached:,} of {known:,} in a week, each {times} times.")
    return said.format(budget=money(budget, currency), reached=reached, known=known, times=times)


@words_for("plan_idle_outbid")
def _idle_outbid(a_day: float, budget: float, currency: str, percent: int) -> str:
    said = gettext(
        "It does not spend: {a_day} of {budget} a day. Others bid more at {percent} % of its chances. Raise the highest bid."
    )
    return said.format(a_day=money(a_day, currency), budget=money(budget, currency), percent=percent)


@words_for("plan_idle_capped")
def _idle_capped(a_day: float, budget: float, currency: str, percent: int) -> str:
    said = gettext(
        "It does not spend: {a_day} of {budget} a day. At {percent} % of its chances people had seen it as often as the cap lets them. Add people, or lower the budget."
    )
    return said.format(a_day=money(a_day, currency), budget=money(budget, currency), percent=percent)


@words_for("plan_idle_few")
def _idle_few(a_day: float, budget: float, currency: str, people: int) -> str:
    said = gettext(
        "It does not spend: {a_day} of {budget} a day. The network knows {people:,} of its people, and that is too few for the money. Add people, or lower the budget."
    )
    return said.format(a_day=money(a_day, currency), budget=money(budget, currency), people=people)


@words_for("plan_spends_all")
def _spends_all(budget: float, currency: str) -> str:
    said = gettext("It spends all of its {budget} a day. Whether more would pay cannot be told yet.")
    return said.format(budget=money(budget, currency))


@words_for("plan_raise")
def _raise(budget: float, currency: str, low: float, even: float) -> str:
    said = gettext(
        "It spends all of its {budget} a day, and ROAS is at least {low}× with break-even at {even}×: raise the budget."
    )
    return said.format(budget=money(budget, currency), low=low, even=even)


def says_moved(
    what: str, source: tuple[float, int], target: tuple[float, int], chance: float, currency: str
) -> str:
    """On what evidence something was moved; each side's effort (money, or thousands of times shown) and conversions."""

    def side(effort: float, conversions: int) -> str:
        if what == "line":
            return gettext("{n} for {cost}").format(n=conversions, cost=money(round(effort, 2), currency))
        return gettext("{n} of {shown:,.0f} times shown").format(n=conversions, shown=1000 * effort)

    said = gettext("The one brought {better}, the other {worse}: better with {percent} % certainty.")
    return said.format(better=side(*target), worse=side(*source), percent=int(100 * chance))


def _of_them(one_in: int) -> str:
    return gettext("most of them") if one_in < 2 else gettext("about 1 of {n}").format(n=one_in)


@words_for("plan_no_cap_because")
def _no_cap(one_in: int, often: int) -> str:
    said = gettext("Without a cap {these} would see it more than {often} times in a week.")
    return said.format(these=_of_them(one_in), often=often)


@words_for("plan_worn_out_because")
def _worn_out(one_in: int, often: int, cap: int) -> str:
    said = gettext("With {cap} times a week {these} would see it more than {often} times in a week.")
    return said.format(cap=cap, these=_of_them(one_in), often=often)


@words_for("plan_capped_because")
def _capped(one_in: int, often: int, cap: int) -> str:
    said = gettext(
        "With at most {cap} times a week hardly anybody sees it more than {often} times; without it {these} would."
    )
    return said.format(cap=cap, these=_of_them(one_in), often=often)
