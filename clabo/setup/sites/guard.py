"""Whether a name on the network leads to public addresses only."""

from __future__ import annotations

import ipaddress
import socket

from clabo.platform.problems import Problem


def public_address(name: str, port: int, is_local: bool) -> str:
    """An address that `name` stands for, once all of them are found to be public; raises Problem.

    `is_local`: it may lie in a private network all the same.
    """
    try:
        found = socket.getaddrinfo(name, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise Problem(f"The name {name[:80]} is not known. Is it spelt right?", "url") from None
    addresses = [str(entry[4][0]) for entry in found]
    if not is_local and not all(map(_is_public, addresses)):
        raise Problem("This name leads into a private network. Only public addresses are asked.", "url")
    return addresses[0]


# Global unicast (RFC 4291 §2.4): everything else in IPv6 is special, or carries an IPv4 address inside.
_GLOBAL_UNICAST = ipaddress.ip_network("2000::/3")


def _is_public(address: str) -> bool:
    ip = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(ip, ipaddress.IPv6Address) and (ip not in _GLOBAL_UNICAST or ip.sixtofour or ip.teredo):
        return False
    return ip.is_global and not ip.is_multicast
