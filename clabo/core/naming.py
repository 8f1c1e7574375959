"""Names of conversions: proposed from what they count, and questioned where nobody could tell them apart later."""

from __future__ import annotations

import re
from collections.abc import Iterable

from clabo.core import rules

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


def as_name(text: str) -> str:
    """`text` as a name: small letters, digits and underscores; may be empty."""
    name = "_".join(_WORDS.findall(text.lower()))[:60].strip("_")
    return name.lstrip("0123456789_")


def proposed(rule: rules.Rule) -> str:
    """A meaningful name made from the rule's first conditions; empty where nothing suggests one."""
    for leaf in rules.leaves(rule):
        words: list[str] = []
        if isinstance(leaf, rules.PageReached) and leaf.match != "pattern":
            words = as_name(leaf.value.partition("/")[2] if "/" in leaf.value else leaf.value).split("_")
            words = [w for w in words if w not in _VAGUE] + ["reached"]
        elif isinstance(leaf, rules.FormSubmitted):
            told = leaf.id or leaf.name or leaf.action.rpartition("/")[2] or leaf.field
            words = [*as_name(told).replace("_form", "").split("_"), "sent"]
        elif isinstance(leaf, rules.FrameMessage):
            words = [*as_name(leaf.value).split("_"), "in_frame"]
        elif isinstance(leaf, rules.Clicked):
            words = [*as_name(leaf.text or leaf.to or leaf.what).split("_")[:4], "clicked"]
        elif isinstance(leaf, rules.CodeEvent):
            words = as_name(leaf.name).split("_")
        elif isinstance(leaf, rules.ElementShown):
            words = [*as_name(leaf.text or leaf.selector).split("_")[:4], "shown"]
        elif isinstance(leaf, rules.PagesSeen):
            words = [f"visit_of_{leaf.least}_pages"]
        elif isinstance(leaf, rules.Stayed):
            words = [f"stayed_{leaf.least}_seconds"]
        elif isinstance(leaf, rules.Scrolled):
            words = [f"scrolled_{leaf.least}_percent"]
        elif isinstance(leaf, rules.BridgeStep | rules.SaleReported):
            words = [
                *as_name(leaf.link).split("_"),
                "sale" if isinstance(leaf, rules.SaleReported) else "visit",
            ]
        name = as_name("_".join(w for w in words if w))
        if NAME.fullmatch(name) and name not in ("sent", "clicked", "reached", "shown", "in_frame"):
            return name
    return ""


def doubt(name: str, others: Iterable[str]) -> str:
    """Why `name` may be hard to tell apart a year from now, as a question to a person; empty where it is fine."""
    words = _WORDS.findall(name.lower())
    if words and all(w in _VAGUE or w.isdigit() for w in words):
        return "Which one? Name what was sent, ordered or reached, for example workshop_booking."
    mine = {w.rstrip("s") for w in words if w not in _VAGUE}
    for other in others:
        theirs = {w.rstrip("s") for w in _WORDS.findall(other.lower()) if w not in _VAGUE}
        if other != name and mine and mine == theirs:
            return f"Nearly the same as {other}. Say in the name how they differ."
    return ""
