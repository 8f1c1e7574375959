"""The shapes of paths in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any, Literal, cast

from ninja import Field
from pydantic import WithJsonSchema

from clabo.core.audiences import What
from clabo.judge.paths.forms import FormReport
from clabo.judge.paths.models import Path
from clabo.judge.paths.page_flow import Ways
from clabo.judge.paths.walking import PathReport, StepDifference
from clabo.platform.shapes import IntervalOut, Shape, finite, interval_out, known_interval
from clabo.platform.wording.audiences import Names, did
from clabo.setup.conversions.matching.rule_shape import refer
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site

MARK = "x-clabo-step"
StepJson = Annotated[dict[str, Any], WithJsonSchema({"type": "object", MARK: True})]


def described(document: dict[str, Any]) -> dict[str, Any]:
    """The API's document with steps described."""
    number = {"type": "integer", "minimum": 1}
    conversion = {
        "type": "object",
        "properties": {"conversion": number},
        "required": ["conversion"],
        "additionalProperties": False,
    }
    document["components"]["schemas"]["PathStep"] = {
        "oneOf": [{"$ref": "#/components/schemas/Rule"}, conversion]
    }
    refer(document, MARK, "PathStep")
    return document


class LensWords(Shape):
    """Which visits: as in the lens of Pages."""

    period: str = "28d"
    origin: str = "any"
    device: str = "any"
    audience: int | None = None


class AgainstWords(LensWords):
    """Another lens, and another kept path where it is not the same one."""

    path: int | None = None


class LensWordsBy(LensWords):
    """A lens, and what rows are told apart by."""

    # "device", "channel", "source", "page", or "test:<number>" for the variants of a split test.
    by: str | None = Field(None, max_length=40)


class PathAsked(LensWordsBy):
    """A path, under a lens, and against another."""

    steps: list[StepJson]
    within: int | None = None
    against: AgainstWords | None = None


class PathIn(Shape):
    """A path to be kept."""

    name: str = Field(max_length=80)
    steps: list[StepJson]
    within: int | None = None


class LeftIn(Shape):
    """Audiences of those who left a path: at one step, or (None) one for each."""

    name: str = Field(max_length=80)
    steps: list[StepJson]
    within: int | None = None
    days: int = 28
    at: int | None = None


class PathOut(Shape):
    id: int
    name: str
    steps: list[StepJson]
    within: int | None


class InsteadOut(Shape):
    """Where some of those went who left: a page, or (None) nowhere: the visit ended."""

    path: str | None
    count: int


class StepOut(Shape):
    # The step in words, to stand after "who".
    says: str
    reached: int
    # Of those at the step before; None for the first.
    rate: IntervalOut | None
    # Half of them came from the step before within so long.
    seconds: float | None
    left: int
    instead: list[InsteadOut]
    # Of those who left, how many went to other pages than these.
    elsewhere: int


class PathGroupOut(Shape):
    name: str
    reached: list[int]
    whole: IntervalOut | None


class StepDifferenceOut(Shape):
    """A step's rate here minus there; `p_value` is adjusted for all steps (Holm)."""

    difference: IntervalOut | None
    p_value: float | None
    # At the other's rate so many more would have gone all the way.
    more: float


class WalkedOut(Shape):
    steps: list[StepOut]
    whole: IntervalOut | None
    groups: list[PathGroupOut]


class PathReportOut(WalkedOut):
    unit: Literal["visits", "people"]
    against: WalkedOut | None
    # Step by step; none where the other is another path.
    differences: list[StepDifferenceOut]
    # Of those at the first step, who went all the way.
    whole_difference: StepDifferenceOut | None


class FormStepOut(Shape):
    # "seen": a page with the form was; "begun", "tried", "sent".
    name: Literal["seen", "begun", "tried", "sent"]
    reached: int
    # Of those at the step before; None for the first.
    rate: IntervalOut | None


class LeftAtOut(Shape):
    """A field, by its name alone, and how many of those who gave up entered something there last."""

    field: str
    count: int


class FormOut(Shape):
    # What the form is called: its id, name or action, or its fields.
    name: str
    # In a frame of this origin.
    origin: str
    paths: list[str]
    steps: list[FormStepOut]
    # Sent, of the visits that saw a page with it.
    whole: IntervalOut | None
    # Half of those who sent it took no longer from their first entry.
    seconds: float | None
    left: list[LeftAtOut]
    # Of those who gave up, of how many the field is not known.
    unknown: int
    # The same as steps of a path; None where the rule language cannot mean this form alone.
    path: list[StepJson] | None


class FormsOut(Shape):
    forms: list[FormOut]
    # Since when the tag tells of forms that are begun; earlier ones are known when they are tried or sent.
    since: datetime | None


class FormRowOut(Shape):
    """One line of the file."""

    name: str
    paths: str
    seen: int
    begun: int
    tried: int
    sent: int
    rate: IntervalOut | None
    seconds: float | None
    left_at: str


