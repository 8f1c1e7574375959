"""Pages, origins and visitors: found or made, many at a time."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from hashlib import blake2b
from uuid import UUID

from django.db.models import Max

from clabo.collect.events.intake.allowance import Allowance
from clabo.collect.events.intake.busy import Came
from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader
from clabo.collect.events.intake.wanted import Wanted, ad
from clabo.collect.events.models import Element, EventName, Kind, Origin, Page, Visitor, fingerprint
from clabo.core.pages.addresses import Address, Campaign
from clabo.core.pages.traffic_source import classify
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids

# The path of no page: a space is always escaped in one.
CROWD_PATH = "/(too many to tell apart)"
CROWD_SOURCE = CROWD_NAME = "(too many to tell apart)"


def pages(
    site_id: int, parsed_events: Collection[ParsedEvent], allowance: Allowance
) -> tuple[dict[Address, Page], set[Address]]:
    """The page of every parsed, with its inventory brought up to date; and which are new.

    A parsed whose page is one too many gets its host's page for all of these.
    """
    found = _pages(site_id, {d.page for d in parsed_events})
    first: dict[Address, datetime] = {}
    for parsed in parsed_events:
        if parsed.page in found or parsed.page in first:
            continue
        if allowance.admits("pages", parsed.network, parsed.page, is_wanted=_page_wanted(parsed)):
            first[parsed.page] = parsed.time
        else:
            parsed.page = Address(parsed.page.host, CROWD_PATH)
            if parsed.page not in found:
                first.setdefault(parsed.page, parsed.time)
    if first:
        Page.objects.bulk_create(
            [
                Page(
                    site_id=site_id,
                    host=a.host,
                    path=a.path,
                    first_at=t,
                    last_at=t,
                    crowd=a.path == CROWD_PATH,
                    spare=a.path == CROWD_PATH,
                )
                for a, t in first.items()
            ],
            ignore_conflicts=True,
        )
        found = _pages(site_id, {d.page for d in parsed_events})
    for parsed in parsed_events:
        if not parsed.touches:
            continue
        page = found[parsed.page]
        page.first_at = min(page.first_at, parsed.time)
        if parsed.time >= page.last_at:
            page.last_at = parsed.time
            if parsed.title and not page.crowd:
                page.title = parsed.title
        if parsed.kind == Kind.VIEW:
            page.views += 1
        if parsed.twice and (page.twice_at is None or parsed.time > page.twice_at):
            page.twice_at = parsed.time
    Page.objects.bulk_create(
        found.values(),
        update_conflicts=True,
        unique_fields=["id"],
        update_fields=["first_at", "last_at", "title", "views", "twice_at"],
    )
    return found, set(first)


def _page_wanted(parsed: ParsedEvent) -> Callable[[Wanted], bool]:
    return lambda wanted: parsed.page in wanted.pages or wanted.event(parsed)


def _pages(site_id: int, wanted: Iterable[Address]) -> dict[Address, Page]:
    wanted = set(wanted)
    rows = Page.objects.filter(
        site_id=site_id, host__in={a.host for a in wanted}, path__in={a.path for a in wanted}
    )
    return {a: p for p in rows if (a := Address(p.host, p.path)) in wanted}


ElementKey = tuple[int, str]  # kind, fingerprint


def element_key(parsed: ParsedEvent) -> ElementKey:
    """What tells the parsed's element from others of its site."""
    return parsed.kind, fingerprint(json.dumps(parsed.element, sort_keys=True))


