"""Conditions read out, and why one is not met: `reading` and `miss_…`."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any, TypeVar

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop, ngettext

from clabo.core.rules import CONDITIONS, Condition, Kind, Match, PropertyTest
from clabo.core.rules.conditions.click import Clicked
from clabo.core.rules.conditions.event import CodeEvent
from clabo.core.rules.conditions.form import FormSubmitted
from clabo.core.rules.conditions.message import FrameMessage
from clabo.core.rules.conditions.on import OnPage
from clabo.core.rules.conditions.outcome import OutcomeReached
from clabo.core.rules.conditions.page import PageReached
from clabo.core.rules.conditions.parameter import Parameter
from clabo.core.rules.conditions.sale import SaleReported
from clabo.core.rules.conditions.scroll import Scrolled
from clabo.core.rules.conditions.seen import PagesSeen
from clabo.core.rules.conditions.shown import ElementShown
from clabo.core.rules.conditions.stay import Stayed
from clabo.core.rules.conditions.step import BridgeStep
from clabo.platform.wording.words import texts, words_for

C = TypeVar("C", bound=Condition)
_readings: dict[type[Condition], Callable[[Any], str]] = {}

KINDS: dict[Kind, str] = {
    "view": gettext_noop("a page view"),
    "mark": gettext_noop("an event from code"),
    "note": gettext_noop("a note on the set-up"),
    "form": gettext_noop("a form that was sent"),
    "tried": gettext_noop("a form whose sending did not visibly succeed"),
    "click": gettext_noop("a click"),
    "message": gettext_noop("a message from a frame"),
    "shown": gettext_noop("an element that appeared"),
    "stay": gettext_noop("time spent on a page"),
    "scroll": gettext_noop("scrolling"),
    "step": gettext_noop("a step over a bridge link"),
    "sale": gettext_noop("a sale reported for a bridge link"),
    "begun": gettext_noop("a form that somebody has begun to fill in"),
    "left": gettext_noop("a form that was left"),
    "loaded": gettext_noop("how long a page took to load"),
    "outcome": gettext_noop("an outcome reported afterwards"),
}
MATCHES: dict[Match, str] = {
    "equals": gettext_noop("is"),
    "begins": gettext_noop("begins with"),
    "contains": gettext_noop("contains"),
    "pattern": gettext_noop("fits the pattern"),
}
COMPARISONS = {
    "is": gettext_noop("is"),
    "is_not": gettext_noop("is not"),
    "contains": gettext_noop("contains"),
    "at_least": gettext_noop("is at least"),
    "at_most": gettext_noop("is at most"),
    "above": gettext_noop("is above"),
    "below": gettext_noop("is below"),
}
CLICKS = {
    "": gettext_noop("something"),
    "outbound": gettext_noop("a link to another site"),
    "phone": gettext_noop("a phone number"),
    "mail": gettext_noop("an e-mail address"),
    "file": gettext_noop("a file"),
    "link": gettext_noop("a link"),
    "button": gettext_noop("a button"),
}


def reads(condition: type[C]) -> Callable[[Callable[[C], str]], Callable[[C], str]]:
    """Register the words for a kind of condition."""

    def register(reading: Callable[[C], str]) -> Callable[[C], str]:
        _readings[condition] = reading
        return reading

    return register


def has_words(condition: type[Condition]) -> bool:
    """Whether somebody has worded this kind of condition."""
    return condition in _readings


def reading(condition: Condition) -> str:
    """The condition in plain English; one that nobody has worded yet, by its name and what it asks for."""
    worded = _readings.get(type(condition))
    return (
        worded(condition) if worded else f"{condition.key} {json.dumps(condition.json(), ensure_ascii=False)}"
    )


def _and(parts: list[str]) -> str:
    return _(" and ").join(p for p in parts if p)


def comparison(test: PropertyTest) -> str:
    """A comparison of a property."""
    value = f"{test.value:.15g}" if isinstance(test.value, float) else str(test.value)
    return f"{test.property} {_(COMPARISONS[test.comparison])} {value}"


@reads(PageReached)
def _page(c: PageReached) -> str:
    return _("a page is reached whose address {how} {value}").format(how=_(MATCHES[c.match]), value=c.value)


@reads(OnPage)
def _on(c: OnPage) -> str:
    return _("it happens on a page whose address {how} {value}").format(
        how=_(MATCHES[c.match]), value=c.value
    )


@reads(Parameter)
def _parameter(c: Parameter) -> str:
    if c.value:
        return _("the address has the parameter {name} with the value {value}").format(
            name=c.name, value=c.value
        )
    return _("the address has the parameter {name}").format(name=c.name)


@reads(FormSubmitted)
def _form(c: FormSubmitted) -> str:
    form = the_form(c)
    if c.stage == "begun":
        return _("somebody begins to fill in {form}").format(form=form)
    if c.stage == "tried":
        return _("somebody tries to send {form}").format(form=form)
    return _("{form} is sent").format(form=form)


def the_form(c: FormSubmitted) -> str:
    """Which form is meant."""
    parts = [f"{part} {value}" for part in ("id", "name") if (value := getattr(c, part))]
    if c.action:
        parts.append(_("an action with {action}").format(action=c.action))
    if c.field:
        parts.append(_("a field {field}").format(field=c.field))
    return _("a form with {parts}").format(parts=_and(parts)) if parts else _("any form")


@reads(ElementShown)
def _shown(c: ElementShown) -> str:
    fits = _("fits {selector}").format(selector=c.selector) if c.selector else ""
    says = _("says “{text}”").format(text=c.text) if c.text else ""
    return _("an element appears that {parts}").format(parts=_and([fits, says]))


@reads(FrameMessage)
def _message(c: FrameMessage) -> str:
    return _("a frame from {origin} posts a message whose {at} is {value}").format(
        origin=c.origin, at=c.at, value=c.value
    )


@reads(Clicked)
def _click(c: Clicked) -> str:
    what = _(CLICKS[c.what])
    more = _and(
        [
            _("that says “{text}”").format(text=c.text) if c.text else "",
            _("that leads to {to}").format(to=c.to) if c.to else "",
            _("that fits {selector}").format(selector=c.selector) if c.selector else "",
        ]
    )
    return _("{what} is clicked").format(what=f"{what} {more}" if more else what)


@reads(CodeEvent)
def _event(c: CodeEvent) -> str:
    said = _("the site’s code says {name}").format(name=c.name)
    return _and([said, *map(comparison, c.where)])


@reads(PagesSeen)
def _seen(c: PagesSeen) -> str:
    return ngettext(
        "the visit has seen {n} page or more", "the visit has seen {n} pages or more", c.least
    ).format(n=c.least)


@reads(Stayed)
def _stay(c: Stayed) -> str:
    return ngettext(
        "a page has been looked at for {n} second or more",
        "a page has been looked at for {n} seconds or more",
        c.least,
    ).format(n=c.least)


@reads(Scrolled)
def _scroll(c: Scrolled) -> str:
    return _("a page has been scrolled through to {n} percent or more").format(n=c.least)


@reads(BridgeStep)
def _step(c: BridgeStep) -> str:
    if c.link:
        return _("somebody follows the bridge link {link}").format(link=c.link)
    return _("any bridge link is followed")


@reads(SaleReported)
def _sale(c: SaleReported) -> str:
    of = _("the bridge link {link}").format(link=c.link) if c.link else _("any bridge link")
    return _("a sale is reported for {of}").format(of=of)


@reads(OutcomeReached)
def _outcome(c: OutcomeReached) -> str:
    if c.stage:
        return _("a lead or order is reported as {stage}").format(stage=c.stage.replace("_", " "))
    return _("any outcome of a lead or order is reported")


# -- why not -----------------------------------------------------------------------------------------


@words_for("miss_kind")
def _miss_kind(has: Kind, asked: Kind) -> str:
    return _("this is {has}, this asks for {asked}").format(has=_(KINDS[has]), asked=_(KINDS[asked]))


@words_for("miss_address")
def _miss_address(has: str, match: Match, value: str) -> str:
    return _("the address is {has}, this asks for one that {how} {value}").format(
        has=has, how=_(MATCHES[match]), value=value
    )


@words_for("miss_parameter")
def _miss_parameter(name: str, value: str) -> str:
    return _("the address has no parameter {asked}").format(asked=f"{name}={value}" if value else name)


def _other(what: str, has: object, asked: object) -> str:
    return _("{what} is {has}, this asks for {asked}").format(
        what=what, has=has or _("not given"), asked=asked
    )


@words_for("miss_form")
def _miss_form(part: str, has: object, asked: str) -> str:
    return _other(_("the form’s {part}").format(part=part), has, asked)


@words_for("miss_form_action")
def _miss_form_action(has: object, asked: str) -> str:
    return _("the form’s action is {has}, this asks for one with {asked}").format(
        has=has or _("not given"), asked=asked
    )


@words_for("miss_shown")
def _miss_shown(part: str, has: object, asked: str) -> str:
    return _other(_("the {part} looked for").format(part=part), has, asked or _("none"))


@words_for("miss_origin")
def _miss_origin(has: object, asked: str) -> str:
    return _other(_("the message’s origin"), has, asked)


@words_for("miss_value")
def _miss_value(at: str, has: object, asked: str) -> str:
    return _other(_("the message’s {at}").format(at=at), has, asked)


@words_for("miss_click_what")
def _miss_click_what(has: str, asked: str) -> str:
    return _("the click was on {has}, this asks for {asked}").format(
        has=_(CLICKS.get(has, CLICKS[""])), asked=_(CLICKS[asked])
    )


@words_for("miss_click_to")
def _miss_click_to(has: object, asked: str) -> str:
    return _("it leads to {has}, this asks for {asked}").format(has=has or _("nowhere"), asked=asked)


@words_for("miss_event")
def _miss_event(has: str, asked: str) -> str:
    return _("the event is {has}, this asks for {asked}").format(has=has or _("without a name"), asked=asked)


@words_for("miss_property")
def _miss_property(has: object, test: Any) -> str:
    return _("{property} is {has}, this asks that {comparison}").format(
        property=test["property"],
        has=_("not given") if has is None else has,
        comparison=comparison(PropertyTest(**test)),
    )


@words_for("miss_properties")
def _miss_properties(tests: list[Any]) -> str:
    return _("its properties do not meet: {tests}").format(
        tests=", ".join(comparison(PropertyTest(**t)) for t in tests)
    )


texts(
    {
        "miss_form_field": gettext_noop("the form has no field {asked}"),
        "miss_key": gettext_noop("the message has no key {asked}"),
        "miss_click_text": gettext_noop("it says “{has}”, this asks for “{asked}”"),
        "miss_click_selector": gettext_noop("it does not fit {asked}"),
        "miss_link": gettext_noop("the link is {has}, this asks for {asked}"),
        "miss_stage": gettext_noop("the outcome is {has}, this asks for {asked}"),
        "miss_reached": gettext_noop("{has} {unit} so far, this asks for {asked}"),
        "miss_views": gettext_noop("the visit has seen {has} so far, this asks for {asked}"),
        "miss_one_page": gettext_noop("one page short of {asked}"),
        "miss_success": gettext_noop(
            "it was tried, and no success was seen: name the thank-you that appears"
        ),
    }
)


def without_words() -> list[str]:
    """Conditions that nobody has worded."""
    return [key for key, condition in CONDITIONS.items() if not has_words(condition)]
