"""Ending tests that were asked to end by themselves: on a day, once decided, or once a challenger is worse for sure."""

from __future__ import annotations

import logging
from datetime import datetime, timedelta

from django.db.models import Q

from clabo.judge.splits.analysis.results import Result, result
from clabo.judge.splits.life import end
from clabo.judge.splits.models import Deed, SplitTest
from clabo.platform.jobs.each import for_each
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens

logger = logging.getLogger(__name__)
DECIDED = ("adopt", "keep_control", "no_difference", "guard_fails")


def settle(now: datetime) -> list[SplitTest]:
    """End all running tests whose time has come; those that were ended."""
    asked = SplitTest.objects.filter(
        Q(ends_on__isnull=False) | Q(ends_decided=True) | Q(ends_on_harm=True),
        state__in=[SplitTest.State.RUNNING, SplitTest.State.PAUSED],
    )
    ended: list[SplitTest] = []

    def look(test: SplitTest) -> None:
        if why := why_to_end(test, now):
            try:
                ended.append(end(test, now, why=why))
            except Problem:
                # Somebody has ended it meanwhile.
                logger.info("test %s had been ended already", test.pk)

    those = asked.select_related("site", "rule").prefetch_related("variants", "pauses").order_by("pk")
    for_each(those, look, "ending a test")
    return ended


def why_to_end(test: SplitTest, now: datetime) -> Deed.What | None:
    """Why the test should end now, if it should."""
    if test.ends_on and now >= test.site.midnight(test.ends_on + timedelta(days=1)):
        return Deed.What.ENDED_ON_DATE
    if not (test.ends_decided or test.ends_on_harm):
        return None
    found = result(read_lens(test.site), test, now, brief=True)
    if test.ends_on_harm and harmed(found):
        return Deed.What.ENDED_ON_HARM
    return Deed.What.ENDED_DECIDED if test.ends_decided and found.verdict.kind in DECIDED else None


def harmed(found: Result) -> bool:
    """Some challenger brings less than the control, or a guard of it fails, as surely as is asked."""
    worse = any(a.range.known and a.range.high < 0 for a in found.against)
    fails = any(m.measure.guard and a.standing == "fails" for m in found.measures for a in m.against)
    return not found.health.broken and (worse or fails)
