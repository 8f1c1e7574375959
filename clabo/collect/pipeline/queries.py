"""How far behind the pipeline is."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from clabo.collect.ingest.models import InboxBatch
from clabo.collect.pipeline.models import Owed, SetAside
from clabo.setup.sites.models import Site


@dataclass(frozen=True, slots=True)
class Backlog:
    """What waits in the inbox, and what did not go as it should. `oldest` is None when nothing waits."""

    groups: int
    oldest: datetime | None
    set_aside: int
    owed: int


def backlog(site: Site | None = None) -> Backlog:
    """How far behind the pipeline is, with one site's hits or with all."""
    own = {} if site is None else {"site_id": site.pk}
    waiting = InboxBatch.objects.filter(**own).order_by("id")
    first = waiting.values_list("received_at", flat=True).first()
    return Backlog(
        waiting.count() if first else 0,
        first,
        SetAside.objects.filter(**own).count(),
        Owed.objects.filter(**own).count(),
    )
