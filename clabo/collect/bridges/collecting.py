"""Bridge links and the sales reported for them, as the collector answers them."""

from __future__ import annotations

import hmac
import re
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal
from urllib.parse import parse_qs, urlencode

import msgspec

from clabo.collect.bridges.models import BridgeLink
from clabo.collect.ingest.beacon import Beacon, BeaconEvent, Refused
from clabo.collect.ingest.directory import TagSite
from clabo.core.pages.addresses import AddressError, host_of
from clabo.core.paths import bridge

_HEX = re.compile(r"[0-9a-f]{32}")


@dataclass(frozen=True, slots=True)
class Bridge:
    """A bridge link as the collector knows it."""

    id: int
    slug: str
    target: str
    reference_name: str
    free_names: tuple[str, ...]
    pixel_sales: bool
    secret: str


class Bridges:
    """All bridge links by site and name, kept in memory."""

    def __init__(self) -> None:
        self._by_name: dict[tuple[int, str], Bridge] = {}
        self._by_id: dict[int, tuple[int, Bridge]] = {}

    def get(self, site: TagSite, slug: str) -> Bridge | None:
        """The site's link of that name."""
        return self._by_name.get((site.id, slug))

    def by_id(self, site: TagSite, link_id: int) -> Bridge | None:
        """The site's link with that number."""
        found = self._by_id.get(link_id)
        return found[1] if found and found[0] == site.id else None

    def refresh(self) -> None:
        """Read all links again."""
        rows = [
            (
                link.site_id,
                Bridge(
                    link.pk,
                    link.slug,
                    link.target,
                    link.reference_name,
                    tuple(link.free_names),
                    link.pixel_sales,
                    link.secret,
                ),
            )
            for link in BridgeLink.objects.filter(deleted_at=None)
        ]
        self._by_name = {(site_id, b.slug): b for site_id, b in rows}
        self._by_id = {b.id: (site_id, b) for site_id, b in rows}


def step(
    site: TagSite, link: Bridge, query: str, referrer: str, agent: str, visitor: str, secret: bytes
) -> tuple[str, bytes]:
    """Where a click on the link leads, and the beacon that counts it.

    The visitor is the one that the tag put into the link, else `visitor`, who holds for a day. The page is the
    one that the link stands on; where that is unknown, the site's first page stands for it.
    """
    given = parse_qs(query)
    told = given.get(bridge.VISITOR, [""])[0]
    known = bool(_HEX.fullmatch(told)) and not site.nameless
    who = uuid.UUID(hex=told if known else visitor)
    event_id = uuid.uuid4()
    passed = bridge.carried_parameters(query, link.free_names)
    reference = bridge.make_reference(bridge.Step(who, link.id, event_id), secret)
    page = _own_page(site, given.get(bridge.PAGE, [""])[0]) or _own_page(site, referrer)
    page = page or f"https://{_first_host(site)}/"
    url = page.partition("#")[0].partition("?")[0]
    if passed:
        url += "?" + urlencode(passed)
    properties: dict[str, str | float | bool | None] = {"link": link.slug}
    properties |= {name[:60]: value for name, value in passed if name in link.free_names}
    body = _beacon(
        who,
        BeaconEvent(
            event_id.hex,
            "step",
            0,
            url[:2048],
            name=link.slug,
            properties=properties,
            # Straight from an ad or a mail, the link itself says where the visit came from.
            campaign=not known,
            referrer="" if known else referrer[:2048],
        ),
        "phone" if "Mobi" in agent else "desktop",
    )
    return bridge.forward_to(link.target, passed, link.reference_name, reference), body


def _own_page(site: TagSite, url: str) -> str:
    try:
        return url[:1000] if url and host_of(url) in site.hosts else ""
    except AddressError:
        return ""


def _first_host(site: TagSite) -> str:
    return min(site.hosts)


def _beacon(visitor: uuid.UUID, event: BeaconEvent, device: Literal["desktop", "phone"] = "desktop") -> bytes:
    return msgspec.json.encode(Beacon(visitor.hex, device, [event]))


class Sale(msgspec.Struct, forbid_unknown_fields=True):
    """A sale as the other side reports it."""

    ref: str
    value: float | str | None = None
    currency: str = ""
    order: str = ""


_sales = msgspec.json.Decoder(Sale)


def reported(site: TagSite, bridges: Bridges, body: bytes, signed: str, secret: bytes) -> bytes:
    """The beacon of a sale reported by a server; Refused where the signature is not the link's."""
    if len(body) > 4096:
        raise Refused(413, "too_large", "The report is too large", "Send at most 4 KB.", site.id)
    try:
        sale = _sales.decode(body)
    except msgspec.ValidationError as error:
        raise Refused(
            422, "wrong_type", "A field is not as it should be", str(error)[:250], site.id
        ) from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise Refused(400, "not_json", "The report is not JSON", str(error)[:250], site.id) from None
    step_, link = _referred(site, bridges, sale.ref, secret)
    if not hmac.compare_digest(bridge.signature(body, link.secret).encode(), signed.strip().lower().encode()):
        raise Refused(
            403,
            "bad_signature",
            "The signature does not fit",
            "Sign the exact body with the link's secret: HMAC-SHA256, hexadecimal, in Clabo-Signature.",
            site.id,
        )
    return _sale(site, step_, link, sale, signed=True)


def seen_by_pixel(site: TagSite, bridges: Bridges, query: str, secret: bytes) -> bytes:
    """The beacon of a sale reported by an image; Refused where the link does not take such reports."""
    given: Mapping[str, list[str]] = parse_qs(query)
    sale = Sale(*(given.get(name, [""])[0][:300] for name in ("ref", "value", "currency", "order")))
    step_, link = _referred(site, bridges, sale.ref, secret)
    if not link.pixel_sales:
        raise Refused(
            403,
            "pixel_not_taken",
            "This link takes signed reports only",
            "Allow reports by image on the bridge link, or report from a server.",
            site.id,
        )
    return _sale(site, step_, link, sale)


def _referred(site: TagSite, bridges: Bridges, ref: str, secret: bytes) -> tuple[bridge.Step, Bridge]:
    found = bridge.read_reference(ref, secret)
    link = bridges.by_id(site, found.link) if found else None
    if found is None or link is None:
        raise Refused(
            422,
            "unknown_reference",
            "No step has this reference",
            "Send back the reference as it came.",
            site.id,
        )
    return found, link


def _sale(site: TagSite, step_: bridge.Step, link: Bridge, sale: Sale, signed: bool = False) -> bytes:
    order = sale.order.replace("\x00", "")[:100]
    properties: dict[str, str | float | bool | None] = {
        "link": link.slug,
        "step": step_.id.hex,
        "value": sale.value if not isinstance(sale.value, str) else sale.value[:40],
        "currency": sale.currency[:3],
        "order": order,
    }
    event = BeaconEvent(
        bridge.sale_id(step_, order).hex,
        "sale",
        0,
        f"https://{_first_host(site)}/",
        name=link.slug,
        properties={k: v for k, v in properties.items() if v not in ("", None)},
        proven=signed,
    )
    return _beacon(step_.visitor, event)


# -- changing them -----------------------------------------------------------------------------------
