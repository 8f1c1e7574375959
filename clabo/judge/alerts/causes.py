"""What somebody may want to be told of: all that Today says is broken or decided, one by one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, get_args

from clabo.collect.events.models import fingerprint
from clabo.judge.reports.today.mending import ToMend, to_mend
from clabo.judge.reports.today.queries import DECIDED
from clabo.platform.wording.alerts import said
from clabo.setup.monitoring.forgery import suspicions
from clabo.setup.sites.models import Site

Kind = Literal[
    "site_silent",
    "page_silent",
    "conversion_silent",
    "hits_late",
    "host_refused",
    "test_broken",
    "test_decided",
    "channel_failing",
    "spend_over",
    "spend_missing",
    "perhaps_forged",
]
KINDS: tuple[Kind, ...] = get_args(Kind)


@dataclass(frozen=True, slots=True)
class Cause:
    """One thing that is so now: its kind and what tells it from others of it, in words, and where it is seen."""

    kind: Kind
    key: str
    says: str
    place: str


def causes(site: Site, now: datetime) -> list[Cause]:
    """All of them at this moment."""
    found = list(_of(to_mend(site, now)))
    for s in suspicions(site, now):
        about = s.rule.name if s.rule else ""
        key = f"{s.kind} {s.rule.pk if s.rule else s.network}"
        found.append(Cause("perhaps_forged", key, said("perhaps_forged", what=s.kind, name=about), "today"))
    # A kind and a key are one thing, however often it was met.
    return list({(c.kind, c.key): c for c in found}.values())


def _of(m: ToMend) -> Iterator[Cause]:
    if m.silent_since:
        yield Cause("site_silent", "", said("site_silent"), "pixel")
    if m.late_since:
        yield Cause("hits_late", "", said("hits_late"), "today")
    for page in m.stopped:
        words = said("page_silent", path=page.path)
        yield Cause("page_silent", fingerprint(page.host, page.path), words, "pixel")
    for quiet in m.quiet:
        name, place = quiet.rule.name, f"conversions/{quiet.rule.pk}"
        yield Cause("conversion_silent", str(quiet.rule.pk), said("conversion_silent", name=name), place)
    for host in m.tag.refused_hosts:
        yield Cause("host_refused", fingerprint(host.host), said("host_refused", host=host.host), "pixel")
    for r in m.running:
        place, name = f"tests/{r.test.pk}", r.test.name
        if r.verdict.kind == "broken_split":
            yield Cause("test_broken", str(r.test.pk), said("test_broken", name=name), place)
        elif r.verdict.kind in DECIDED:
            words = said("test_decided", name=name, verdict=r.verdict.kind)
            yield Cause("test_decided", f"{r.test.pk} {r.verdict.kind}", words, place)
    for trouble in m.channels:
        words = said("channel_failing", name=trouble.channel.name)
        yield Cause("channel_failing", str(trouble.channel.pk), words, "spend?part=channels")
    for standing in m.budgets:
        words = said("spend_over", name=str(standing.budget))
        yield Cause("spend_over", f"{standing.budget.pk}", words, "spend?part=budgets")
    if m.spend.overdue and m.spend.last_day:
        yield Cause("spend_missing", "", said("spend_missing", day=m.spend.last_day), "spend")
