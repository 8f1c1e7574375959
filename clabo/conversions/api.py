"""Conversions, their preview, and the live list with the rules met."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts.access import person
from clabo.accounts.models import Role
from clabo.accounts.problems import Problem
from clabo.collect import queries as collected
from clabo.collect.models import Device, Kind, Standing
from clabo.conversions import queries, services
from clabo.conversions.models import ConversionRule
from clabo.core import rules
from clabo.sites.access import site_for

router = Router(tags=["conversions"])
CategoryName = Literal["lead", "signup", "purchase", "booking", "other"]
CountingName = Literal["every", "visit", "visitor"]


class PageLeaf(Schema):
    match: Literal["equals", "begins", "contains", "pattern"]
    value: str = Field(max_length=rules.MAX_VALUE)


class RuleJson(Schema):
    page: PageLeaf


class ConversionIn(Schema):
    name: str = Field(max_length=60)
    category: CategoryName
    rule: RuleJson
    counting: CountingName
    value: Decimal | None = Field(None, max_digits=12, decimal_places=4)


class ConversionOut(ConversionIn):
    id: int
    version: int
    sentence: str
    # The current version is being applied to the past.
    recounting: bool
    recent: int
    last_at: datetime | None
    per_day: list[int]


class VersionOut(Schema):
    version: int
    made_at: datetime
    made_by: str
    content: dict[str, Any]


class PreviewIn(Schema):
    rule: RuleJson
    counting: CountingName
    days: int = Field(28, ge=1, le=180)


class CaughtPage(Schema):
    host: str
    path: str
    title: str
    views: int
    entries: int


class PreviewOut(Schema):
    sentence: str
    days: int
    first_day: date
    events: int
    conversions: int
    per_day: list[int]
    caught_pages: int
    caught: list[CaughtPage]
    near: list[CaughtPage]


def _content(data: ConversionIn) -> services.RuleContent:
    return services.RuleContent(data.name, data.category, data.rule.dict(), data.counting, data.value)


def _out(site: Any, the_rules: list[ConversionRule]) -> list[ConversionOut]:
    counts = queries.recent_counts(site, the_rules)
    return [
        ConversionOut(
            id=r.pk,
            name=r.name,
            category=cast(Any, r.category),
            rule=r.rule,
            counting=cast(Any, r.counting),
            value=r.value,
            version=r.version,
            sentence=rules.sentence(rules.parse(r.rule)),
            recounting=r.counted_version != r.version,
            recent=counts[r.pk].recent,
            last_at=counts[r.pk].last_at,
            per_day=counts[r.pk].per_day,
        )
        for r in the_rules
    ]


@router.get("/sites/{int:site_id}/conversions", response=list[ConversionOut])
def conversions(request: HttpRequest, site_id: int) -> list[ConversionOut]:
    site = site_for(request, site_id)
    return _out(site, queries.rules_of(site))


@router.post("/sites/{int:site_id}/conversions", response=ConversionOut)
def make_conversion(request: HttpRequest, site_id: int, data: ConversionIn) -> ConversionOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _out(site, [services.make_rule(site, _content(data), person(request))])[0]


@router.put("/sites/{int:site_id}/conversions/{int:rule_id}", response=ConversionOut)
def change_conversion(request: HttpRequest, site_id: int, rule_id: int, data: ConversionIn) -> ConversionOut:
    site = site_for(request, site_id, Role.EDITOR)
    rule = services.change_rule(queries.rule_of(site, rule_id), _content(data), person(request))
    return _out(site, [rule])[0]


@router.delete("/sites/{int:site_id}/conversions/{int:rule_id}", response={204: None})
def remove_conversion(request: HttpRequest, site_id: int, rule_id: int) -> tuple[int, None]:
    services.remove_rule(queries.rule_of(site_for(request, site_id, Role.EDITOR), rule_id))
    return 204, None


@router.post("/sites/{int:site_id}/conversions/{int:rule_id}/restore", response={204: None})
def restore_conversion(request: HttpRequest, site_id: int, rule_id: int) -> tuple[int, None]:
    services.restore_rule(queries.rule_of(site_for(request, site_id, Role.EDITOR), rule_id))
    return 204, None


@router.get("/sites/{int:site_id}/conversions/{int:rule_id}/versions", response=list[VersionOut])
def versions(request: HttpRequest, site_id: int, rule_id: int) -> list[VersionOut]:
    rule = queries.rule_of(site_for(request, site_id), rule_id)
    return [
        VersionOut(version=v.version, made_at=v.made_at, made_by=str(v.made_by or ""), content=v.content)
        for v in rule.versions.select_related("made_by")
    ]


@router.post("/sites/{int:site_id}/conversions/preview", response=PreviewOut)
def preview(request: HttpRequest, site_id: int, data: PreviewIn) -> PreviewOut:
    site = site_for(request, site_id)
    try:
        rule = rules.parse(data.rule.dict())
    except rules.RuleError as error:
        raise Problem(str(error), error.field) from None
    found = queries.preview(site, rule, data.counting, data.days)

    def pages(rows: list[queries.Caught]) -> list[CaughtPage]:
        return [
            CaughtPage(
                host=c.page.host, path=c.page.path, title=c.page.title, views=c.views, entries=c.entries
            )
            for c in rows
        ]

    return PreviewOut(
        sentence=rules.sentence(rule),
        days=found.days,
        first_day=found.first_day,
        events=found.events,
        conversions=found.conversions,
        per_day=found.per_day,
        caught_pages=found.caught_pages,
        caught=pages(found.caught),
        near=pages(found.near),
    )


class MetOut(Schema):
    name: str
    counted: bool


class HitOut(Schema):
    id: str
    time: datetime
    kind: Literal["view", "mark", "note"]
    host: str
    path: str
    title: str
    name: str
    visitor: str
    visit_number: int
    channel: str
    source: str
    campaign: str
    device: Literal["desktop", "phone", "tablet"]
    standing: Literal["counted", "own", "bot", "rehearsal"]
    met: list[MetOut]


class LiveOut(Schema):
    """`behind_seconds`: how long the oldest hit that is not yet processed has waited."""

    hits: list[HitOut]
    last_minute: int
    behind_seconds: float
    set_aside: int
    refused_today: int


@router.get("/sites/{int:site_id}/live", response=LiveOut)
def live(request: HttpRequest, site_id: int) -> LiveOut:
    site = site_for(request, site_id)
    hits = collected.live_hits(site)
    met = queries.rules_met(site, hits)
    now = collected.arrivals(site)
    return LiveOut(
        hits=[
            HitOut(
                id=h.id.hex,
                time=h.time,
                kind=cast(Any, Kind(h.kind).name.lower()),
                host=h.host,
                path=h.path,
                title=h.title,
                name=h.name,
                visitor=h.visitor,
                visit_number=h.visit_number,
                channel=h.channel,
                source=h.source,
                campaign=h.campaign,
                device=cast(Any, Device(h.device).label),
                standing=cast(Any, Standing(h.standing).name.lower()),
                met=[MetOut(name=m.name, counted=m.counted) for m in met.get(h.id, [])],
            )
            for h in hits
        ],
        last_minute=now.last_minute,
        behind_seconds=now.behind_seconds,
        set_aside=now.set_aside,
        refused_today=now.refused_today,
    )
