"""Rules read out, and what is wrong with one."""

from __future__ import annotations

from typing import Any

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

from clabo.core.message import Message
from clabo.core.rules import AllOf, AnyOf, Check, Not, Rule, part_of
from clabo.platform.wording.rules.conditions import reading
from clabo.platform.wording.words import listed, say, say_all, texts, words_for


def sentence(rule: Rule) -> str:
    """The rule in plain English; brackets where any and all are nested."""
    if isinstance(rule, Not):
        return _("not ({rule})").format(rule=sentence(rule.part))
    if isinstance(rule, AllOf | AnyOf):
        joint = _(", and ") if isinstance(rule, AllOf) else _(", or ")
        return joint.join(
            f"({sentence(p)})" if isinstance(p, AllOf | AnyOf) and len(p.parts) > 1 else sentence(p)
            for p in rule.parts
        )
    return reading(rule)


def check_reading(check: Check) -> str:
    """The condition of a check, as the rule wants it."""
    read = reading(check.condition)
    return read if check.wanted else _("not ({rule})").format(rule=read)


def why_not(check: Check) -> str:
    """Why it is not as the rule wants it; empty where it is."""
    return say_all(check.why_not)


@words_for("miss_not")
def _miss_not(rule: Any) -> str:
    return _("{rule}, and must not").format(rule=sentence(part_of(rule)))


@words_for("unknown_part")
def _unknown_part(part: str, allowed: list[str]) -> str:
    return _("It knows nothing of “{part}”. It takes {allowed}.").format(part=part, allowed=listed(allowed))


@words_for("choose_one")
def _choose_one(choices: list[str]) -> str:
    return _("Choose one of {choices}.").format(choices=listed(choices))


@words_for("unknown_condition")
def _unknown_condition(key: str, known: list[str]) -> str:
    return _("“{key}” is no condition. There are {known}.").format(key=key, known=listed(known))


@words_for("no_address")
def _no_address(why: Message) -> str:
    return _("This is not an address: {why}.").format(why=say(why))


texts(
    {
        "no_text": gettext_noop("This must be a text."),
        "too_long": gettext_noop("Keep this under {most} characters."),
        "nul": gettext_noop("This has a character that no text may contain (NUL)."),
        "how_many": gettext_noop("Say how many {what}, {low} to {high}."),
        "ask_address": gettext_noop("Say which address, for example /thank-you."),
        "bad_pattern": gettext_noop("This pattern cannot be read: {reason}."),
        "ask_parameter": gettext_noop("Name the parameter, for example step."),
        "ask_element": gettext_noop("Say which element, by a selector like #thanks or by its words."),
        "ask_origin": gettext_noop("Say whose message counts, for example https://forms.example."),
        "no_origin": gettext_noop("This is no origin. It looks like https://forms.example."),
        "ask_key": gettext_noop("Say which key of the message decides, for example type."),
        "ask_value": gettext_noop("Say which value it must have, for example sent."),
        "ask_event": gettext_noop("Name the event as the code does, for example order."),
        "comparisons": gettext_noop("Give a list of at most {most} comparisons."),
        "ask_comparison": gettext_noop("A comparison names a property, how to compare, and a value."),
        "ask_property": gettext_noop("Name the property, for example value."),
        "bad_property": gettext_noop("A property’s name begins with a letter, for example value."),
        "number_too_large": gettext_noop("This number is too large to compare with."),
        "no_number": gettext_noop("This is not a number to compare with."),
        "needs_number": gettext_noop("This comparison needs a number."),
        "ask_words": gettext_noop("Say which words the property contains."),
        "no_scalar": gettext_noop("Compare with a text, a number, true or false."),
        "too_many_conditions": gettext_noop("A rule has at most {most} conditions."),
        "too_deep": gettext_noop("A rule is nested at most {most} deep."),
        "empty_group": gettext_noop("“{key}” needs at least one condition."),
        "needs_object": gettext_noop("“{key}” needs an object that describes it."),
        # The braces of the example are doubled for str.format.
        "no_rule": gettext_noop(
            'A rule is an object with one condition: {{"page": {{"match": …, "value": …}}}}.'
        ),
        "ask_what_happens": gettext_noop(
            "Say what happens: a page reached, a form sent, a click, an event … "
            "Where it happens, and what must not be, only narrow that down."
        ),
    }
)
