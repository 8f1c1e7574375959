"""The ad side's count of conversions, against Clabo's."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.judge.attribution_reconciliation.queries import two_counts
from clabo.judge.attribution_reconciliation.schemas import (
    AdSideIn,
    AdSideOut,
    SideDayOut,
    TwoCountsOut,
    two_counts_out,
)
from clabo.judge.attribution_reconciliation.services import set_ad_side
from clabo.judge.reports.lens_params import LensIn, lens_of
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for

router = Router(tags=["sources"])


@router.get("/sites/{int:site_id}/two-counts", response=TwoCountsOut, openapi_extra=FILES)
@as_table("Two counts", SideDayOut, lambda answer: [d for side in answer.sides for d in side.days])
def get_two_counts(request: HttpRequest, site_id: int, words: Query[LensIn]) -> TwoCountsOut:
    lens = lens_of(request, site_id, words)
    return two_counts_out(lens, two_counts(lens))


@router.put("/sites/{int:site_id}/ad-sides", response=AdSideOut)
def put_ad_side(request: HttpRequest, site_id: int, data: AdSideIn) -> AdSideOut:
    site = site_for(request, site_id, Role.EDITOR)
    made = set_ad_side(site, data.source, data.window_days, data.once, data.time_zone)
    return AdSideOut(
        source=made.source, window_days=made.window_days, once=made.once, time_zone=made.time_zone
    )
