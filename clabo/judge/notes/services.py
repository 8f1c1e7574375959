"""Notes written by people, and those that Clabo makes of what has changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Literal

from clabo.collect.pictures.queries import changes
from clabo.judge.notes.models import Note
from clabo.judge.splits.models import SplitTest
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.platform.wording.notes import (
    page_changed,
    rule_changed,
    rule_made,
    spend_taken_in,
    test_ended,
    test_started,
)
from clabo.setup.conversions.models import RuleVersion
from clabo.setup.sites.models import Site
from clabo.use.spend.models import SpendImport

MOST_A_DAY = 20
MOST_DAYS_AHEAD = 366
Kind = Literal["written", "rule", "test", "spend", "page"]


@dataclass(frozen=True, slots=True)
class OnDay:
    """Something to know on a day. `note_id` only of what somebody has written, `page_id` of a page's change."""

    day: date
    kind: Kind
    text: str
    by: str
    note_id: int | None = None
    page_id: int | None = None


def write(site: Site, day: date, text: str, by: User | None) -> Note:
    """Put a note on a day; raises Problem."""
    text = " ".join(text.split())
    if not text:
        raise Problem("Write something.", "text")
    today = datetime.now(UTC).astimezone(site.zone).date()
    if not date(2000, 1, 1) <= day <= today + timedelta(days=MOST_DAYS_AHEAD):
        raise Problem("A note is on a day from 2000 to a year from now.", "day")
    if Note.objects.filter(site=site, day=day).count() >= MOST_A_DAY:
        raise Problem(f"There are {MOST_A_DAY} notes on this day.", "day", 409)
    return Note.objects.create(site=site, day=day, text=text, made_by=by)


_EARLIEST, _LATEST = date(2000, 1, 1), date(2199, 12, 31)


def remove(site: Site, note_id: int) -> None:
    """Take a note away; raises Problem where there is none."""
    if not Note.objects.filter(site=site, pk=note_id).delete()[0]:
        raise missing("note")


def notes_of(site: Site, first: date, last: date, pages: Sequence[int] = ()) -> list[OnDay]:
    """What there is to know of these days of the site, in order; of pages' changes only those of `pages`, if given."""
    if not _EARLIEST <= first <= last <= _LATEST:
        raise Problem(f"Choose days from {_EARLIEST:%Y} to {_LATEST:%Y}, the first one first.", "first")
    start, end = site.midnight(first), site.midnight(last + timedelta(days=1))

    def day_of(time: datetime) -> date:
        return time.astimezone(site.zone).date()

    found = [
        OnDay(n.day, "written", n.text, str(n.made_by or ""), n.pk)
        for n in Note.objects.filter(site=site, day__gte=first, day__lte=last).select_related("made_by")
    ]
    versions = RuleVersion.objects.filter(rule__site=site, rule__deleted_at=None, made_at__gte=start)
    for v in versions.filter(made_at__lt=end).select_related("rule", "made_by"):
        says = rule_made(v.rule.name) if v.version == 1 else rule_changed(v.rule.name)
        found.append(OnDay(day_of(v.made_at), "rule", says, str(v.made_by or "")))
    for t in SplitTest.objects.filter(site=site):
        for time, says in ((t.started_at, test_started(t.name)), (t.ended_at, test_ended(t.name))):
            if time is not None and start <= time < end:
                found.append(OnDay(day_of(time), "test", says, ""))
    files = SpendImport.objects.filter(site=site, state=SpendImport.State.DONE, made_at__gte=start)
    found += [
        OnDay(day_of(f.made_at), "spend", spend_taken_in(f.file_name), str(f.made_by or ""))
        for f in files.filter(made_at__lt=end).select_related("made_by")
    ]
    # A page that looks otherwise both on a desktop and on a phone has changed once.
    seen = {(p.page_id, day_of(p.taken_at)): p.page for p in changes(site, start, end, pages)}
    found += [OnDay(d, "page", page_changed(page.path), "", page_id=i) for (i, d), page in seen.items()]
    return sorted(found, key=lambda n: (n.day, n.kind, n.text))
