"""Reports: what the lens can be set to, landing pages, comparing two of them."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.judge.reports.answers import pages_out
from clabo.judge.reports.delays import add_to_come_by_day, delays_of
from clabo.judge.reports.lens_params import BesideIn, LensIn, SeriesIn, lens_of
from clabo.judge.reports.pages import own_goals, table
from clabo.judge.reports.pages.worst import worst_pages
from clabo.judge.reports.schemas import (
    AgainstFirstOut,
    BesideOut,
    ComparisonOut,
    FairOut,
    GoalIn,
    GoalOut,
    LensOut,
    PageRowOut,
    PagesOut,
    PointOut,
    SeriesOut,
    WorstOut,
    WorstRowOut,
    lens_out,
    point_out,
    row_out,
    stratum_name,
    worst_row_out,
)
from clabo.judge.reports.series import series
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.shapes import finite, known_interval
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.queries import rules_of
from clabo.setup.sites.access import site_for

router = Router(tags=["reports"])


@router.get("/sites/{int:site_id}/lens", response=LensOut)
def lens(request: HttpRequest, site_id: int, words: Query[LensIn]) -> LensOut:
    return lens_out(lens_of(request, site_id, words))


@router.get("/sites/{int:site_id}/pages", response=PagesOut, openapi_extra=FILES)
@as_table("Landing pages", PageRowOut, lambda answer: answer.rows)
def page_report(request: HttpRequest, site_id: int, words: Query[LensIn]) -> PagesOut:
    return pages_out(lens_of(request, site_id, words), words)


@router.get("/sites/{int:site_id}/pages/worst", response=WorstOut, openapi_extra=FILES)
@as_table("Worst pages", WorstRowOut, lambda answer: answer.rows)
def worst(request: HttpRequest, site_id: int, words: Query[LensIn]) -> WorstOut:
    lens = lens_of(request, site_id, words)
    found = worst_pages(lens)
    return WorstOut(
        lens=lens_out(lens),
        rows=[
            worst_row_out(row, of, found.reasons.get(row.page.pk, []))
            for row, of in (*((w.row, w) for w in found.rows), *((r, None) for r in found.without_goal))
            if row.page
        ],
    )


@router.get("/sites/{int:site_id}/pages/series", response=SeriesOut, openapi_extra=FILES)
@as_table("Over time", PointOut, lambda answer: answer.points)
def over_time(request: HttpRequest, site_id: int, words: Query[SeriesIn]) -> SeriesOut:
    lens = lens_of(request, site_id, words)
    some = words.page or None
    before = series(lens.before(), words.grain, some) if words.compare == "before" else []
    points = series(lens, words.grain, some)
    add_to_come_by_day(delays_of(lens), points)
    return SeriesOut(
        lens=lens_out(lens),
        points=[point_out(p, lens) for p in points],
        before=[point_out(p, lens) for p in before],
    )


@router.get("/sites/{int:site_id}/pages/beside", response=BesideOut)
def pages_beside(request: HttpRequest, site_id: int, words: Query[BesideIn]) -> BesideOut:
    lens = lens_of(request, site_id, words)
    found = table.beside(lens, words.page)
    return BesideOut(
        rows=[row_out(r, lens) for r in found.rows],
        against=[
            AgainstFirstOut(
                page_id=page_id,
                difference=known_interval(c.rates.difference),
                p_value=finite(p),
                method=c.rates.method,
                fair_difference=known_interval(c.fair.difference),
                reversed=c.fair.reversed,
            )
            for page_id, c, p in zip(words.page[1:], found.against, found.p_values, strict=True)
        ],
    )


@router.get("/sites/{int:site_id}/pages/compare", response=ComparisonOut)
def compare(request: HttpRequest, site_id: int, a: int, b: int, words: Query[LensIn]) -> ComparisonOut:
    lens = lens_of(request, site_id, words)
    found = table.compare_pages(lens, a, b)
    fair = found.fair

    return ComparisonOut(
        a=row_out(found.a, lens),
        b=row_out(found.b, lens),
        difference=known_interval(found.rates.difference),
        ratio=known_interval(found.rates.ratio),
        p_value=finite(found.rates.p_value),
        method=found.rates.method,
        fair=FairOut(
            a_rate=finite(fair.control_rate),
            b_rate=finite(fair.challenger_rate),
            difference=known_interval(fair.difference),
            reversed=fair.reversed,
            heterogeneity_p=finite(fair.heterogeneity_p),
            left_out=[stratum_name(k) for k in fair.left_out],
            strata=fair.heterogeneity_df + 1 if fair.difference.known else 0,
            sources=found.sources,
            pooled=found.pooled,
        ),
    )


@router.get("/sites/{int:site_id}/pages/{int:page_id}/goal", response=GoalOut)
def page_goal(request: HttpRequest, site_id: int, page_id: int) -> GoalOut:
    lens = read_lens(site_for(request, site_id))
    goal = own_goals.goals_of(lens, rules_of(lens.site)).get(page_id)
    if goal is None:
        return GoalOut(conversion=None, name=None, by_hand=False)
    return GoalOut(conversion=goal.rule.pk, name=goal.rule.name, by_hand=goal.by_hand)


@router.put("/sites/{int:site_id}/pages/{int:page_id}/goal", response=GoalOut)
def set_page_goal(request: HttpRequest, site_id: int, page_id: int, data: GoalIn) -> GoalOut:
    site = site_for(request, site_id, Role.EDITOR)
    own_goals.set_goal(site, page_id, data.conversion)
    return page_goal(request, site_id, page_id)
