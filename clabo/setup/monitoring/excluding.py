"""Taking something out of reports, and putting it back: noted at once, applied to the past by the worker."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from datetime import UTC, datetime

from django.db import transaction
from django.db.models import QuerySet

from clabo.collect.events.exclusions import InForce, What, person_of
from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Event, Exclusion, Kind, TrafficClass, Visit, Visitor
from clabo.collect.events.storage.rollups import Changes
from clabo.collect.events.storage.storing import EVER, StoredBatch
from clabo.collect.pipeline import hooks
from clabo.platform.accounts.models import User
from clabo.platform.db.arrays import in_array
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site

# So many visits change in one transaction: others of the site wait no longer than that takes.
SLICE = 2000
MOST_IN_FORCE = 200


def exclude(
    site: Site,
    what: str,
    by: User | None,
    network: str = "",
    visitor_id: int | None = None,
    from_at: datetime | None = None,
    until_at: datetime | None = None,
) -> Exclusion:
    """Take a network, a visitor or a period out of the site's reports; raises Problem naming the field."""
    if what not in What.values:
        raise Problem(f"Choose one of {', '.join(What.values)}.", "what")
    if what == What.NETWORK and not network:
        raise Problem("Say which network.", "network")
    if what == What.VISITOR and not Visitor.objects.filter(site=site, pk=visitor_id or 0).exists():
        raise missing("visitor")
    if what == What.PERIOD and (from_at is None or until_at is None):
        raise Problem("A period has a beginning and an end.", "from_at" if from_at is None else "until_at")
    if from_at and until_at and from_at >= until_at:
        raise Problem("The end comes after the beginning.", "until_at")
    if Exclusion.objects.filter(site=site, undone_at=None).count() >= MOST_IN_FORCE:
        raise Problem(f"{MOST_IN_FORCE} are excluded already. Include some again first.", status=409)
    return Exclusion.objects.create(
        site=site,
        what=what,
        network=network[:16] if what == What.NETWORK else "",
        visitor_id=visitor_id if what == What.VISITOR else None,
        from_at=from_at,
        until_at=until_at,
        made_by=by,
    )


def undo(site: Site, exclusion_id: int) -> Exclusion:
    """Put back what was taken out; raises Problem."""
    found = Exclusion.objects.filter(site=site, pk=exclusion_id, undone_at=None).first()
    if found is None:
        raise missing("exclusion")
    found.undone_at, found.visits = datetime.now(UTC), None
    found.save()
    return found


def in_force(site: Site) -> list[Exclusion]:
    """What is set aside now, the newest first."""
    return list(
        Exclusion.objects.filter(site=site, undone_at=None)
        .select_related("visitor", "made_by")
        .order_by("-id")
    )


def apply_next(site_id: int) -> bool:
    """Apply one slice of what is still to be applied on a site; whether there was anything. Waits for the site."""
    waiting = Exclusion.objects.filter(site=site_id, visits=None).order_by("id").first()
    if waiting is None:
        return False
    _apply_slice(waiting)
    return True


def _apply_slice(exclusion: Exclusion) -> None:
    with transaction.atomic():
        lock_site(exclusion.site_id)
        site = Site.objects.prefetch_related("hosts", "proof_keys").get(pk=exclusion.site_id)
        rules = InForce(site.pk)
        before, after = (
            (TrafficClass.ASIDE, TrafficClass.COUNTED)
            if exclusion.undone_at
            else (TrafficClass.COUNTED, TrafficClass.ASIDE)
        )
        meant = _meant(exclusion).filter(traffic_class=before).order_by("id")
        changing = [
            v
            for v in meant.iterator(chunk_size=SLICE)
            if rules.leaves_out(v.network, v.visitor_id, v.started_at) == (after == TrafficClass.ASIDE)
        ][:SLICE]
        if changing:
            _change(SiteReader.of(site), changing, after)
        if len(changing) < SLICE:
            exclusion.visits = _meant(exclusion).filter(traffic_class=after).count()
            exclusion.save(update_fields=["visits"])


def _meant(exclusion: Exclusion) -> QuerySet[Visit]:
    visits = Visit.objects.filter(site=exclusion.site_id)
    if exclusion.from_at:
        visits = visits.filter(started_at__gte=exclusion.from_at)
    if exclusion.until_at:
        visits = visits.filter(started_at__lt=exclusion.until_at)
    if exclusion.what == What.NETWORK:
        visits = visits.filter(network=exclusion.network)
    elif exclusion.what == What.VISITOR:
        visits = visits.filter(visitor=person_of(exclusion))
    return visits


def _change(reading: SiteReader, visits: Collection[Visit], after: int) -> None:
    """Give visits another traffic class, and everything that rests on it what then holds."""
    changes = Changes(reading.site_id)
    views: defaultdict[int, list[tuple[int, datetime]]] = defaultdict(list)
    rows = Event.objects.filter(
        in_array("visit_id", [v.pk for v in visits]),
        site_id=reading.site_id,
        kind=Kind.VIEW,
        time__gte=min(v.started_at for v in visits),
        time__lte=max(v.ended_at for v in visits),
    )
    for visit_id, page_id, time in rows.values_list("visit_id", "page_id", "time"):
        assert visit_id is not None
        views[visit_id].append((page_id, time))
    for visit in visits:
        for sign in (-1, +1):
            if sign > 0:
                visit.traffic_class = after
            changes.visit(visit, sign)
            for page_id, time in views[visit.pk]:
                changes.view(visit, page_id, reading.day(time), sign)
    Visit.objects.filter(in_array("id", [v.pk for v in visits])).update(traffic_class=after)
    days = changes.days()
    changes.apply()
    batch = StoredBatch(reading, restitched=dict.fromkeys((v.visitor_id for v in visits), EVER), days=days)
    for hook in hooks.after_batch.all().values():
        hook(batch)
