"""Names of conversions: proposed from what they count, and questioned where nobody could tell them apart later."""

from __future__ import annotations

import re
from collections.abc import Iterable

from clabo.core import rules
from clabo.core.message import Message, message

NAME = re.compile(r"[a-z][a-z0-9_]{1,59}")
_WORDS = re.compile(r"[a-z0-9]+")
# Words that say nothing about which one it is.
_VAGUE = frozenset(
    """
    a action all any button check click clicked code complete completed contact conversion conversions count
    done event final finish form frame goal hit html index it lead main message my new ok one page php pixel
    purchase result sale send sent site step submit submitted success tag test thank thanks the this track
    tracking url view visit web you your
    """.split()  # noqa: SIM905  (a list of words reads better)
)


# What happened, and nothing of what.
_BARE = frozenset({"sent", "clicked", "reached", "shown", "in_frame"})


def as_name(text: str) -> str:
    """`text` as a name: small letters, digits and underscores; may be empty."""
    name = "_".join(_WORDS.findall(text.lower()))[:60].strip("_")
    return name.lstrip("0123456789_")


def proposed(rule: rules.Rule) -> str:
    """A meaningful name made from the rule's first conditions; empty where nothing suggests one."""
    for leaf in rules.leaves(rule):
        words = as_name(leaf.name_words()).split("_")
        # The last word of most says what happened; of an address, what says nothing goes.
        if leaf.key == "page":
            words = [w for w in words[:-1] if w not in _VAGUE] + words[-1:]
        name = as_name("_".join(w for w in words if w))
        if NAME.fullmatch(name) and name not in _BARE:
            return name
    return ""


def doubt(name: str, others: Iterable[str]) -> Message | None:
    """Why `name` may be hard to tell apart a year from now; None where it is fine."""
    words = _WORDS.findall(name.lower())
    if words and all(w in _VAGUE or w.isdigit() for w in words):
        return message("name_vague")
    mine = {w.rstrip("s") for w in words if w not in _VAGUE}
    for other in others:
        theirs = {w.rstrip("s") for w in _WORDS.findall(other.lower()) if w not in _VAGUE}
        if other != name and mine and mine == theirs:
            return message("name_alike", other=other)
    return None