class ProposalOut(Shape):
    """A common way to a conversion, and how many visits took it."""

    steps: list[StepJson]
    says: list[str]
    visits: int


def path_out(path: Path) -> PathOut:
    return PathOut(id=path.pk, name=path.name, steps=path.steps, within=path.within)


def names_of(site: Site) -> Names:
    """What the site calls its conversions."""
    rows = ConversionRule.objects.filter(site=site, deleted_at=None).values_list("pk", "name")
    return Names({pk: name.replace("_", " ") for pk, name in rows}, {})


def walked_out(report: PathReport, steps: Sequence[What], names: Names) -> dict[str, Any]:
    return {
        "steps": [
            StepOut(
                says=did(what, names),
                reached=s.reached,
                rate=known_interval(s.rate) if s.rate else None,
                seconds=s.seconds,
                left=s.left,
                instead=[InsteadOut(path=i.page.path if i.page else None, count=i.count) for i in s.instead],
                elsewhere=s.elsewhere,
            )
            for s, what in zip(report.steps, steps, strict=True)
        ],
        "whole": known_interval(report.whole),
        "groups": [
            PathGroupOut(name=g.name, reached=g.reached, whole=known_interval(g.whole)) for g in report.groups
        ],
    }


def difference_out(d: StepDifference) -> StepDifferenceOut:
    return StepDifferenceOut(
        difference=known_interval(d.compared.difference), p_value=finite(d.p_value), more=d.more
    )


class WaysIn(LensWords):
    """The page, and only of views that have these at these distances: "<distance>:<page>", or ":none"."""

    page: int
    at: list[str] = []


class NeighbourOut(Shape):
    """A page beside the one that is asked about; without a page the visit began, or ended."""

    page_id: int | None
    path: str | None
    title: str
    count: int
    share: IntervalOut


class WayColumnOut(Shape):
    distance: int
    total: int
    neighbours: list[NeighbourOut]
    further: int
    further_pages: int


class WaysOut(Shape):
    page_id: int
    path: str
    title: str
    views: int
    asked: int
    columns: list[WayColumnOut]


class WayRowOut(Shape):
    """One line of the file."""

    distance: int
    path: str | None
    count: int
    share: IntervalOut


def ways_out(found: Ways) -> WaysOut:
    return WaysOut(
        page_id=found.page.pk,
        path=found.page.path,
        title=found.page.title,
        views=found.views,
        asked=found.asked,
        columns=[
            WayColumnOut(
                distance=c.distance,
                total=c.total,
                neighbours=[
                    NeighbourOut(
                        page_id=n.page.pk if n.page else None,
                        path=n.page.path if n.page else None,
                        title=n.page.title if n.page else "",
                        count=n.count,
                        share=interval_out(n.share),
                    )
                    for n in c.neighbours
                ],
                further=c.further,
                further_pages=c.further_pages,
            )
            for c in found.columns
        ],
    )


def way_rows(answer: WaysOut) -> list[WayRowOut]:
    return [
        WayRowOut(distance=c.distance, path=n.path, count=n.count, share=n.share)
        for c in answer.columns
        for n in c.neighbours
    ]


# A path that began with more pages than these would be no sentence any more.
_MOST_PAGES = 6


def form_out(form: FormReport) -> FormOut:
    return FormOut(
        name=form.traits.get("id")
        or form.traits.get("name")
        or form.traits.get("action")
        or ", ".join(form.traits.get("fields", ())),
        origin=form.traits.get("origin", ""),
        paths=[p.path for p in form.pages],
        steps=[
            FormStepOut(
                name=cast(Any, s.name), reached=s.reached, rate=known_interval(s.rate) if s.rate else None
            )
            for s in form.steps
        ],
        whole=known_interval(form.whole),
        seconds=form.seconds,
        left=[LeftAtOut(field=x.field, count=x.count) for x in form.left],
        unknown=form.unknown,
        path=_as_path(form),
    )


def _as_path(form: FormReport) -> list[dict[str, Any]] | None:
    if form.rule is None or not form.pages:
        return None
    steps: list[dict[str, Any]] = [{"form": {**form.rule, "stage": s}} for s in ("begun", "tried")]
    steps.append({"form": dict(form.rule)})
    if len(form.pages) <= _MOST_PAGES:
        seen = [{"page": {"match": "equals", "value": p.host + p.path}} for p in form.pages]
        steps.insert(0, seen[0] if len(seen) == 1 else {"any": seen})
    return steps


def form_rows(answer: FormsOut) -> list[FormRowOut]:
    return [
        FormRowOut(
            name=f.name,
            paths=", ".join(f.paths),
            **{s.name: s.reached for s in f.steps},
            rate=f.whole,
            seconds=f.seconds,
            left_at=", ".join(f"{x.field} {x.count}" for x in f.left),
        )
        for f in answer.forms
    ]
