"""The landing page report read out of the hits as they were sent, by the words of docs/definitions.md.

Plain loops over everything, and nothing of Clabo's own code: no stitching, no roll-ups, no SQL.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

GAP = timedelta(minutes=30)
PAID, EMAIL, REFERRAL, DIRECT = "paid", "email", "referral", "direct"


@dataclass(frozen=True)
class Sent:
    """One hit as it was sent. `standing` is "counted", "own" or "bot"; `ad` (source, medium) or None."""

    id: str
    time: datetime
    received: datetime
    visitor: str
    kind: str
    path: str
    ad: tuple[str, str] | None = None
    referrer: str = ""
    device: str = "desktop"
    standing: str = "counted"
    order: str = ""
    value: Decimal | None = None
    currency: str = ""
    step: str = ""

    @property
    def person(self) -> tuple[str, bool]:
        """Own visits are another visitor's."""
        return self.visitor, self.standing == "own"


@dataclass
class Visit:
    person: tuple[str, bool]
    hits: list[Sent] = field(default_factory=list)
    converted: int = 0

    @property
    def start(self) -> datetime:
        return self.hits[0].time

    @property
    def views(self) -> list[Sent]:
        return [h for h in self.hits if h.kind == "view"]

    @property
    def counted(self) -> bool:
        return self.hits[0].standing == "counted"

    @property
    def origin(self) -> tuple[str, str]:
        """Channel and source."""
        first = self.hits[0]
        if first.kind == "view" and first.ad:
            return (PAID if first.ad[1] == "cpc" else EMAIL), first.ad[0]
        return (REFERRAL, first.referrer) if first.referrer else (DIRECT, "")

    @property
    def device(self) -> str:
        return self.hits[0].device


@dataclass(frozen=True)
class Conversion:
    hit: Sent
    visit: Visit | None
    value: Decimal | None


@dataclass
class Row:
    entries: int = 0
    views: int = 0
    begun_views: int = 0
    bounces: int = 0
    exits: int = 0
    visitors: set[tuple[str, bool]] = field(default_factory=set)
    new_visitors: set[tuple[str, bool]] = field(default_factory=set)
    led: set[int] = field(default_factory=set)
    conversions: Decimal = Decimal(0)
    # Whose money is counted.
    summed: Decimal = Decimal(0)
    revenue: Decimal = Decimal(0)


