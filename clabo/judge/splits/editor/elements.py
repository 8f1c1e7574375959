"""Whether a draft's page has what its variants change: a browser opens it, as a desktop and as a phone."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from django.conf import settings

from clabo.collect.pictures.taking import met
from clabo.core.splits.changes import Change, Moved, read_changes
from clabo.judge.splits.models import SplitTest
from clabo.platform.jobs.job import job


@dataclass(frozen=True, slots=True)
class Elements:
    """`missing`: selectors that neither width has anything for; `partly`: that one has, and the other not.

    `reason`: a code why the page could not be opened, empty where it was; `more` says more on it.
    """

    missing: list[str] = field(default_factory=list)
    partly: list[str] = field(default_factory=list)
    reason: str = ""
    more: str = ""


def changes_of_all(test: SplitTest) -> list[Change]:
    """What all variants change."""
    return [c for v in test.variants.all() for c in read_changes(v.changes)]


def selectors_asked(test: SplitTest) -> dict[str, str]:
    """Every selector that its variants need, and what is asked in its place."""
    found: dict[str, str] = {}
    for change in changes_of_all(test):
        if change.selector:
            found[change.selector] = found.get(change.selector) or change.fallback
        if isinstance(change, Moved):
            found.setdefault(change.of, "")
    return found


def look(test: SplitTest) -> Elements:
    """Open the page and look for each."""
    control = test.variants.all()[0]
    several = selectors_asked(test)
    said = met(test.site, control.host, control.path, list(several.items()))
    if said.reason:
        return Elements(reason=said.reason, more=said.more)
    widths = list(said.by_width.values())
    times = {selector: sum(w[i] for w in widths) for i, selector in enumerate(several)}
    return Elements(
        [s for s, n in times.items() if n == 0], [s for s, n in times.items() if 0 < n < len(widths)]
    )


def known(test: SplitTest) -> Elements | None:
    """What was found when somebody last looked at the draft as it is."""
    if test.elements is None:
        return None
    told: dict[str, Any] = {k: v for k, v in test.elements.items() if k != "at"}
    return Elements(**told)


@job("a draft's elements")
def look_for(test_id: int) -> None:
    """Look, and keep what was found, unless the draft has been written anew meanwhile."""
    test = SplitTest.objects.filter(pk=test_id, state=SplitTest.State.DRAFT).select_related("site").first()
    if test is None or not selectors_asked(test):
        return
    before = selectors_asked(test)
    found = look(test)
    test = SplitTest.objects.get(pk=test_id)
    if selectors_asked(test) == before:
        kept = {"missing": found.missing, "partly": found.partly, "reason": found.reason, "more": found.more}
        SplitTest.objects.filter(pk=test_id).update(elements={**kept, "at": datetime.now(UTC).isoformat()})


def have_looked(test: SplitTest) -> None:
    """Have a browser look soon; one runs at a time."""
    if settings.CLABO_PICTURES and test.what == SplitTest.What.CONTENT:
        look_for.later(once=f"elements {test.pk}", lock="pictures", test_id=test.pk)
