"""Bridge links: addresses that count a step and forward to a page that is not the site's.

The click reference that is passed on says by itself whose step it was, and proves that it is one of ours: a sale
that is reported for it needs no look-up.
"""

from __future__ import annotations

import hmac
import re
from base64 import urlsafe_b64decode, urlsafe_b64encode
from binascii import Error as BinasciiError
from collections.abc import Iterable
from dataclasses import dataclass
from hashlib import blake2b
from urllib.parse import parse_qsl, urlencode, urlsplit, urlunsplit
from uuid import UUID

_KEPT = re.compile(r"utm_(?:source|medium|campaign|term|content)|sub[1-5]|[a-z0-9_]{1,36}clid", re.ASCII)
_PROOF = 12
MOST_VALUE = 200
# What the tag adds to a bridge link: the visitor, and the page that the link stands on.
VISITOR, PAGE = "clabo_v", "clabo_p"


@dataclass(frozen=True, slots=True)
class Step:
    """What a click reference says: whose step, over which link, and which step it was."""

    visitor: UUID
    link: int
    id: UUID


def carried_parameters(query: str, free: Iterable[str] = ()) -> list[tuple[str, str]]:
    """The parameters of `query` that are passed on: campaign, click id, sub1 to sub5, and the `free` names."""
    allowed = set(free)
    found: dict[str, str] = {}
    for name, value in parse_qsl(query)[:100]:
        if _KEPT.fullmatch(name.lower()) or name in allowed:
            found.setdefault(name, value[:MOST_VALUE])
    return list(found.items())


def forward_to(
    target: str, parameters: Iterable[tuple[str, str]], reference_name: str, reference: str
) -> str:
    """`target` with what is passed on, and the click reference.

    What the target says itself is never overwritten, and its scheme and host never change: whatever a link is
    called with, it leads only where its owner said.
    """
    parts = urlsplit(target)
    own = parse_qsl(parts.query, keep_blank_values=True)
    named = {name for name, _ in own}
    more = [(name, value) for name, value in parameters if name not in named and name != reference_name]
    query = urlencode([*own, *more, (reference_name, reference)])
    return urlunsplit((parts.scheme, parts.netloc, parts.path, query, parts.fragment))


def make_reference(step: Step, secret: bytes) -> str:
    """The click reference of a step: 64 characters of letters, digits, - and _."""
    told = step.visitor.bytes + step.id.bytes + step.link.to_bytes(4, "big")
    return urlsafe_b64encode(told + _proof(told, secret)).decode()


def read_reference(text: str, secret: bytes) -> Step | None:
    """The step that a reference names; None where it is none of ours."""
    if len(text) != 64 or not text.isascii():
        return None
    try:
        data = urlsafe_b64decode(text)
    except (BinasciiError, ValueError):
        return None
    told, proof = data[:-_PROOF], data[-_PROOF:]
    if not hmac.compare_digest(proof, _proof(told, secret)):
        return None
    return Step(UUID(bytes=told[:16]), int.from_bytes(told[32:], "big"), UUID(bytes=told[16:32]))


def _proof(told: bytes, secret: bytes) -> bytes:
    return blake2b(told, digest_size=_PROOF, key=secret[:64], person=b"clabo bridge").digest()


def sale_id(step: Step, order: str) -> UUID:
    """The event id of a reported sale: the same report twice is one sale."""
    return UUID(bytes=blake2b(step.id.bytes + order.encode(), digest_size=16, person=b"clabo sale").digest())


def signature(body: bytes, secret: str) -> str:
    """What a server that reports a sale signs it with: HMAC-SHA256 (RFC 2104) of the body, in hexadecimal."""
    return hmac.new(secret.encode(), body, "sha256").hexdigest()
