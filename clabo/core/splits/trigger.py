"""When a split test of content begins for somebody who has come: at once, or at a moment on the page.

JSON is an object with at most one of `after` (seconds), `scrolled` (per cent of the page) and `leaving`, and `once`: not again in
the same tab. The tag waits by the same JSON (tag/src/parts/changes.ts), for the control as for the others.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from clabo.core.rules.errors import RuleError, only, whole

LONGEST = 600


@dataclass(frozen=True, slots=True)
class Trigger:
    """At once where nothing is given."""

    after: int = 0
    scrolled: int = 0
    leaving: bool = False
    once: bool = False

    def json(self) -> dict[str, Any]:
        """What is given; nothing for at once."""
        given = {"after": self.after, "scrolled": self.scrolled, "leaving": self.leaving, "once": self.once}
        return {name: value for name, value in given.items() if value}


def read_trigger(data: Any) -> Trigger:
    """A moment, from JSON.

    Parameters
    ----------
    data : object
        Whatever came as JSON.

    Returns
    -------
    Moment

    Raises
    ------
    RuleError
        Naming what is wrong.

    Examples
    --------
    >>> read_trigger({"scrolled": 50, "once": True})
    Trigger(after=0, scrolled=50, leaving=False, once=True)
    """
    if not isinstance(data, Mapping):
        raise RuleError("", "moment_no_object")
    only(data, {"after", "scrolled", "leaving", "once"})
    for name in ("leaving", "once"):
        if not isinstance(data.get(name, False), bool):
            raise RuleError(name, "moment_yes_or_no")
    after = whole(data, "after", 1, LONGEST) if data.get("after") else 0
    scrolled = whole(data, "scrolled", 1, 100) if data.get("scrolled") else 0
    found = Trigger(after, scrolled, data.get("leaving", False), data.get("once", False))
    if bool(after) + bool(scrolled) + found.leaving > 1:
        raise RuleError("", "moment_one")
    if found == Trigger(once=True):
        raise RuleError("once", "moment_once")
    return found
