"""What a site states of who somebody is, and whose browsers belong to one person for it.

An identity is the SHA-256 of a normalised e-mail address or customer id; nothing here, and nothing on the server,
ever holds the text itself.
"""

from __future__ import annotations

import unicodedata
from collections import defaultdict
from collections.abc import Collection, Hashable, Iterable
from hashlib import sha256
from itertools import pairwise
from typing import Protocol, Self, TypeVar

KINDS = ("email", "id")
# An identity that more browsers state than this is somebody's test address, or the shop's own: it joins none of them.
MOST_BROWSERS = 20
# Somebody at that browser serves others: it belongs to nobody.
MOST_STATED = 10
# Nor are more browsers than this one person, whatever links them.
MOST_TOGETHER = 40
# Named, for languages differ in what they call white space.
_WHITE = " \t\n\v\f\r\u00a0\ufeff"


def normalise(kind: str, text: str) -> str:
    """The one spelling of an e-mail address or customer id that is hashed; empty where there is nothing.

    White space around it goes, Unicode is composed (NFC, UAX #15), and an e-mail address is in small letters. The same
    as in `tag/src/identity.ts`; both are held to `tag/identity-vectors.json`.

    Examples
    --------
    >>> normalise("email", "  Ada@Example.COM ")
    'ada@example.com'
    """
    composed = unicodedata.normalize("NFC", text).strip(_WHITE)
    return composed.lower() if kind == "email" else composed


def digest(kind: str, text: str) -> str:
    """SHA-256 (FIPS 180-4) of the normalised text in UTF-8, as 64 hexadecimal digits; raises ValueError on nothing."""
    normal = normalise(kind, text)
    if not normal:
        raise ValueError("there is nothing to hash")
    return sha256(normal.encode()).hexdigest()


class _Ordered(Hashable, Protocol):
    def __lt__(self, other: Self, /) -> bool: ...


B = TypeVar("B", bound=_Ordered)


def connected(statements: Iterable[tuple[B, Hashable]], crowded: Collection[Hashable] = ()) -> list[set[B]]:
    """Browsers that share identities, directly or through others, in groups of two or more.

    Parameters
    ----------
    statements : iterable of (browser, identity)
        In any order; repeats change nothing.
    crowded : collection of identities
        Those that more than MOST_BROWSERS browsers state, where `statements` do not hold them all.

    Returns
    -------
    list of sets of browsers
        An identity of more than MOST_BROWSERS browsers connects none, nor does a browser with more than MOST_STATED
        identities.
    """
    carriers: defaultdict[Hashable, set[B]] = defaultdict(set)
    stated: defaultdict[B, set[Hashable]] = defaultdict(set)
    for browser, identity in statements:
        carriers[identity].add(browser)
        stated[browser].add(identity)
    root: dict[B, B] = {}

    def find(browser: B) -> B:
        while root.setdefault(browser, browser) != browser:
            root[browser] = browser = root[root[browser]]
        return browser

    for identity, browsers in carriers.items():
        if len(browsers) <= MOST_BROWSERS and identity not in crowded:
            for one, other in pairwise(b for b in browsers if len(stated[b]) <= MOST_STATED):
                root[find(one)] = find(other)
    groups: defaultdict[B, set[B]] = defaultdict(set)
    for browser in list(root):
        groups[find(browser)].add(browser)
    return list(groups.values())


def joined(statements: Iterable[tuple[B, Hashable]], crowded: Collection[Hashable] = ()) -> dict[B, B]:
    """Which browser stands for the person, for every browser that is connected with another (`connected`).

    Returns
    -------
    dict
        Browser to browser: of those that are connected, the smallest, itself included. A browser on its own is not in
        it, nor is one of more than MOST_TOGETHER.

    Examples
    --------
    >>> joined([("b", 1), ("a", 1), ("c", 2), ("a", 2), ("d", 3)]) == {"a": "a", "b": "a", "c": "a"}
    True
    """
    groups = [g for g in connected(statements, crowded) if len(g) <= MOST_TOGETHER]
    return {browser: least for group in groups for least in [min(group)] for browser in group}
