"""Conversions, what a rule would catch, and what there is to make rules of."""

from __future__ import annotations

from typing import Any, cast

from django.http import HttpRequest
from ninja import Router

from clabo.core import rules
from clabo.core.rules import naming
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.platform.problems import Problem
from clabo.platform.wording import say, say_all
from clabo.platform.wording.rules.conditions import reading
from clabo.platform.wording.rules.language import sentence
from clabo.setup.conversions import queries, services
from clabo.setup.conversions.matching.preview import back_count
from clabo.setup.conversions.matching.seen import seen_on
from clabo.setup.conversions.schemas import (
    ComesAndGoes,
    ConversionIn,
    ConversionOut,
    ElementOut,
    NearOut,
    PlaceOut,
    PreviewIn,
    PreviewOut,
    SeenKind,
    SeenOut,
    SeenPage,
    SuspectOut,
    VersionOut,
    change_out,
    content_of,
    conversions_out,
    place_out,
)
from clabo.setup.sites.access import site_for

router = Router(tags=["conversions"])


@router.get("/sites/{int:site_id}/conversions", response=list[ConversionOut], openapi_extra=FILES)
@as_table("Conversions", ConversionOut)
def conversions(request: HttpRequest, site_id: int) -> list[ConversionOut]:
    site = site_for(request, site_id)
    return conversions_out(site, queries.rules_of(site))


@router.post("/sites/{int:site_id}/conversions", response=ConversionOut)
def make_conversion(request: HttpRequest, site_id: int, data: ConversionIn) -> ConversionOut:
    site = site_for(request, site_id, Role.EDITOR)
    return conversions_out(site, [services.make_rule(site, content_of(data), person(request))])[0]


@router.put("/sites/{int:site_id}/conversions/{int:rule_id}", response=ConversionOut)
def change_conversion(request: HttpRequest, site_id: int, rule_id: int, data: ConversionIn) -> ConversionOut:
    site = site_for(request, site_id, Role.EDITOR)
    rule = services.change_rule(queries.rule_of(site, rule_id), content_of(data), person(request))
    return conversions_out(site, [rule])[0]


@router.delete("/sites/{int:site_id}/conversions/{int:rule_id}", response={204: None})
def remove_conversion(request: HttpRequest, site_id: int, rule_id: int) -> tuple[int, None]:
    services.remove_rule(queries.rule_of(site_for(request, site_id, Role.EDITOR), rule_id))
    return 204, None


@router.get("/sites/{int:site_id}/conversions/{int:rule_id}/versions", response=list[VersionOut])
def versions(request: HttpRequest, site_id: int, rule_id: int) -> list[VersionOut]:
    site = site_for(request, site_id)
    rule = queries.rule_of(site, rule_id)
    return [
        VersionOut(
            **change_out(v).dict(),
            made_by=str(v.made_by or ""),
            sentence=sentence(rules.parse(v.content["rule"], site.page_reading)),
            content=v.content,
        )
        for v in rule.versions.select_related("made_by")
    ]


@router.post(
    "/sites/{int:site_id}/conversions/{int:rule_id}/versions/{int:version}/restore", response=ConversionOut
)
def restore_version(request: HttpRequest, site_id: int, rule_id: int, version: int) -> ConversionOut:
    site = site_for(request, site_id, Role.EDITOR)
    rule = services.restore_version(queries.rule_of(site, rule_id), version, person(request))
    return conversions_out(site, [rule])[0]


@router.post("/sites/{int:site_id}/conversions/preview", response=PreviewOut)
def preview(request: HttpRequest, site_id: int, data: PreviewIn) -> PreviewOut:
    site = site_for(request, site_id)
    try:
        rule = rules.parse(data.rule, site.page_reading)
    except rules.RuleError as error:
        raise Problem(say(error.told), error.field) from None
    known = queries.rules_of(site)
    in_force = next((r for r in known if r.pk == data.rule_id), None)
    found = back_count(site, rule, data.counting, data.days, in_force, data.proven_only)
    others = [r.name for r in known if r is not in_force]
    return PreviewOut(
        sentence=sentence(rule),
        days=found.days,
        first_day=found.first_day,
        events=found.events,
        conversions=found.conversions,
        per_day=found.per_day,
        places=found.places,
        caught=[PlaceOut(**place_out(p)) for p in found.caught],
        near=[NearOut(**place_out(n.place), reason=say_all(n.reasons)) for n in found.near],
        suspects=[
            SuspectOut(
                host=s.page.host,
                path=s.page.path,
                title=s.page.title,
                events=s.events,
                reasons=[say(r) for r in s.reasons],
            )
            for s in found.suspects
        ],
        from_now_on=[reading(c) for c in found.from_now_on],
        one_in=found.one_in,
        change=ComesAndGoes(more=found.change[0], fewer=found.change[1]) if found.change else None,
        unproven=found.unproven,
        proposed_name=naming.proposed(rule),
        name_doubt=say(doubt) if (doubt := naming.doubt(data.name, others)) else "",
    )


@router.get("/sites/{int:site_id}/seen", response=list[SeenOut])
def seen(request: HttpRequest, site_id: int, kind: SeenKind | None = None) -> list[SeenOut]:
    return [
        SeenOut(
            kind=cast(Any, s.kind),
            name=s.name,
            element=None if s.element is None else ElementOut(**s.element.traits),
            times=s.times,
            last_at=s.last_at,
            pages=[SeenPage(host=p.host, path=p.path, times=n) for p, n in s.pages[:20]],
            properties=s.properties,
        )
        for s in seen_on(site_for(request, site_id), kind)
    ]
