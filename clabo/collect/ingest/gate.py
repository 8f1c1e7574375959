"""Who sends too much: limits a minute, and the network that a hit came from, told apart and never known.

The site key is public, so anyone can send. Limits are generous: whoever meets one is refused with a word, counted,
and shown on Pixel. What would fill the inventories (pages, origins, visitors) is not refused but counted under one
name; see inventory.py.
"""

from __future__ import annotations

import hmac
import time
from functools import lru_cache
from ipaddress import IPv6Address, ip_address, ip_network

from clabo.collect.ingest.beacon import Refused
from clabo.collect.ingest.directory import TagSite

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


class _Minute:
    """Requests of a site in one minute: of each visitor and network, and in all."""

    __slots__ = ("all", "networks", "visitors")

    def __init__(self) -> None:
        self.all = 0
        self.visitors: dict[str, int] = {}
        self.networks: dict[str, int] = {}


class Limits:
    """Requests of the current minute by visitor, network and site, in this process."""

    def __init__(self) -> None:
        self._minute = 0
        self._sites: dict[int, _Minute] = {}

    def admit(self, site: TagSite, visitor: str, network: str) -> None:
        """Count one request; raises Refused once there are too many."""
        minute = int(time.monotonic() // 60)
        if minute != self._minute:
            self._minute, self._sites = minute, {}
        found = self._sites.get(site.id)
        if found is None:
            found = self._sites[site.id] = _Minute()
        if visitor:
            count = found.visitors[visitor] = found.visitors.get(visitor, 0) + 1
            if count > PER_VISITOR:
                raise _too_many(site, "too_many_of_visitor", "One visitor", PER_VISITOR)
        if network:
            count = found.networks[network] = found.networks.get(network, 0) + 1
            if count > PER_NETWORK:
                raise _too_many(site, "too_many_of_network", "One network", PER_NETWORK)
        found.all += 1
        if found.all > PER_SITE:
            raise _too_many(site, "too_many", "The site", PER_SITE)


def _too_many(site: TagSite, reason: str, words: str, most: int) -> Refused:
    detail = f"{words} sent more than {most:,} hits in a minute. Keep it and try again in a minute."
    return Refused(429, reason, "Too many hits", detail, site.id)
