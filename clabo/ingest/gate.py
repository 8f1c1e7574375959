"""Who sends too much: limits a minute, and the network that a hit came from, told apart and never known.

The site key is public, so anyone can send. Limits are generous: whoever meets one is refused with a word, counted,
and shown on Pixel. What would fill the inventories (pages, origins, visitors) is not refused but counted under one
name; see inventory.py.
"""

from __future__ import annotations

import hmac
import time
from collections import Counter
from functools import lru_cache
from ipaddress import IPv6Address, ip_address, ip_network

from clabo.ingest.beacon import Refused
from clabo.ingest.directory import TagSite

# Requests a minute.
PER_VISITOR = 10_000
PER_NETWORK = 60_000
PER_SITE = 600_000


# Addresses are kept in memory alone, and so many of them: those that send much send often.
@lru_cache(maxsize=4096)
def network_of(address: str, secret: bytes, site_id: int) -> str:
    """The network of an address (IPv4 /24, IPv6 /48) as 16 hexadecimal digits that nobody can turn back.

    Alike for one site only. Empty where the address is no public one: then it says nothing about who sends, as
    behind a proxy that is not named.
    """
    try:
        ip = ip_address(address.partition("%")[0])
    except ValueError:
        return ""
    if isinstance(ip, IPv6Address) and ip.ipv4_mapped:
        ip = ip.ipv4_mapped
    if not ip.is_global:
        return ""
    network = ip_network((ip, 24 if ip.version == 4 else 48), strict=False)
    told = f"{site_id}|{network.network_address}".encode()
    return hmac.new(secret, told, "sha256").hexdigest()[:16]


class Limits:
    """Requests of the current minute by visitor, network and site, in this process."""

    def __init__(self) -> None:
        self._minute = 0
        self._counts: Counter[tuple[int, str]] = Counter()

    def admit(self, site: TagSite, visitor: str, network: str) -> None:
        """Count one request; raises Refused once there are too many."""
        minute = int(time.monotonic() // 60)
        if minute != self._minute:
            self._minute = minute
            self._counts = Counter()
        if visitor:
            self._count(site, "v" + visitor, PER_VISITOR, "too_many_of_visitor", "One visitor")
        if network:
            self._count(site, "n" + network, PER_NETWORK, "too_many_of_network", "One network")
        self._count(site, "", PER_SITE, "too_many", "The site")

    def _count(self, site: TagSite, who: str, most: int, reason: str, words: str) -> None:
        key = (site.id, who)
        self._counts[key] += 1
        if self._counts[key] > most:
            raise Refused(
                429,
                reason,
                "Too many hits",
                f"{words} sent more than {most:,} hits in a minute. Keep it and try again in a minute.",
                site.id,
            )
