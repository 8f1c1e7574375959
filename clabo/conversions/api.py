"""Conversions, what a rule would catch, and what there is to make rules of."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts.access import person
from clabo.accounts.models import Role
from clabo.accounts.problems import Problem
from clabo.conversions import queries, services
from clabo.conversions.models import ConversionRule, RuleVersion
from clabo.conversions.places import Place
from clabo.conversions.preview import back_count
from clabo.conversions.seen import seen_on
from clabo.core import daylimit, naming, rules
from clabo.sites.access import site_for

router = Router(tags=["conversions"])
CategoryName = Literal["lead", "signup", "purchase", "booking", "other"]
CountingName = Literal["every", "visit", "visitor"]
SeenKind = Literal["mark", "form", "tried", "click", "message", "shown", "step", "sale"]


# A tree of conditions; docs/data-formats.md describes it, and clabo.core.rules reads it.
RuleJson = dict[str, Any]


class ConversionIn(Schema):
    name: str = Field(max_length=60)
    category: CategoryName
    rule: RuleJson
    counting: CountingName
    value: Decimal | None = Field(None, max_digits=12, decimal_places=4)
    value_property: str = Field("", max_length=60)
    lifetime_factor: Decimal | None = Field(None, max_digits=8, decimal_places=4)
    # Only orders that the site's own server has signed.
    proven_only: bool = False
    # The most value of a day, without a proof, that enters sums: of one visitor, of one network, in all. Null: no limit.
    visitor_day_limit: Decimal | None = Field(daylimit.VISITOR, max_digits=14, decimal_places=4)
    network_day_limit: Decimal | None = Field(daylimit.NETWORK, max_digits=14, decimal_places=4)
    site_day_limit: Decimal | None = Field(daylimit.SITE, max_digits=14, decimal_places=4)


class ChangeOut(Schema):
    """A change of the rule, with what it added and removed once it has been counted back."""

    version: int
    made_at: datetime
    added: int | None
    removed: int | None
    changed_since: datetime | None


class ConversionOut(ConversionIn):
    id: int
    version: int
    sentence: str
    # The current version is being applied to the past.
    recounting: bool
    # How much of that is done, 0 to 1, as far as it is known.
    progress: float | None
    recent: int
    last_at: datetime | None
    per_day: list[int]
    # Conversions of these days whose value is in another currency, left out of sums.
    foreign: int
    # Those whose value lies beyond the day's limits, left out of sums, and what they would be worth together.
    beyond: int
    beyond_value: Decimal
    # Events of these days that met the rule and were left aside for want of a proof.
    unproven: int
    # When its rule was changed, on these days.
    changes: list[ChangeOut]


class VersionOut(ChangeOut):
    made_by: str
    sentence: str
    content: dict[str, Any]


class PreviewIn(Schema):
    rule: RuleJson
    counting: CountingName
    days: int = Field(28, ge=1, le=180)
    # What it is to be called, and which conversion it is a change of.
    name: str = Field("", max_length=60)
    rule_id: int | None = None
    proven_only: bool = False


class ElementOut(Schema):
    """What is known of a form, a clicked element, a frame's message or an element that appeared."""

    id: str = ""
    name: str = ""
    action: str = ""
    fields: list[str] = []
    what: str = ""
    text: str = ""
    to: str = ""
    fits: list[str] = []
    selector: str = ""
    origin: str = ""
    keys: dict[str, str] = {}
    values: dict[str, str] = {}


class PlaceOut(Schema):
    kind: str
    host: str
    path: str
    title: str
    name: str
    element: ElementOut | None
    events: int
    visits: int
    begun: int


class NearOut(PlaceOut):
    reason: str


class SuspectOut(Schema):
    host: str
    path: str
    title: str
    events: int
    reasons: list[str]


class ComesAndGoes(Schema):
    """Conversions of the days looked at, against the rule in force."""

    more: int
    fewer: int


