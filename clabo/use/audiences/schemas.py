"""The shapes of audiences in the API, and how they are filled."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from ninja import Field

from clabo.collect.events.models import KIND_NAMES, Event, Visit
from clabo.core import audiences
from clabo.core.audiences import Definition
from clabo.core.audiences.advice import is_nearly_one
from clabo.core.audiences.outlook import enough
from clabo.core.audiences.person import Line
from clabo.core.audiences.predicates import Happening
from clabo.core.trust.identities import MOST_BROWSERS
from clabo.platform.shapes import Shape
from clabo.platform.wording import say
from clabo.platform.wording.audiences import (
    Names,
    ago,
    audience_sentence,
    did,
    done,
    joint_of,
    node_says,
    window,
)
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.definition_shape import DefinitionJson
from clabo.use.audiences.evaluation.persons import Belonging, Example, Known
from clabo.use.audiences.evaluation.preview import Growth, Preview, sizes
from clabo.use.audiences.evaluation.variants import tests_of
from clabo.use.audiences.lists import Brought
from clabo.use.audiences.models import Audience, AudienceVersion
from clabo.use.audiences.queries import Others, lists_of

EnoughName = Literal["not_yet", "enough", "plenty"]


class AudienceIn(Shape):
    name: str = Field(max_length=80)
    definition: DefinitionJson
    # Only what is received from now on counts; of a new audience only.
    starts_empty: bool = False


class AudienceOut(Shape):
    id: int
    name: str
    definition: DefinitionJson
    version: int
    sentence: str
    people: int
    # At the end of the day a week ago.
    week_ago: int
    enough: EnoughName
    starts_empty_at: datetime | None
    created_at: datetime
    used_by: list[str]


class AudienceVersionOut(Shape):
    version: int
    name: str
    made_at: datetime
    made_by: str
    sentence: str
    definition: DefinitionJson


class AudiencePreviewIn(Shape):
    definition: DefinitionJson
    # The audience that this is a change of.
    audience: int | None = None


class StairOut(Shape):
    """A line of the staircase."""

    path: str
    joint: str
    says: str
    when: str
    left: int


class LengthOut(Shape):
    days: int
    people: int


class SharedOut(Shape):
    audience: int
    name: str
    people: int
    both: int
    nearly_one: bool


class ComeAndGoOut(Shape):
    come: int
    go: int


class AudiencePreviewOut(Shape):
    people: int
    # The figures are of everybody; no part of them is an estimate.
    exact: bool
    enough: EnoughName
    floor: int
    plenty: int
    sentence: str
    lines: list[StairOut]
    # What the curve varies, and the length that it has now.
    varied: str
    length: int | None
    curve: list[LengthOut]
    length_says: str
    overlaps: list[SharedOut]
    advice: list[str]
    change: ComeAndGoOut | None


class AudienceDayOut(Shape):
    people: int
    entered: int
    left: int


class OutlookOut(Shape):
    days: int
    low: float
    expected: float
    high: float


class GrowthOut(Shape):
    first_day: date
    days: list[AudienceDayOut]
    outlook: OutlookOut | None
    enough_in: int | None


class ExampleOut(Shape):
    visitor: int
    key: str
    reason: str
    at: datetime | None


class ExamplesOut(Shape):
    inside: list[ExampleOut]
    outside: list[ExampleOut]


class BandsIn(Shape):
    cuts: list[int] = Field(max_length=20)


class CombinationOut(Shape):
    inside: list[bool]
    people: int


class MatrixOut(Shape):
    people: list[int]
    combinations: list[CombinationOut]
    together: int


class LinkOut(Shape):
    url: str
    until: datetime


class TakingOut(Shape):
    """Members that were taken out as a file; `rows` is missing where it was broken off."""

    at: datetime
    by: str
    by_link: bool
    form: str
    since: date | None
    rows: int | None


class VisitorFoundOut(Shape):
    visitor: int
    key: str
    last_at: datetime
    visits: int


class VisitorHappeningOut(Shape):
    at: datetime
    what: str
    where: str


class VisitorLineOut(Shape):
    says: str
    when: str
    met: bool
    excluded: bool
    # The hit that it is met by, or the last one that was too early or too late.
    by: datetime | None
    # The first day on which that is too old.
    until: date | None
    times: int
    asked: int


class IdentityOut(Shape):
    """What pages have stated of somebody, as a hash; `off`: it joins nobody, because somebody has said so."""

    identity: int
    kind: Literal["email", "id"]
    hash: str
    off: bool
    # Browsers that stated it; more than `most` and it joins none.
    browsers: int
    most: int


class BelongingOut(Shape):
    audience: int
    name: str
    member: bool
    lines: list[VisitorLineOut]


class VisitorOut(Shape):
    visitor: int
    key: str
    first_at: datetime
    last_at: datetime
    visits: int
    # The ids of all browsers that are theirs.
    browsers: list[str]
    identities: list[IdentityOut]
    history: list[VisitorHappeningOut]
    # More happened than is shown.
    more: int
    audiences: list[BelongingOut]


class ListIn(Shape):
    """A new list, still empty."""

    name: str
    kind: Literal["email", "id"]


class HashesIn(Shape):
    """SHA-256 of normalised e-mail addresses or ids, hexadecimal; made in the browser."""

    hashes: list[Annotated[str, Field(pattern="^[0-9a-f]{64}$")]] = Field(min_length=1, max_length=20_000)


class ListOut(Shape):
    id: int
    name: str
    kind: Literal["email", "id"]
    # Identities on it, and how many people of this site have one of them.
    size: int
    people: int
    made_at: datetime
    used_by: list[str]


class ListSizeOut(Shape):
    size: int


class IdentityIn(Shape):
    """Whether an identity joins nobody any more."""

    off: bool


def list_out(brought: Brought) -> ListOut:
    row = brought.row
    return ListOut(
        id=row.pk,
        name=row.name,
        kind=row.kind,  # type: ignore[arg-type]
        size=brought.size,
        people=brought.people,
        made_at=row.made_at,
        used_by=[f"the audience “{a.name}”" for a in brought.used_by],
    )


MOST_SHOWN = 200


def names_of(site: Site) -> Names:
    """What the site calls its conversions, audiences, lists and split tests."""
    conversions = ConversionRule.objects.filter(site=site, deleted_at=None).values_list("pk", "name")
    tests = tests_of(site.pk)
    return Names(
        {pk: name.replace("_", " ") for pk, name in conversions},
        dict(Audience.objects.filter(site=site, deleted_at=None).values_list("pk", "name")),
        dict(lists_of(site).values_list("pk", "name")),
        tests.names if tests else {},
    )


def audiences_out(site: Site, those: list[Audience]) -> list[AudienceOut]:
    names, counted, others = names_of(site), sizes(site, those), Others(site)
    return [
        AudienceOut(
            id=a.pk,
            name=a.name,
            definition=a.definition,
            version=a.version,
            sentence=audience_sentence(audiences.parse(a.definition, site.page_reading), names),
            people=counted[a.pk].now,
            week_ago=counted[a.pk].week_ago,
            enough=enough(counted[a.pk].now, site.audience_floor, site.audience_plenty),
            starts_empty_at=a.empty_at,
            created_at=a.created_at,
            used_by=[f"the audience “{other.name}”" for other in others.used_by(a.pk)],
        )
        for a in those
    ]


def version_out(site: Site, version: AudienceVersion, names: Names) -> AudienceVersionOut:
    return AudienceVersionOut(
        version=version.version,
        name=version.name,
        made_at=version.made_at,
        made_by=str(version.made_by or ""),
        sentence=audience_sentence(audiences.parse(version.definition, site.page_reading), names),
        definition=version.definition,
    )


def preview_out(site: Site, definition: Definition, found: Preview) -> AudiencePreviewOut:
    names = names_of(site)
    by_path = dict(audiences.nodes(definition))
    lines = []
    for step in found.steps:
        says, when = _line_says(definition, by_path, step.path, names)
        lines.append(
            StairOut(path=step.path, joint=joint_of(step.path), says=says, when=when, left=step.left)
        )
    return AudiencePreviewOut(
        people=found.people,
        exact=True,
        enough=found.enough,
        floor=site.audience_floor,
        plenty=site.audience_plenty,
        sentence=audience_sentence(definition, names),
        lines=lines,
        varied=did(found.varied.what, names) if found.varied else "",
        length=found.varied.end if found.varied else None,
        curve=[LengthOut(days=p.days, people=p.people) for p in found.curve],
        length_says=say(found.length_says) if found.length_says else "",
        overlaps=[
            SharedOut(
                audience=o.audience,
                name=o.name,
                people=o.people,
                both=o.both,
                nearly_one=is_nearly_one(found.people, o),
            )
            for o in found.overlaps
        ],
        advice=[say(a) for a in found.advice],
        change=ComeAndGoOut(come=found.change.come, go=found.change.go) if found.change else None,
    )


def _line_says(
    definition: Definition, by_path: dict[str, audiences.Node], path: str, names: Names
) -> tuple[str, str]:
    if path in by_path:
        return node_says(by_path[path], names)
    # A step with alternatives.
    assert isinstance(definition.include, audiences.Sequence)
    step = definition.include.steps[int(path.rpartition("[")[2].rstrip("]"))]
    return node_says(audiences.Any(step), names)


def growth_out(site: Site, found: Growth, today: date) -> GrowthOut:
    return GrowthOut(
        first_day=date.fromordinal(today.toordinal() - len(found.days) + 1),
        days=[AudienceDayOut(people=d.people, entered=d.entered, left=d.left) for d in found.days],
        outlook=OutlookOut(
            days=found.outlook.days,
            low=found.outlook.low,
            expected=found.outlook.expected,
            high=found.outlook.high,
        )
        if found.outlook
        else None,
        enough_in=found.enough_in,
    )


def example_out(example: Example, names: Names, today: date) -> ExampleOut:
    line = example.line
    decided = line.by or line.outside
    says = done(decided, line.part.what, names)
    if line.met:
        reason = says
    elif not line.part.what.timed:
        reason = f"not: {says}"
    elif line.times:
        reason = f"{says} {line.times} of {line.part.times} times"
    elif decided is None:
        reason = f"never {says}"
    elif line.part.start <= (today - decided.day).days < line.part.end:
        reason = f"{says}, not in this order"
    else:
        reason = f"{says} {ago((today - decided.day).days)}"
    return ExampleOut(
        visitor=example.visitor.pk,
        key=example.visitor.key.hex,
        reason=reason,
        at=decided.time if decided else None,
    )


def person_out(site: Site, known: Known) -> VisitorOut:
    names = names_of(site)
    v = known.visitor
    return VisitorOut(
        visitor=v.pk,
        key=v.key.hex,
        first_at=v.first_at,
        last_at=v.last_at,
        visits=v.visits,
        browsers=[b.key.hex for b in known.browsers],
        identities=[
            IdentityOut(
                identity=i.pk,
                kind=i.kind,  # type: ignore[arg-type]
                hash=bytes(i.hash).hex(),
                off=i.off,
                browsers=browsers,
                most=MOST_BROWSERS,
            )
            for i, browsers in known.identities
        ],
        history=[_happening_out(h, names) for h in known.history[:MOST_SHOWN]],
        more=max(0, len(known.history) - MOST_SHOWN),
        audiences=[_belonging_out(b, names) for b in known.belongs],
    )


def _happening_out(h: Happening, names: Names) -> VisitorHappeningOut:
    if isinstance(h.about, Event):
        what = KIND_NAMES[h.about.kind] + (f" {h.about.name}" if h.about.name else "")
        return VisitorHappeningOut(at=h.time, what=what, where=str(h.about.page))
    if isinstance(h.about, Visit) and h.arrival:
        came = ", ".join(p for p in (h.arrival.channel, h.arrival.source, h.arrival.campaign) if p)
        return VisitorHappeningOut(at=h.time, what="visit", where=f"{came}; {h.arrival.device}")
    if h.variant:
        test, letter = h.variant
        return VisitorHappeningOut(
            at=h.time, what=f"variant {letter}", where=names.tests.get(test, "a split test that is gone")
        )
    return VisitorHappeningOut(
        at=h.time, what="conversion", where=names.conversions.get(h.conversion or 0, "a deleted conversion")
    )


def _belonging_out(b: Belonging, names: Names) -> BelongingOut:
    return BelongingOut(
        audience=b.audience.pk,
        name=b.audience.name,
        member=b.member,
        lines=[_person_line(line, names) for line in b.lines],
    )


def _person_line(line: Line, names: Names) -> VisitorLineOut:
    decided: Any = line.by or line.outside
    return VisitorLineOut(
        says=did(line.part.what, names),
        when=window(line.part),
        met=line.met,
        excluded=line.path.startswith("exclude"),
        by=decided.time if decided else None,
        until=line.until,
        times=line.times,
        asked=line.part.times,
    )
