"""What somebody has taken out of reports: looked up while visits are stitched, applied to the past, undone."""

from __future__ import annotations

from datetime import datetime

from clabo.collect.events.models import Exclusion

What = Exclusion.What


def person_of(exclusion: Exclusion) -> int | None:
    """The visitor whose visits an excluded browser's are now."""
    visitor = exclusion.visitor
    return (visitor.joined_to_id or visitor.pk) if visitor else None


class InForce:
    """The exclusions of one site that are in force."""

    def __init__(self, site_id: int) -> None:
        self._rows = list(Exclusion.objects.filter(site_id=site_id, undone_at=None).select_related("visitor"))

    def leaves_out(self, network: str, visitor_id: int, started_at: datetime) -> bool:
        """Whether a visit of `visitor_id` that began then, from that network, is left out of reports."""
        return any(
            (row.from_at is None or started_at >= row.from_at)
            and (row.until_at is None or started_at < row.until_at)
            and (
                row.what == What.PERIOD
                or (row.what == What.VISITOR and person_of(row) == visitor_id)
                or (row.what == What.NETWORK and bool(network) and row.network == network)
            )
            for row in self._rows
        )