class Recomputed:
    """Everything that a site's report says, from its hits."""

    def __init__(self, hits: list[Sent], zone: ZoneInfo, window_days: int, currency: str) -> None:
        self.zone, self.window, self.currency = zone, timedelta(days=window_days), currency
        touching = [h for h in hits if h.kind != "sale"]
        self.reports = [h for h in hits if h.kind == "sale"]
        self.visits: list[Visit] = []
        self.visit_of: dict[str, Visit] = {}
        # Asked for again by each report; the history does not change.
        self._found: dict[tuple[Any, ...], list[Conversion]] = {}
        for person in sorted({h.person for h in touching}):
            own = sorted(
                (h for h in touching if h.person == person), key=lambda h: (h.time, h.kind != "view", h.id)
            )
            last: Visit | None = None
            campaign: tuple[str, str] | None = None
            for hit in own:
                ad = hit.ad if hit.kind == "view" else None
                if last is None or hit.time - last.hits[-1].time > GAP or (ad and ad != campaign):
                    last, campaign = Visit(person), ad
                    self.visits.append(last)
                last.hits.append(hit)
                self.visit_of[hit.id] = last

    def day(self, time: datetime) -> date:
        return time.astimezone(self.zone).date()

    def hangs_on(self, report: Sent) -> Visit | None:
        """The visit of the step that it names, else its visitor's last before it."""
        if report.step in self.visit_of:
            return self.visit_of[report.step]
        before = [v for v in self.visits if v.person == (report.visitor, False) and v.start <= report.time]
        return max(before, key=lambda v: v.start, default=None)

    def conversions(self, kind: str, counting: str) -> list[Conversion]:
        """Of all events of a kind: "mark" (an order from code) or "sale" (one that a server reports)."""
        key = (kind, counting, self.limits)
        if key not in self._found:
            self._found[key] = self._conversions(kind, counting)
        return self._found[key]

    def _conversions(self, kind: str, counting: str) -> list[Conversion]:
        found = []
        source = (
            self.reports if kind == "sale" else [h for v in self.visits for h in v.hits if h.kind == kind]
        )
        for hit in source:
            visit = self.hangs_on(hit) if kind == "sale" else self.visit_of[hit.id]
            foreign = hit.currency not in ("", self.currency)
            found.append(Conversion(hit, visit, None if foreign else hit.value))
        result = []
        for shown in (True, False):
            some = [c for c in found if (c.visit is None or c.visit.counted) == shown]
            first: dict[str, Conversion] = {}
            for c in sorted(some, key=lambda c: (c.hit.received, c.hit.id)):
                if c.hit.order:
                    first.setdefault(c.hit.order, c)
            some = [c for c in some if not c.hit.order or first[c.hit.order] is c]
            seen: set[object] = set()
            for c in sorted(some, key=lambda c: (c.hit.time, c.hit.id)):
                person = c.visit.person if c.visit else (c.hit.visitor, False)
                key: object = person if counting == "visitor" else id(c.visit) if c.visit else c.hit.id
                if counting == "every" or key not in seen:
                    seen.add(key)
                    result.append(c)
        return self.within_limits(result)

    def within_limits(self, found: list[Conversion]) -> list[Conversion]:
        """The same, without the value of what lies beyond a day's limits in the order it was received."""
        sums: defaultdict[object, Decimal] = defaultdict(Decimal)
        out = set()
        for c in sorted(found, key=lambda c: (c.hit.received, c.hit.id)):
            if c.value is None or (c.visit is not None and not c.visit.counted):
                continue
            day = self.day(c.hit.time)
            keys = [(day, c.visit.person if c.visit else (c.hit.visitor, False)), day]
            full = [
                most is not None and sums[k] + c.value > most
                for k, most in zip(keys, self.limits, strict=True)
            ]
            if any(full):
                out.add(c.hit.id)
            else:
                for k in keys:
                    sums[k] += c.value
        return [Conversion(c.hit, c.visit, None) if c.hit.id in out else c for c in found]

    def credits(self, conversion: Conversion, model: str) -> list[tuple[Visit | None, Decimal]]:
        """Which visits a conversion that is shown is credited to."""
        hit, one = conversion.hit, Decimal(1)
        person = conversion.visit.person if conversion.visit else (hit.visitor, False)
        touches = sorted(
            (
                v
                for v in self.visits
                if v.person == person
                and v.counted
                and v.views
                and (
                    hit.time - self.window <= v.start <= hit.time
                    or (hit.kind != "sale" and v is conversion.visit)
                )
            ),
            key=lambda v: v.start,
        )
        if not touches:
            return [(None, one)]
        if model == "first":
            return [(touches[0], one)]
        if model == "linear":
            share = (one / len(touches)).quantize(Decimal("1e-9"))
            return [*((v, share) for v in touches[:-1]), (touches[-1], one - share * (len(touches) - 1))]
        if model == "last_paid":
            for wanted in ((PAID,), (PAID, EMAIL, REFERRAL)):
                for visit in reversed(touches):
                    if visit.origin[0] in wanted:
                        return [(visit, one)]
        return [(touches[-1], one)]

    def inside(self, origin: str, device: str) -> Callable[[Visit], bool]:
        """Whether a visit is one that the lens looks at."""

        def inside(visit: Visit) -> bool:
            channel, source = visit.origin
            what, _, name = origin.partition(":")
            return (origin == "any" or name == (channel if what == "channel" else source)) and device in (
                "any",
                visit.device,
            )

        return inside

    def told_apart(
        self,
        first: date,
        last: date,
        inside: Callable[[Visit], bool],
        kind: str,
        counting: str,
        model: str,
        by: Callable[[Visit], object],
    ) -> dict[object, Row]:
        """The rows by what a visit is; None is what no visit is known of, where everything is looked at."""
        rows: defaultdict[object, Row] = defaultdict(Row)
        every = [c for k, mode in self.rules for c in self.conversions(k, mode)]
        for visit in self.visits:
            if visit.counted and visit.views and inside(visit) and first <= self.day(visit.start) <= last:
                row = rows[by(visit)]
                row.entries += 1
                row.begun_views += len(visit.views)
                acted = any(h.kind in ("mark", "step") for h in visit.hits)
                row.bounces += (
                    len(visit.views) == 1 and not acted and all(c.visit is not visit for c in every)
                )
        for c in self.conversions(kind, counting):
            if c.visit is not None and not c.visit.counted:
                continue
            for credited, share in self.credits(c, model):
                on = self.day(credited.start if credited else c.hit.time)
                if first <= on <= last and (credited is None or inside(credited)):
                    row = rows[by(credited) if credited else None]
                    row.led |= {id(credited)} if credited else set()
                    row.conversions += share
                    row.summed += Decimal(0) if c.value is None else share
                    row.revenue += ((c.value or Decimal(0)) * share).quantize(Decimal("1e-9"))
        return dict(rows)

    def report(
        self, first: date, last: date, origin: str, device: str, kind: str, counting: str, model: str
    ) -> dict[str | None, Row]:
        """The rows by page path; None is what no visit is known of."""

        inside = self.inside(origin, device)
        rows: defaultdict[str | None, Row] = defaultdict(Row)
        shown = [c for c in self.conversions(kind, counting) if c.visit is None or c.visit.counted]
        # A bounce is one for want of any conversion, of any rule.
        every = [c for k, mode in self.rules for c in self.conversions(k, mode)]
        for visit in self.visits:
            if not visit.counted or not visit.views or not inside(visit):
                continue
            if first <= self.day(visit.start) <= last:
                entry = rows[visit.views[0].path]
                entry.entries += 1
                entry.begun_views += len(visit.views)
                acted = any(h.kind in ("mark", "step") for h in visit.hits)
                led = any(c.visit is visit for c in every)
                entry.bounces += len(visit.views) == 1 and not acted and not led
                rows[visit.views[-1].path].exits += 1
            ever = min(
                self.day(v.start) for v in self.visits if v.person == visit.person and v.counted and v.views
            )
            for view in visit.views:
                if first <= self.day(view.time) <= last:
                    row = rows[view.path]
                    row.views += 1
                    row.visitors.add(visit.person)
                    if ever >= first:
                        row.new_visitors.add(visit.person)
        for c in shown:
            for credited, share in self.credits(c, model):
                on = self.day(credited.start if credited else c.hit.time)
                if not first <= on <= last:
                    continue
                if credited is None and (origin != "any" or device != "any"):
                    continue
                if credited is not None and not inside(credited):
                    continue
                row = rows[credited.views[0].path if credited else None]
                if credited:
                    row.led.add(id(credited))
                row.conversions += share
                if c.value is not None:
                    row.summed += share
                    row.revenue += (c.value * share).quantize(Decimal("1e-9"))
        return {path: row for path, row in rows.items() if row != Row()}

    # The most value of a day, of one visitor and in all.
    limits: tuple[Decimal | None, Decimal | None] = (None, None)
    # What the site counts, as (kind, counting mode).
    rules: list[tuple[str, str]] = []
