"""A day as columns is what a plain loop over its stored rows says, in the order in which a visitor's events stand."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event, Kind, TrafficClass, Visit
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories
from clabo.collect.presence.day_columns import unpacked
from clabo.collect.presence.keys import LEFT_OUT
from clabo.collect.presence.models import Atom
from clabo.platform.db.columns import read_columns
from clabo.setup.sites.models import Site
from clabo.testing.traffic import make_site, receive


def plainly(site: Site, day: date) -> list[tuple[Any, ...]]:
    """The day's rows by a loop: what told its atom, whose, when, and of which visit."""
    found = []
    for e in Event.objects.filter(site=site).select_related("visit", "visitor"):
        counted = e.visit is None or e.visit.traffic_class == TrafficClass.COUNTED
        if counted and e.kind not in LEFT_OUT and e.time.astimezone(site.zone).date() == day:
            rank, what = 1 + (e.kind != Kind.VIEW), (e.kind, e.page_id, e.element_id, e.name)
            found.append((e.time, rank, e.id.bytes, e.visitor.number, what, e.visit_id or 0))
    for v in Visit.objects.filter(site=site, traffic_class=TrafficClass.COUNTED).select_related("visitor"):
        if v.started_at.astimezone(site.zone).date() == day:
            what = (v.entry_page_id, v.origin_id, v.device, v.number == 1)
            found.append((v.started_at, 0, v.number.to_bytes(8), v.visitor.number, what, v.pk))
    return [(row[3], round(row[0].timestamp() * 1e6), *row[4:]) for row in sorted(found, key=lambda r: r[:3])]


def as_columns(site: Site, day: date) -> list[tuple[Any, ...]]:
    """The same out of the columns."""
    told: dict[int, tuple[Any, ...]] = {
        a.pk: (a.kind, a.page_id, a.element_id, a.name)
        if a.sort == Atom.Sort.EVENT
        else (a.page_id, a.origin_id, a.device, a.first)
        for a in Atom.objects.filter(site=site)
    }
    read = unpacked(site, day)
    columns = (read.people.tolist(), read.times.tolist(), read.atoms.tolist(), read.visits.tolist())
    return [(who, at, told[atom], visit) for who, at, atom, visit in zip(*columns, strict=True)]


class DayColumns(TestCase):
    @given(histories)
    @settings(max_examples=25, phases=[Phase.explicit, Phase.reuse, Phase.generate])
    def test_as_a_loop_says(self, acts: list[Act]) -> None:
        site = make_site()
        receive(envelopes_of(site, acts))
        days = {e.astimezone(site.zone).date() for e in Event.objects.values_list("time", flat=True)}
        for day in days | {date(2026, 1, 1)}:
            for around in (day - timedelta(days=1), day):
                self.assertEqual(as_columns(site, around), plainly(site, around))

    def test_a_null_is_said(self) -> None:
        with self.assertRaisesMessage(ValueError, "n: its values are not of 8 bytes"):
            read_columns("VALUES (1::bigint), (NULL)", [], {"n": ">i8"})
        with self.assertRaisesMessage(ValueError, "n: its values"):
            read_columns("VALUES (1::int)", [], {"n": ">i8"})
        self.assertEqual(read_columns("VALUES (1::bigint), (-2)", [], {"n": ">i8"})["n"].tolist(), [1, -2])
