"""How much that is new a site takes in, in all and from one network a day; more is counted under one name.

The site key is public: made-up addresses, campaigns and ids must neither fill the tables nor slow the screens.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable
from datetime import UTC, datetime
from functools import cached_property
from typing import Literal
from zoneinfo import ZoneInfo

from django.db.models import Count, Q

from clabo.collect.events.intake.wanted import Wanted, wanted_of
from clabo.collect.events.models import Element, EventName, NetworkDay, Origin, Page
from clabo.collect.ingest import refusals

What = Literal["pages", "origins", "visitors", "elements", "names"]
# Of a site, of those that take room (room.py); of elements, of each kind. There is no end to a site's visitors.
MOST: dict[What, int] = {"pages": 20_000, "origins": 10_000, "elements": 2_000, "names": 2_000}
# And of all that there ever were, so many times as many.
MOST_EVER = 10
# What somebody waits for is told apart beyond that, up to so many.
KEPT: dict[What, int] = {"pages": 2_000, "origins": 2_000, "elements": 500, "names": 500}
# From one network in a day.
FROM_NETWORK: dict[What, int] = {
    "pages": 500,
    "origins": 200,
    "visitors": 5_000,
    "elements": 300,
    "names": 100,
}
_MODELS: dict[What, type[Page | Origin | Element | EventName]] = {
    "pages": Page,
    "origins": Origin,
    "elements": Element,
    "names": EventName,
}


class Allowance:
    """What one batch of a site may make new."""

    def __init__(self, site_id: int, zone: ZoneInfo) -> None:
        self.site_id = site_id
        self.day = datetime.now(UTC).astimezone(zone).date()
        # Room for anything, and for what somebody waits for; by what, and of elements by kind.
        self._room: dict[tuple[What, int], tuple[int, int]] = {}
        self._networks: dict[str, NetworkDay] = {}
        self._admitted: set[tuple[What, Hashable]] = set()
        self._folded: Counter[What] = Counter()

    def admits(
        self,
        what: What,
        network: str,
        which: Hashable,
        kind: int = 0,
        is_wanted: Callable[[Wanted], bool] = lambda wanted: False,
    ) -> bool:
        """Whether one more of a kind may be made, `which` says which; asked again it is the same one.

        `is_wanted`: whether somebody waits for it, where there is no room otherwise.
        """
        if (what, which) in self._admitted:
            return True
        row = self._network(network) if network else None
        open_to_all, kept = self._left(what, kind)
        fits = open_to_all > 0 and not (row and getattr(row, what) >= FROM_NETWORK[what])
        if not fits and not (kept > 0 and is_wanted(self.wanted)):
            self._folded[what] += 1
            return False
        self._admitted.add((what, which))
        if what in MOST:
            self._room[what, kind] = open_to_all - 1, kept - 1
        if row:
            setattr(row, what, getattr(row, what) + 1)
        return True

    @cached_property
    def wanted(self) -> Wanted:
        """What the site's people wait for."""
        return wanted_of(self.site_id)

    def _left(self, what: What, kind: int) -> tuple[int, int]:
        if what not in MOST:
            return 1, 0
        if (what, kind) not in self._room:
            which = {"kind": kind} if what == "elements" else {}
            count = (
                _MODELS[what]
                .objects.filter(site_id=self.site_id, **which)
                .aggregate(live=Count("pk", filter=Q(spare=False)), ever=Count("pk"))
            )
            most = MOST_EVER * MOST[what] - count["ever"]
            self._room[what, kind] = min(MOST[what] - count["live"], most), most + KEPT[what]
        return self._room[what, kind]

    def _network(self, network: str) -> NetworkDay:
        if network not in self._networks:
            key = {"site_id": self.site_id, "day": self.day, "network": network}
            self._networks[network] = NetworkDay.objects.filter(**key).first() or NetworkDay(**key)
        return self._networks[network]

    def save(self) -> None:
        """Write down what was made, and how much was counted under one name."""
        NetworkDay.objects.bulk_create(
            [row for row in self._networks.values() if any(getattr(row, what) for what in FROM_NETWORK)],
            update_conflicts=True,
            unique_fields=["site", "day", "network"],
            update_fields=list(FROM_NETWORK),
        )
        for what, count in self._folded.items():
            refusals.note(self.site_id, f"folded_{what}", count)
