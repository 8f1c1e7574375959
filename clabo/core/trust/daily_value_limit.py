"""How much value a day may bring without a proof (definitions: "Value").

The site key is public, so anyone can send an order of any value. What lies beyond the limits is kept and shown, and
stands in no sum.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

# What a rule has unless somebody says otherwise: far above what one shop sells, far below what would drown it.
VISITOR, NETWORK, SITE = Decimal(100_000), Decimal(1_000_000), Decimal(10_000_000)


@dataclass(frozen=True, slots=True)
class DayLimits:
    """The most value of a day for one visitor, for one network and in all, in the site's currency; None: no limit."""

    visitor: Decimal | None = None
    network: Decimal | None = None
    site: Decimal | None = None

    @property
    def least(self) -> Decimal | None:
        """What a day's whole value must exceed before anything can lie beyond; None where nothing ever does."""
        return min((x for x in (self.visitor, self.network, self.site) if x is not None), default=None)


@dataclass(frozen=True, slots=True)
class Valued:
    """A conversion's value; `network` is empty where none is known, and no limit of a network holds then."""

    visitor: int
    network: str
    value: Decimal
    proven: bool = False


def beyond(values: Sequence[Valued], limits: DayLimits) -> list[int]:
    """Places of the values of one day, given in order of receipt, that lie beyond the limits.

    A value that would lift a sum over its limit is left out of all of them, so one absurd value takes no room from
    those after it. Proven values are never beyond, and take no room either.

    >>> beyond([Valued(1, "", Decimal(9000)), Valued(1, "", Decimal(40))], DayLimits(visitor=Decimal(100)))
    [0]
    """
    sums: defaultdict[tuple[str, object], Decimal] = defaultdict(Decimal)
    found = []
    for place, one in enumerate(values):
        if one.proven:
            continue
        kept = {
            ("visitor", one.visitor): limits.visitor,
            ("network", one.network): limits.network if one.network else None,
            ("site", None): limits.site,
        }
        if any(most is not None and sums[who] + one.value > most for who, most in kept.items()):
            found.append(place)
        else:
            for who in kept:
                sums[who] += one.value
    return found