class PreviewOut(Schema):
    sentence: str
    days: int
    first_day: date
    events: int
    conversions: int
    per_day: list[int]
    places: int
    caught: list[PlaceOut]
    near: list[NearOut]
    suspects: list[SuspectOut]
    from_now_on: list[str]
    # 1: exact; n: estimated from one visitor in n.
    one_in: int
    # Where the rule is a change of one that has been counted.
    change: ComesAndGoes | None
    # Left aside for want of a proof, where that is asked for.
    unproven: int
    proposed_name: str
    name_doubt: str


def _content(data: ConversionIn) -> services.RuleContent:
    return services.RuleContent(**data.dict())


def change_out(v: RuleVersion) -> ChangeOut:
    return ChangeOut(**{name: getattr(v, name) for name in ChangeOut.model_fields})


def _out(site: Any, the_rules: list[ConversionRule]) -> list[ConversionOut]:
    counts = queries.recent_counts(site, the_rules)
    changes = queries.changes_since(the_rules, site.last_days(28))
    progress = queries.recount_progress(the_rules)
    return [
        ConversionOut(
            id=r.pk,
            name=r.name,
            category=cast(Any, r.category),
            rule=r.rule,
            counting=cast(Any, r.counting),
            value=r.value,
            value_property=r.value_property,
            lifetime_factor=r.lifetime_factor,
            proven_only=r.proven_only,
            visitor_day_limit=r.visitor_day_limit,
            network_day_limit=r.network_day_limit,
            site_day_limit=r.site_day_limit,
            version=r.version,
            sentence=rules.sentence(rules.parse(r.rule)),
            recounting=r.counted_version != r.version,
            progress=progress.get(r.pk),
            recent=counts[r.pk].recent,
            last_at=counts[r.pk].last_at,
            per_day=counts[r.pk].per_day,
            foreign=counts[r.pk].foreign,
            beyond=counts[r.pk].beyond,
            beyond_value=counts[r.pk].beyond_value,
            unproven=counts[r.pk].unproven,
            changes=[change_out(v) for v in changes[r.pk]],
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
        VersionOut(
            **change_out(v).dict(),
            made_by=str(v.made_by or ""),
            sentence=rules.sentence(rules.parse(v.content["rule"])),
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
    return _out(site, [rule])[0]


@router.post("/sites/{int:site_id}/conversions/preview", response=PreviewOut)
def preview(request: HttpRequest, site_id: int, data: PreviewIn) -> PreviewOut:
    site = site_for(request, site_id)
    try:
        rule = rules.parse(data.rule)
    except rules.RuleError as error:
        raise Problem(str(error), error.field) from None
    known = queries.rules_of(site)
    in_force = next((r for r in known if r.pk == data.rule_id), None)
    found = back_count(site, rule, data.counting, data.days, in_force, data.proven_only)
    others = [r.name for r in known if r is not in_force]
    return PreviewOut(
        sentence=rules.sentence(rule),
        days=found.days,
        first_day=found.first_day,
        events=found.events,
        conversions=found.conversions,
        per_day=found.per_day,
        places=found.places,
        caught=[PlaceOut(**_place(p)) for p in found.caught],
        near=[NearOut(**_place(n.place), reason=n.reason) for n in found.near],
        suspects=[
            SuspectOut(
                host=s.page.host, path=s.page.path, title=s.page.title, events=s.events, reasons=s.reasons
            )
            for s in found.suspects
        ],
        from_now_on=found.from_now_on,
        one_in=found.one_in,
        change=ComesAndGoes(more=found.change[0], fewer=found.change[1]) if found.change else None,
        unproven=found.unproven,
        proposed_name=naming.proposed(rule),
        name_doubt=naming.doubt(data.name, others),
    )


def _place(place: Place) -> dict[str, Any]:
    return {
        "kind": place.kind,
        "host": place.page.host,
        "path": place.page.path,
        "title": place.page.title,
        "name": place.name,
        "element": None if place.element is None else ElementOut(**place.element.traits),
        "events": place.events,
        "visits": place.visits,
        "begun": place.begun,
    }


class SeenPage(Schema):
    host: str
    path: str
    times: int


class SeenOut(Schema):
    """Something that rules can be made of, with the pages it was seen on, most often first."""

    kind: SeenKind
    name: str
    element: ElementOut | None
    times: int
    last_at: datetime
    pages: list[SeenPage]
    properties: list[str]


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