def elements(
    site_id: int, parsed_events: Iterable[ParsedEvent], allowance: Allowance
) -> dict[ElementKey, Element]:
    """The element of every parsed that has one, with its inventory brought up to date.

    Forged or generated ids must not fill it: what is one too many is told apart no more.
    """
    acted = [(element_key(d), d) for d in parsed_events if d.element is not None]
    if not acted:
        return {}
    found = _elements(site_id, {key for key, _ in acted})
    fresh: dict[ElementKey, Element] = {}
    others: dict[ElementKey, ElementKey] = {}
    for key, parsed in acted:
        if key in found or key in fresh or key in others:
            continue
        traits = parsed.element or {}
        if not allowance.admits("elements", parsed.network, key, key[0], _event_wanted(parsed)):
            others[key] = key = (key[0], "")
            traits = {}
        fresh.setdefault(
            key,
            Element(
                site_id=site_id,
                kind=key[0],
                traits=traits,
                fingerprint=key[1],
                spare=not key[1],
                first_at=parsed.time,
                last_at=parsed.time,
            ),
        )
    if fresh:
        Element.objects.bulk_create(fresh.values(), ignore_conflicts=True)
        found |= _elements(site_id, set(fresh))
        found |= {key: found[other] for key, other in others.items()}
    for key, parsed in acted:
        element = found[key]
        element.times += 1
        element.first_at = min(element.first_at, parsed.time)
        element.last_at = max(element.last_at, parsed.time)
    Element.objects.bulk_create(
        {e.pk: e for e in found.values()}.values(),
        update_conflicts=True,
        unique_fields=["id"],
        update_fields=["first_at", "last_at", "times"],
    )
    return found


def _event_wanted(parsed: ParsedEvent) -> Callable[[Wanted], bool]:
    return lambda wanted: wanted.event(parsed)


def names(site_id: int, parsed_events: Iterable[ParsedEvent], allowance: Allowance) -> None:
    """Bring the inventory of event names up to date; an event whose name is one too many gets the name of all of these."""
    named = [d for d in parsed_events if d.name and d.kind not in (Kind.STEP, Kind.SALE)]
    if not named:
        return
    asked = EventName.objects.filter(in_array("name", {d.name for d in named}, "text"), site_id=site_id)
    known = set(asked.values_list("name", flat=True))
    fresh: set[str] = set()
    for parsed in named:
        if parsed.name in known or parsed.name in fresh or parsed.name == CROWD_NAME:
            continue
        if allowance.admits("names", parsed.network, parsed.name, is_wanted=_event_wanted(parsed)):
            fresh.add(parsed.name)
        else:
            parsed.name = CROWD_NAME
    EventName.objects.bulk_create(
        [EventName(site_id=site_id, name=name) for name in sorted(fresh)], ignore_conflicts=True
    )


def _elements(site_id: int, wanted: Collection[ElementKey]) -> dict[ElementKey, Element]:
    rows = Element.objects.filter(site_id=site_id, fingerprint__in={key[1] for key in wanted})
    return {key: e for e in rows if (key := (e.kind, e.fingerprint)) in wanted}


@dataclass(frozen=True, slots=True)
class Beginning:
    """What a visit began with, as far as it says where the visit came from."""

    source: str
    medium: str
    campaign: str
    ad_group: str
    ad: str
    click_kind: str
    click_id: str
    referrer: str

    @classmethod
    def of(cls, campaign: Campaign, referrer: str) -> Beginning:
        """The beginning of a visit whose first hit had this campaign and referrer."""
        c = campaign
        return cls(c.source, c.medium, c.name, c.ad_group, c.ad, c.click_kind, c.click_id, referrer)


def origins(
    reading: SiteReader, beginnings: Mapping[Beginning, str], allowance: Allowance
) -> dict[Beginning, Origin]:
    """The origin row of every beginning, each with the network that it came from.

    One too many gets its channel's row for all of these.
    """
    made: dict[Beginning, Origin] = {}
    for b in beginnings:
        campaign = Campaign(b.source, b.medium, b.campaign, b.ad_group, b.ad, b.click_kind, b.click_id)
        where = classify(campaign, b.referrer, reading.hosts)
        parts = (where.channel, where.source[:260], b.medium, b.campaign, b.ad_group, b.ad)
        made[b] = Origin(
            site_id=reading.site_id,
            channel=where.channel,
            source=parts[1],
            medium=b.medium,
            campaign=b.campaign,
            ad_group=b.ad_group,
            ad=b.ad,
            fingerprint=fingerprint(*parts),
        )

    def stored() -> dict[str, Origin]:
        rows = Origin.objects.filter(
            site_id=reading.site_id, fingerprint__in={o.fingerprint for o in made.values()}
        )
        return {o.fingerprint: o for o in rows}

    found = stored()
    for b, origin in made.items():
        if origin.fingerprint not in found and not allowance.admits(
            "origins", beginnings[b], origin.fingerprint, is_wanted=_ad_wanted(origin)
        ):
            crowd = (origin.channel, CROWD_SOURCE, "", "", "", "")
            made[b] = Origin(
                site_id=reading.site_id,
                channel=origin.channel,
                source=CROWD_SOURCE,
                spare=True,
                fingerprint=fingerprint(*crowd),
            )
    found = stored()
    missing = {o.fingerprint: o for o in made.values() if o.fingerprint not in found}
    if missing:
        Origin.objects.bulk_create(missing.values(), ignore_conflicts=True)
        found = stored()
    return {b: found[o.fingerprint] for b, o in made.items()}


