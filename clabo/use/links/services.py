"""Links built, kept and removed."""

from __future__ import annotations

import io
from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import segno
from django.db import IntegrityError, transaction

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import fingerprint
from clabo.core.message import Message
from clabo.core.pages.addresses import campaign_of
from clabo.core.plans.ad_links import FIELDS, SPACES, LinkError, Naming, Parts, build, doubts
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.platform.wording import say
from clabo.setup.sites.models import Site
from clabo.use.links.models import AdLink, LinkNaming
from clabo.use.links.queries import known_of, naming_of

MOST_LINKS = 2_000


@dataclass(frozen=True, slots=True)
class Built:
    """A link's address, and what of it will not join later."""

    address: str
    doubts: list[Message]


def look_at(site: Site, parts: Parts) -> Built:
    """Build a link by the site's rules and hold it against what is known; raises Problem."""
    if parts.destination.strip().startswith("/"):
        # A page of the site's own, as it is written everywhere else.
        host = site.hosts.filter(stands_for="").order_by("pk").values_list("host", flat=True).first()
        parts = replace(parts, destination=f"https://{host or ''}{parts.destination.strip()}")
    try:
        address = build(parts, naming_of(site), site.meaningful_parameters)
    except LinkError as error:
        raise Problem(say(error.told), error.field) from None
    return Built(address, doubts(address, known_of(site, address)))


def save_link(site: Site, parts: Parts, by: User | None) -> AdLink:
    """Build a link and keep it; one that is there already is given back. Raises Problem."""
    address = look_at(site, parts).address
    said = campaign_of(address)
    page = site.page_reading.page(address)
    names = (said.source, said.medium, said.name, said.ad_group, said.ad)
    subs = dict(sorted(said.sub_ids.items()))
    mark = fingerprint(page.host, page.path, *names, *(f"{k}={v}" for k, v in subs.items()))
    if AdLink.objects.filter(site=site).count() >= MOST_LINKS:
        raise Problem(f"A site keeps at most {MOST_LINKS:,} links. Remove some first.", "destination")
    try:
        with transaction.atomic():
            return AdLink.objects.create(
                site=site,
                destination=parts.destination.strip()[:2048],
                address=address,
                host=page.host,
                path=page.path,
                **dict(zip(FIELDS, names, strict=True)),
                sub_ids=subs,
                fingerprint=mark,
                made_by=by,
            )
    except IntegrityError:
        return AdLink.objects.get(site=site, fingerprint=mark)


def link_of(site: Site, link_id: int) -> AdLink:
    """One of the site's; raises Problem."""
    found = AdLink.objects.filter(site=site, pk=link_id).first()
    if found is None:
        raise missing("link")
    return found


def remove(link: AdLink) -> None:
    """Delete it, until it is restored. What came through it stays where it is."""
    link.deleted_at = datetime.now(UTC)
    link.save(update_fields=["deleted_at"])


def set_naming(site: Site, lower: bool, space: str, required: Collection[str]) -> Naming:
    """Change the rules; links that were built stay as they are. Raises Problem."""
    if space not in SPACES:
        raise Problem("A space becomes -, _ or stays.", "space")
    if unknown := set(required) - set(FIELDS):
        raise Problem(f"There is no part {min(unknown)[:40]}. Choose from {', '.join(FIELDS)}.", "required")
    LinkNaming.objects.update_or_create(
        site=site,
        defaults={"lower": lower, "space": space, "required": [f for f in FIELDS if f in required]},
    )
    return naming_of(site)


def qr(link: AdLink) -> bytes:
    """The link as a QR code (ISO/IEC 18004), an SVG that prints at any size."""
    out = io.BytesIO()
    segno.make(link.address, error="m", micro=False).save(out, kind="svg", scale=4, border=4)
    return out.getvalue()


def reread_pages(reading: SiteReader) -> None:
    """The page of every kept link, as the site reads addresses now. Two that have become alike stay two."""
    links = list(AdLink.objects.filter(site_id=reading.site_id))
    for link in links:
        page = reading.page(link.address)
        link.host, link.path = page.host, page.path
    AdLink.objects.bulk_update(links, ["host", "path"], batch_size=500)
