"""Which events are conversions, kept equal to what the rules say.

There is one way only, for new hits, for late ones and for a changed rule: what the stored events
of a visitor say now is compared with the conversions that stand, and the difference is written.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from clabo.collect.models import Event, Kind, Page, Visit
from clabo.collect.rollups import Changes
from clabo.conversions.crediting import credit_conversions
from clabo.conversions.models import Conversion, ConversionRule
from clabo.core import rules
from clabo.core.addresses import Address


@dataclass(frozen=True, slots=True)
class Candidate:
    """An event that meets a rule."""

    event_id: UUID
    time: datetime
    visitor: int
    visit: int


@dataclass(frozen=True, slots=True)
class Settled:
    """How many conversions came and went."""

    added: int
    removed: int


def pages_met(site_id: int, rule: rules.Rule, pages: Iterable[Page] | None = None) -> list[int]:
    """Ids of the known pages whose address the rule fits.

    The core decides over the page inventory, so that a rule means the same here and over one
    visitor's events; the events themselves are then found by their page.
    """
    if pages is None:
        pages = Page.objects.filter(site_id=site_id).only("id", "host", "path")
    return [p.pk for p in pages if rule.fits(Address(p.host, p.path))]


def settle(
    site_id: int,
    the_rules: Collection[ConversionRule],
    visitor_ids: Collection[int] | None = None,
    afresh: Collection[int] = (),
) -> dict[int, Settled]:
    """Make the conversions of `the_rules` what the stored events say, of everybody or of some.

    Visitors in `afresh` get all their conversions made and credited anew, because their visits
    were. Call with the site's lock held. Also brings the visits' conversion counts, the bounces that
    depend on them and the credits up to date. Result by rule id.
    """
    pages = list(Page.objects.filter(site_id=site_id).only("id", "host", "path"))
    result: dict[int, Settled] = {}
    touched_visits: set[int] = set()
    to_credit: list[Conversion] = []
    for rule in the_rules:
        standing = Conversion.objects.filter(site_id=site_id, rule=rule)
        if visitor_ids is not None:
            standing = standing.filter(visitor_id__in=visitor_ids)
        old = {c.event_id: c for c in standing}
        new = {} if rule.deleted_at else _candidates(site_id, rule, pages, visitor_ids)
        gone = [
            c
            for e, c in old.items()
            if e not in new or c.visitor_id in afresh or _differs(c, new[e], rule.value)
        ]
        stale = {c.event_id for c in gone}
        made = [
            Conversion(
                site_id=site_id,
                rule=rule,
                event_id=e,
                time=c.time,
                visitor_id=c.visitor,
                visit_id=c.visit,
                value=rule.value,
            )
            for e, c in new.items()
            if e not in old or e in stale
        ]
        if gone:
            Conversion.objects.filter(pk__in=[c.pk for c in gone]).delete()
        Conversion.objects.bulk_create(made, batch_size=5000)
        to_credit += made
        touched_visits |= {c.visit_id for c in gone} | {c.visit_id for c in made}
        result[rule.pk] = Settled(
            sum(1 for c in made if c.event_id not in old), sum(1 for c in gone if c.event_id not in new)
        )
    credit_conversions(site_id, to_credit)
    count_visits(site_id, touched_visits)
    return result


def _differs(conversion: Conversion, candidate: Candidate, value: Decimal | None) -> bool:
    return (
        conversion.visit_id != candidate.visit
        or conversion.time != candidate.time
        or conversion.value != value
    )


def _candidates(
    site_id: int, rule: ConversionRule, pages: list[Page], visitor_ids: Collection[int] | None
) -> dict[UUID, Candidate]:
    page_ids = pages_met(site_id, rules.parse(rule.rule), pages)
    if not page_ids:
        return {}
    events = Event.objects.filter(site_id=site_id, page_id__in=page_ids, kind=Kind.VIEW)
    if visitor_ids is not None:
        events = events.filter(visitor_id__in=visitor_ids)
    found = [
        Candidate(*row)
        for row in events.order_by("time", "id").values_list("id", "time", "visitor_id", "visit_id")
    ]
    counted = rules.count(found, rule.counting)  # type: ignore[arg-type]
    return {c.event_id: c for c in counted}


def count_visits(site_id: int, visit_ids: Collection[int]) -> None:
    """Bring `Visit.conversions` and the bounces of the daily counts up to date for some visits."""
    ids = list(visit_ids)
    changes = Changes(site_id)
    for start in range(0, len(ids), 5000):
        some = ids[start : start + 5000]
        counts = Counter(
            Conversion.objects.filter(site_id=site_id, visit_id__in=some).values_list("visit_id", flat=True)
        )
        by_count: defaultdict[int, list[int]] = defaultdict(list)
        for visit in Visit.objects.filter(pk__in=some):
            if visit.conversions != counts[visit.pk]:
                changes.visit(visit, -1)
                visit.conversions = counts[visit.pk]
                changes.visit(visit, +1)
                by_count[visit.conversions].append(visit.pk)
        for count, group in by_count.items():
            Visit.objects.filter(pk__in=group).update(conversions=count)
    changes.apply()