def _ad_wanted(origin: Origin) -> Callable[[Wanted], bool]:
    which = ad(origin.source, origin.campaign, origin.ad_group, origin.ad)
    return lambda wanted: which in wanted.ads


def fold_visitors(site_id: int, parsed_events: Collection[ParsedEvent], allowance: Allowance) -> None:
    """Put hits of new visitors beyond what one network may bring down to one visitor of that network."""
    keys = {d.visitor_key for d in parsed_events if d.network}
    if not keys:
        return
    known = set(
        Visitor.objects.filter(in_array("key", keys, "uuid"), site_id=site_id).values_list("key", flat=True)
    )
    for parsed in parsed_events:
        if (
            parsed.network
            and parsed.visitor_key not in known
            and not allowance.admits("visitors", parsed.network, parsed.visitor_key)
        ):
            parsed.visitor_key = UUID(
                bytes=blake2b(
                    f"{site_id}|{parsed.network}".encode(), digest_size=16, person=b"crowd"
                ).digest()
            )
            parsed.person = {}


def visitors(
    site_id: int,
    seen: dict[UUID, tuple[datetime, datetime]],
    came: Came | None = None,
    visits: int = 1,
) -> tuple[dict[UUID, Visitor], set[UUID]]:
    """The visitor of every cookie id, seen from first to last in this batch; and which are new.

    `came`: what is known of them already. A new one is stored as having made so many visits: one is nearly always right. The caller holds the site's lock.
    """
    found = {key: v for key in seen if came and (v := came.known.get(key))}
    if asked := [key for key in seen if not came or key not in came.asked]:
        stored = Visitor.objects.filter(in_array("key", asked, "uuid"), site_id=site_id)
        found |= {v.key: v for v in stored}
    new = [key for key in seen if key not in found]
    last_number = (
        Visitor.objects.filter(site_id=site_id).aggregate(Max("number"))["number__max"] if new else 0
    )
    fresh = [
        Visitor(
            site_id=site_id,
            key=key,
            number=number,
            first_at=seen[key][0],
            last_at=seen[key][1],
            visits=visits,
            busy_on=told[0],
            busy=told[1],
            events=came.in_all.get(key, 0) if came else 0,
        )
        for number, key in enumerate(new, (last_number or 0) + 1)
        for told in [came.of_day.get(key, (None, 0)) if came else (None, 0)]
    ]
    for visitor, visitor_id in zip(fresh, new_ids(Visitor, len(fresh)), strict=True):
        visitor.pk = visitor_id
    copy_in(Visitor, fresh)
    return found | {v.key: v for v in fresh}, {v.key for v in fresh}


def persons(browsers: Iterable[Visitor], others: Collection[int]) -> dict[int, Visitor]:
    """These visitors, those whom they are joined to now, and `others`, by id; the same objects where they are known."""
    found = {v.pk: v for v in browsers}
    stale = {*others} & set(found)
    joined_to = (
        dict(Visitor.objects.filter(in_array("id", stale)).values_list("id", "joined_to")) if stale else {}
    )
    for pk, owner in joined_to.items():
        found[pk].joined_to_id = owner
    missing = {*others, *(v.joined_to_id for v in found.values() if v.joined_to_id)} - set(found)
    return found | ({v.pk: v for v in Visitor.objects.filter(in_array("id", missing))} if missing else {})
