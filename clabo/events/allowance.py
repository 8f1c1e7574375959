"""How much that is new a site takes in, in all and from one network a day; more is counted under one name.

The site key is public: made-up addresses, campaigns and ids must neither fill the tables nor slow the screens.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable
from datetime import UTC, datetime
from typing import Literal
from zoneinfo import ZoneInfo

from clabo.events.models import NetworkDay, Origin, Page
from clabo.ingest import refusals

What = Literal["pages", "origins", "visitors"]
# In all; there is no end to a site's visitors.
MOST: dict[What, int] = {"pages": 20_000, "origins": 10_000}
# From one network in a day.
FROM_NETWORK: dict[What, int] = {"pages": 500, "origins": 200, "visitors": 5_000}


class Allowance:
    """What one batch of a site may make new."""

    def __init__(self, site_id: int, zone: ZoneInfo) -> None:
        self.site_id = site_id
        self.day = datetime.now(UTC).astimezone(zone).date()
        self._room: dict[What, int] = {}
        self._networks: dict[str, NetworkDay] = {}
        self._admitted: set[tuple[What, Hashable]] = set()
        self._folded: Counter[What] = Counter()

    def admits(self, what: What, network: str, which: Hashable) -> bool:
        """Whether one more of a kind may be made, `which` says which; asked again it is the same one."""
        if (what, which) in self._admitted:
            return True
        row = self._network(network) if network else None
        if self._left(what) <= 0 or (row and getattr(row, what) >= FROM_NETWORK[what]):
            self._folded[what] += 1
            return False
        self._admitted.add((what, which))
        if what in self._room:
            self._room[what] -= 1
        if row:
            setattr(row, what, getattr(row, what) + 1)
        return True

    def _left(self, what: What) -> int:
        if what not in MOST:
            return 1
        if what not in self._room:
            model = Page if what == "pages" else Origin
            self._room[what] = MOST[what] - model.objects.filter(site_id=self.site_id).count()
        return self._room[what]

    def _network(self, network: str) -> NetworkDay:
        if network not in self._networks:
            key = {"site_id": self.site_id, "day": self.day, "network": network}
            self._networks[network] = NetworkDay.objects.filter(**key).first() or NetworkDay(**key)
        return self._networks[network]

    def save(self) -> None:
        """Write down what was made, and how much was counted under one name."""
        NetworkDay.objects.bulk_create(
            [row for row in self._networks.values() if row.pages or row.origins or row.visitors],
            update_conflicts=True,
            unique_fields=["site", "day", "network"],
            update_fields=["pages", "origins", "visitors"],
        )
        for what, count in self._folded.items():
            refusals.note(self.site_id, f"folded_{what}", count)
