"""The shapes of conversions in the API, and how they are filled."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from ninja import Field

from clabo.core import rules
from clabo.core.trust import daily_value_limit
from clabo.platform.shapes import Shape
from clabo.platform.wording.rules.language import sentence
from clabo.setup.conversions import queries, services
from clabo.setup.conversions.matching.event_places import Place
from clabo.setup.conversions.matching.rule_shape import RuleJson
from clabo.setup.conversions.models import ConversionRule, RuleVersion

CategoryName = Literal["lead", "signup", "purchase", "booking", "other"]


CountingName = Literal["every", "visit", "visitor"]


# As `seen.ACTS`, which a test holds it equal to.
SeenKind = Literal["mark", "form", "tried", "begun", "click", "message", "shown", "step", "sale"]


class ConversionIn(Shape):
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
    visitor_day_limit: Decimal | None = Field(daily_value_limit.VISITOR, max_digits=14, decimal_places=4)
    network_day_limit: Decimal | None = Field(daily_value_limit.NETWORK, max_digits=14, decimal_places=4)
    site_day_limit: Decimal | None = Field(daily_value_limit.SITE, max_digits=14, decimal_places=4)


class ChangeOut(Shape):
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


class PreviewIn(Shape):
    rule: RuleJson
    counting: CountingName
    days: int = Field(28, ge=1, le=180)
    # What it is to be called, and which conversion it is a change of.
    name: str = Field("", max_length=60)
    rule_id: int | None = None
    proven_only: bool = False


class ElementOut(Shape):
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


class PlaceOut(Shape):
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


class SuspectOut(Shape):
    host: str
    path: str
    title: str
    events: int
    reasons: list[str]


class ComesAndGoes(Shape):
    """Conversions of the days looked at, against the rule in force."""

    more: int
    fewer: int


class PreviewOut(Shape):
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


def content_of(data: ConversionIn) -> services.RuleContent:
    return services.RuleContent(**data.dict())


def change_out(v: RuleVersion) -> ChangeOut:
    return ChangeOut(**{name: getattr(v, name) for name in ChangeOut.model_fields})


def conversions_out(site: Any, the_rules: list[ConversionRule]) -> list[ConversionOut]:
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
            sentence=sentence(rules.parse(r.rule, site.page_reading)),
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


def place_out(place: Place) -> dict[str, Any]:
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


class SeenPage(Shape):
    host: str
    path: str
    times: int


class SeenOut(Shape):
    """Something that rules can be made of, with the pages it was seen on, most often first."""

    kind: SeenKind
    name: str
    element: ElementOut | None
    times: int
    last_at: datetime
    pages: list[SeenPage]
    properties: list[str]
