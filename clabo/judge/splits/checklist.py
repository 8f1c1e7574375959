"""What Clabo looks at before a test is started, so that nobody finds out a week later."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Literal

from clabo.collect.events.models import Page
from clabo.core.evidence import days_needed
from clabo.core.pages.addresses import Address
from clabo.judge.splits.analysis.results import plan_of, recorded
from clabo.judge.splits.editor.elements import known, selectors_asked
from clabo.judge.splits.life import room_beside, sharing_pages
from clabo.judge.splits.models import SplitTest
from clabo.judge.splits.services import leads_back, unseen
from clabo.setup.conversions.models import Conversion

CheckName = Literal["tag", "lately", "conversion", "circle", "elements", "traffic", "clash"]
LATELY = timedelta(days=7)
CONVERTED = timedelta(days=28)
# Longer than most offers live.
LONGEST_DAYS = 91


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that was looked at; `ok` is None where Clabo cannot see it by itself. `names`: what it is about."""

    what: CheckName
    ok: bool | None
    names: list[str] = field(default_factory=list)
    # Of traffic: how long the plan takes.
    days: int | None = None
    # Of elements: those that only a desktop or only a phone has; and why the page could not be looked at.
    partly: list[str] = field(default_factory=list)
    reason: str = ""


def checklist(test: SplitTest, now: datetime | None = None) -> list[Check]:
    """Everything that a start asks for, and what is wise besides. Asks the challengers' addresses for themselves."""
    now = now or datetime.now(UTC)
    variants = list(test.variants.all())
    pages = list(dict.fromkeys(Address(v.host, v.path) for v in variants))
    missing = [p.path for p in unseen(test.site, pages)]
    paths = [p.path for p in pages]
    fresh = set(
        Page.objects.filter(site=test.site, path__in=paths, last_at__gte=now - LATELY).values_list(
            "host", "path"
        )
    )
    stale = [p.path for p in pages if (p.host, p.path) not in fresh and p.path not in missing]
    counted = (
        Conversion.objects.reported()
        .filter(site=test.site, rule=test.rule, time__gte=now - CONVERTED)
        .exists()
    )
    found = [
        Check("tag", not missing, missing),
        Check("lately", not stale, stale),
        Check("conversion", counted, [] if counted else [test.rule.name]),
    ]
    if test.what == SplitTest.What.ADDRESS:
        back = leads_back(test)
        found.append(Check("circle", back is None, [back.path] if back else []))
    else:
        found.append(_elements(test))
    return [*found, _traffic(test, pages[0]), _clash(test)]


def _elements(test: SplitTest) -> Check:
    """What a browser has found; nothing is known where it has not looked, or could not."""
    looked = known(test)
    if looked is None or looked.reason:
        return Check("elements", None, list(selectors_asked(test)), reason=looked.reason if looked else "")
    return Check("elements", not looked.missing, looked.missing, partly=looked.partly)


def _traffic(test: SplitTest, control: Address) -> Check:
    everybody = recorded(test.site, control, test.rule, places=test.places()).per_day
    per_day = everybody * test.traffic / 100 * (1 - test.held_out / 100)
    days = days_needed(plan_of(test), per_day) if per_day > 0 else None
    return Check("traffic", days is not None and days <= LONGEST_DAYS, days=days)


def _clash(test: SplitTest) -> Check:
    others = sharing_pages(test)
    names = [t.name for t in others]
    if not others or test.beside == SplitTest.Beside.CROSSED:
        return Check("clash", True, names)
    room = room_beside(others)
    fits = room is not None and room[1] + test.traffic <= 100
    return Check("clash", test.beside == SplitTest.Beside.APART and fits, names)
