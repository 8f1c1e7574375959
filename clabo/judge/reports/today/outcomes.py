"""What came of what was decided on Today."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta

from clabo.judge.decisions.models import Decision
from clabo.judge.decisions.services import standing
from clabo.judge.reports.today.next_euro import Since, since
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.queries import rules_of
from clabo.setup.sites.models import Site

MOST = 50


def outcomes(site: Site, now: datetime | None = None) -> list[tuple[Decision, list[Since]]]:
    """The latest decisions that stand, the newest first; with how the pages that they are about have done since."""
    lens = read_lens(site)
    today = (now or datetime.now(UTC)).astimezone(site.zone).date()
    rows = standing(site).select_related("made_by").order_by("-made_at", "-pk")[:MOST]
    by_id = {r.pk: r for r in rules_of(site)}
    found = []
    for decision in rows:
        came = []
        if decision.answer == Decision.Answer.DONE:
            decided = decision.made_at.astimezone(site.zone).date()
            rule, pages = _pages(decision.key)
            counting = lens.counting(by_id.get(rule))
            came = [
                known
                for page_id, source in pages
                if (known := since(counting, page_id, source, decided, today - timedelta(days=1)))
            ]
        found.append((decision, came))
    return found


def _pages(key: str) -> tuple[int, list[tuple[int, str]]]:
    """The conversion and the pages that a decision is about, with their source; all sources where it names none."""
    kind, _, rest = key.partition(":")
    if kind in ("loses_money", "earns", "converts_badly"):
        rule, page = rest.split(":")
        return int(rule), [(int(page), "")]
    if kind == "move":
        rule, give, source, take, other = json.loads(rest)
        return rule, [(give, source), (take, other)]
    return 0, []
