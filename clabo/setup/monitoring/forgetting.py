"""Forgetting a person: everything that is kept of one visitor goes, and all that rests on it is what it would be without."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import date

from django.db import transaction
from django.db.models import Exists, OuterRef

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Event, Identity, Kind, Statement, TrafficClass, Visit, Visitor
from clabo.collect.events.storage.rollups import Changes
from clabo.collect.events.storage.storing import EVER, StoredBatch
from clabo.collect.pipeline import hooks, rejoining
from clabo.collect.presence import keeping
from clabo.core.trust.identities import MOST_BROWSERS
from clabo.judge.splits.models import Exposure
from clabo.platform.db.arrays import in_array
from clabo.platform.problems import missing
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Listed
from clabo.use.delivery.tasks import deliver_site
from clabo.use.outcomes.matching import BY_IDENTITY
from clabo.use.outcomes.models import Outcome


@dataclass(frozen=True, slots=True)
class Forgotten:
    """What was removed of somebody."""

    events: int
    visits: int
    conversions: int
    exposures: int
    browsers: int = 1
    # Stated identities, and entries in lists.
    identities: int = 0
    entries: int = 0


def forget(site: Site, visitor_id: int) -> Forgotten:
    """Remove a visitor's events, visits, conversions and exposures, and take them out of the index; raises Problem.

    Reports are then what they would be without them: daily counts, credits and joined cost follow, and where somebody
    else has sent one of their order numbers, that order is the other's.
    """
    with transaction.atomic():
        lock_site(site.pk)
        visitor = Visitor.objects.filter(site=site, pk=visitor_id).first()
        if visitor is None:
            raise missing("visitor")
        visitor = visitor.joined_to or visitor
        browsers = [visitor.pk, *visitor.joined.values_list("pk", flat=True)]
        stated = Identity.objects.filter(statements__visitor__in=browsers).distinct()
        identities = {(i.kind, bytes(i.hash)): i.pk for i in stated}
        # Whoever merely says that they are somebody else takes nobody off a list.
        counted = Statement.objects.counted().filter(visitor__in=browsers).select_related("identity")
        theirs = {(s.identity.kind, bytes(s.identity.hash)) for s in counted}
        reading = SiteReader.of(Site.objects.prefetch_related("hosts", "proof_keys").get(pk=site.pk))
        events = Event.objects.filter(site=site, visitor=visitor)
        seen = list(events.values_list("time", "kind", "page_id", "visit_id", "order"))
        days = {reading.day(time) for time, *_ in seen}
        orders = {order for *_, order in seen if order}
        others = set(
            Event.objects.filter(site=site, order__in=orders)
            .exclude(visitor=visitor)
            .values_list("visitor_id", flat=True)
        )
        removed = Forgotten(
            len(seen),
            Visit.objects.filter(site=site, visitor=visitor).count(),
            Conversion.objects.filter(site=site, visitor=visitor).count(),
            Exposure.objects.filter(test__site=site, visitor=visitor).count(),
        )
        events.delete()
        # Conversions and exposures go as they do whenever their events do.
        _follow(reading, {visitor.pk, *others}, days)
        visits = Visit.objects.filter(site=site, visitor=visitor)
        by_pk = {v.pk: v for v in visits}
        changes = Changes(site.pk)
        for visit in by_pk.values():
            changes.visit(visit, -1)
        for time, kind, page_id, visit_id, _ in seen:
            seen_in = by_pk.get(visit_id or 0)
            if kind == Kind.VIEW and seen_in is not None and seen_in.traffic_class == TrafficClass.COUNTED:
                changes.view(seen_in, page_id, reading.day(time), -1)
        days |= changes.days()
        changes.apply()
        Visit.objects.filter(in_array("id", by_pk)).delete()
        keeping.refresh(site.pk, site.zone, [visitor.pk], days)
        # The cost of a day is shared among the visits that are left.
        _follow(reading, others, days)
        Visitor.objects.filter(pk__in=browsers).exclude(pk=visitor.pk).delete()
        visitor.delete()
        entries = _off_lists(site, theirs)
        # Where an identity was of too many, it may join those who are left.
        proven = Statement.objects.filter(identity=OuterRef("pk"), proven=True)
        Identity.objects.filter(pk__in=identities.values()).update(proven=Exists(proven))
        left = Statement.objects.filter(in_array("identity_id", identities.values()))
        rejoining.follow(site, list(left.values_list("visitor_id", "identity_id")[: 2 * MOST_BROWSERS]))
        Identity.objects.filter(pk__in=identities.values(), statements=None).delete()
        # And from wherever ads run.
        deliver_site(site.pk)
    return replace(removed, browsers=len(browsers), identities=len(identities), entries=entries)


def _off_lists(site: Site, identities: Collection[tuple[str, bytes]]) -> int:
    """Take these off all lists of the site, and out of what was told of them; how many entries of lists that were."""
    gone = 0
    for kind, hash_ in identities:
        gone += Listed.objects.filter(list__site=site, list__kind=kind, hash=hash_).delete()[0]
        Outcome.objects.filter(site=site, by=BY_IDENTITY[kind], identity=hash_.hex()).delete()
    return gone


def _follow(reading: SiteReader, visitors: set[int], days: set[date]) -> None:
    batch = StoredBatch(reading, restitched=dict.fromkeys(visitors, EVER), days=set(days))
    for hook in hooks.after_batch.all().values():
        hook(batch)
