"""Definitions of audiences read out, why somebody is in or not, and advice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import singledispatch

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop, ngettext, pgettext

from clabo.core.audiences import (
    LONGEST,
    All,
    Any,
    Came,
    Converted,
    Definition,
    Happened,
    InAudience,
    InList,
    Node,
    OnDevice,
    Part,
    SawVariant,
    Sequence,
    Visited,
    What,
)
from clabo.core.audiences.predicates import Happening
from clabo.core.pages.traffic_source import Channel
from clabo.core.rules import AllOf, AnyOf, Rule
from clabo.core.rules.conditions.click import Clicked
from clabo.core.rules.conditions.event import CodeEvent
from clabo.core.rules.conditions.form import FormSubmitted
from clabo.core.rules.conditions.page import PageReached
from clabo.core.rules.conditions.seen import PagesSeen
from clabo.platform.wording.rules.conditions import MATCHES, comparison, the_form
from clabo.platform.wording.rules.language import sentence
from clabo.platform.wording.words import texts


@dataclass(frozen=True, slots=True)
class Names:
    """What a site calls its conversions, audiences, lists and split tests, by id."""

    conversions: Mapping[int, str]
    audiences: Mapping[int, str]
    lists: Mapping[int, str] = field(default_factory=dict)
    tests: Mapping[int, str] = field(default_factory=dict)


@singledispatch
def did(what: What, names: Names) -> str:
    """What somebody did, to stand after “who”."""
    raise NotImplementedError(type(what).__name__)


@did.register
def _did_happened(what: Happened, names: Names) -> str:
    return _happened(what.rule)


def _happened(rule: Rule) -> str:
    if isinstance(rule, AnyOf):
        if all(isinstance(part, PageReached) and part.match == "equals" for part in rule.parts):
            pages = [part.value for part in rule.parts if isinstance(part, PageReached)]
            return _("saw {page}").format(page=_(" or ").join(pages))
        return _(" or ").join(_happened(part) for part in rule.parts)
    if isinstance(rule, AllOf):
        return _("did at once: {rule}").format(rule=sentence(rule))
    if isinstance(rule, PageReached):
        if rule.match == "equals":
            return _("saw {page}").format(page=rule.value)
        return _("saw a page whose address {how} {value}").format(
            how=_(MATCHES[rule.match]), value=rule.value
        )
    if isinstance(rule, FormSubmitted):
        how = {"begun": _("began {form}"), "tried": _("tried to send {form}")}.get(
            rule.stage, _("sent {form}")
        )
        return how.format(form=the_form(rule))
    if isinstance(rule, CodeEvent):
        where = _(" and ").join(map(comparison, rule.where))
        said = _("made the event {name} with {where}") if where else _("made the event {name}")
        return said.format(name=rule.name, where=where)
    if isinstance(rule, PagesSeen):
        return ngettext("saw {n} page in a visit", "saw {n} pages in a visit", rule.least).format(
            n=rule.least
        )
    if isinstance(rule, Clicked) and rule.text:
        return _("clicked “{text}”").format(text=rule.text)
    return _("were there when {what}").format(what=sentence(rule))


@did.register
def _did_converted(what: Converted, names: Names) -> str:
    name = names.conversions.get(what.conversion, _("a deleted conversion"))
    return _("made the conversion {name}").format(name=name)


def briefly(what: What, names: Names) -> str:
    """The same in as few words as tell it apart, to stand after “to”."""
    if isinstance(what, Converted) and what.conversion in names.conversions:
        return names.conversions[what.conversion]
    if isinstance(what, Happened) and isinstance(what.rule, PageReached) and what.rule.match == "equals":
        return what.rule.value
    return did(what, names)


@did.register
def _did_came(what: Came, names: Names) -> str:
    asked = [
        (_("from {}"), what.channel and _(_channel(what.channel))),
        (_("from {}"), what.source),
        (_("by {}"), what.medium),
        (_("with the campaign {}"), what.campaign),
        (_("the ad group {}"), what.ad_group),
        (_("the ad {}"), what.ad),
        *((_("{name} {{}}").format(name=name), value) for name, value in what.sub_ids),
    ]
    return _("came {how}").format(how=", ".join(text.format(value) for text, value in asked if value))


CHANNELS: dict[Channel, str] = {
    "paid": gettext_noop("paid ads"),
    "search": gettext_noop("search"),
    "social": gettext_noop("social networks"),
    "email": gettext_noop("e-mail"),
    "affiliate": gettext_noop("affiliates"),
    "referral": gettext_noop("other sites"),
    "direct": gettext_noop("nowhere that is known"),
    "other": gettext_noop("elsewhere"),
}


def _channel(name: str) -> str:
    return next(words for channel, words in CHANNELS.items() if channel == name)


@did.register
def _did_ondevice(what: OnDevice, names: Names) -> str:
    devices = {"desktop": _("a desktop"), "phone": _("a phone"), "tablet": _("a tablet")}
    return _("came on {device}").format(device=devices[what.device])


@did.register
def _did_visited(what: Visited, names: Names) -> str:
    return {"any": _("came"), "new": _("came for the first time"), "returning": _("came back")}[what.which]


@did.register
def _did_inaudience(what: InAudience, names: Names) -> str:
    return _("are in {name}").format(name=names.audiences.get(what.audience, _("a deleted audience")))


@did.register
def _did_sawvariant(what: SawVariant, names: Names) -> str:
    test = names.tests.get(what.test, _("a split test that is gone"))
    return _("saw {letter} of the split test {test}").format(letter=what.letter, test=test)


@did.register
def _did_inlist(what: InList, names: Names) -> str:
    return _("are on the list {name}").format(name=names.lists.get(what.list, _("that is deleted")))


def done(h: Happening | None, what: What, names: Names) -> str:
    """What somebody did, as far as it was something that can be named more exactly than `what` asks."""
    if h is not None and h.event is not None and h.event.kind == "view" and isinstance(what, Happened):
        return _("saw {page}").format(page=h.event.page.path)
    return did(what, names)


def window(part: Part) -> str:
    """How often and when."""
    often = "" if part.times == 1 else _("at least {n} times").format(n=part.times)
    if not part.what.timed:
        return ""
    if part.start == 0 and part.end == LONGEST:
        when = _("at any time") if not often else ""
    elif part.start == 0:
        when = ngettext("today", "in the last {n} days", part.end).format(n=part.end)
    else:
        when = _("{a} to {b} days ago").format(a=part.start, b=part.end - 1)
        if part.end == part.start + 1:
            when = ngettext("{n} day ago", "{n} days ago", part.start).format(n=part.start)
        elif part.end == LONGEST:
            when = ngettext("{n} day ago or earlier", "{n} days ago or earlier", part.start).format(
                n=part.start
            )
    return _(", ").join(p for p in (often, when) if p)


def node_says(node: Node, names: Names) -> tuple[str, str]:
    """What a line says, and when; for groups all in one."""
    if isinstance(node, Part):
        return did(node.what, names), window(node)
    if isinstance(node, Sequence):
        within = _(", each within {time}").format(time=_time(node.within)) if node.within else ""
        steps = [_(" or ").join(_whole(p, names) for p in step) for step in node.steps]
        return _(", then ").join(steps) + within, ""
    if isinstance(node, Any) and all(isinstance(n, Part) for n in node.nodes):
        windows = {window(n) for n in node.nodes if isinstance(n, Part)}
        if len(windows) == 1:
            says = [did(n.what, names) for n in node.nodes if isinstance(n, Part)]
            return _(" or ").join(says), windows.pop()
    joint = _(" and ") if isinstance(node, All) else _(" or ")
    return joint.join(_whole(n, names) for n in node.nodes), ""


def _whole(node: Node, names: Names) -> str:
    says, when = node_says(node, names)
    text = f"{says} {when}".strip()
    return f"({text})" if isinstance(node, All | Any) and len(node.nodes) > 1 else text


def _time(seconds: int) -> str:
    for size, one, many in (
        (86_400, gettext_noop("a day"), gettext_noop("{n} days")),
        (3600, gettext_noop("an hour"), gettext_noop("{n} hours")),
        (60, gettext_noop("a minute"), gettext_noop("{n} minutes")),
    ):
        if seconds % size == 0:
            return _(one) if seconds == size else _(many).format(n=seconds // size)
    return ngettext("{n} second", "{n} seconds", seconds).format(n=seconds)


def audience_sentence(definition: Definition, names: Names) -> str:
    """The whole definition in one sentence."""
    said = _("People who {include}").format(include=_whole(definition.include, names).strip("()"))
    if definition.exclude is not None:
        said += _(", but not those who {exclude}").format(
            exclude=_whole(definition.exclude, names).strip("()")
        )
    return said + "."


def joint_of(path: str) -> str:
    """What joins a line to the one before."""
    if path.startswith("exclude"):
        return _("but not those who") if path in ("exclude", "exclude.any[0]") else _("nor those who")
    if path in ("include", "include.all[0]", "include.sequence[0]"):
        return pgettext("people", "who")
    return _("and later") if ".sequence[" in path else _("and")


def ago(days: int) -> str:
    """How many days ago."""
    return _("today") if days == 0 else ngettext("yesterday", "{n} days ago", days).format(n=days)


texts(
    {
        "no_definition": gettext_noop(
            'A definition is an object: {{"include": …, "exclude": …}}; exclude may be left out.'
        ),
        "ask_include": gettext_noop("Say who is included."),
        "no_node": gettext_noop(
            'Give a part, {{"what": …, "from": 0, "to": 30}}, or parts joined by “all”, “any” or “sequence”.'
        ),
        "no_step": gettext_noop(
            "A step is one thing that happens, or alternatives of such (“any”), without a number of times."
        ),
        "too_many_parts": gettext_noop("A definition has at most {most} parts."),
        "exclude_instead": gettext_noop("Put what must not have happened under “exclude”."),
        "to_after_from": gettext_noop("“to” is larger than “from”, which is {start}."),
        "whole_between": gettext_noop("This is a whole number from {low} to {high}."),
        "ask_where_from": gettext_noop("Say where they came from: a channel, source, campaign …"),
        "length_gives_all": gettext_noop("Nobody more is reached by looking back further than {days} days."),
        "length_gives": gettext_noop("{days} days would give {more:,} more."),
        "length_gives_and_then": gettext_noop("{days} days gives {people:,}; {last} days {more:,} more."),
        "advice_page_stopped": gettext_noop(
            "{page} has stopped sending: nobody new can come in by it. See Pixel."
        ),
        "advice_too_short": gettext_noop(
            "With {days} days it would be {people:,} people, and enough to advertise to."
        ),
        "advice_too_long": gettext_noop(
            "With {days} days there are only {fewer:,} fewer: the rest lost interest long ago."
        ),
        "advice_exclusion_shorter": gettext_noop(
            "Some are left out for {excluded} days only and included for {included}: they come back in after that."
        ),
        "advice_no_exclusion": gettext_noop(
            "Those who have converted already are not left out; ads for them may be wasted."
        ),
        "advice_nearly_one": gettext_noop(
            "This and “{name}” are nearly one: bidding on both is bidding twice."
        ),
    }
)
