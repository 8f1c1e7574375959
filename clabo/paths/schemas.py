"""The shapes of paths in the API, and how they are filled."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from ninja import Field, Schema
from pydantic import WithJsonSchema

from clabo.conversions.models import ConversionRule
from clabo.conversions.rule_shape import refer
from clabo.core.audiences import What
from clabo.paths.models import Path
from clabo.paths.walking import PathReport, StepDifference
from clabo.paths.ways import Ways
from clabo.shapes import IntervalOut, finite, interval_out, known_interval
from clabo.sites.models import Site
from clabo.wording.audiences import Names, did

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


class LensWords(Schema):
    """Which visits: as in the lens of Pages."""

    period: str = "28d"
    origin: str = "any"
    device: str = "any"
    audience: int | None = None


class AgainstWords(LensWords):
    """Another lens, and another kept path where it is not the same one."""

    path: int | None = None


class PathAsked(LensWords):
    """A path, under a lens, and against another."""

    steps: list[StepJson]
    within: int | None = None
    # "device", "channel", "source", "page", or "test:<number>" for the variants of a split test.
    by: str | None = Field(None, max_length=40)
    against: AgainstWords | None = None


class PathIn(Schema):
    """A path to be kept."""

    name: str = Field(max_length=80)
    steps: list[StepJson]
    within: int | None = None


class LeftIn(Schema):
    """Audiences of those who left a path: at one step, or (None) one for each."""

    name: str = Field(max_length=80)
    steps: list[StepJson]
    within: int | None = None
    days: int = 28
    at: int | None = None


class PathOut(Schema):
    id: int
    name: str
    steps: list[StepJson]
    within: int | None


class InsteadOut(Schema):
    """Where some of those went who left: a page, or (None) nowhere: the visit ended."""

    path: str | None
    count: int


class StepOut(Schema):
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


class PathGroupOut(Schema):
    name: str
    reached: list[int]
    whole: IntervalOut | None


class StepDifferenceOut(Schema):
    """A step's rate here minus there; `p_value` is adjusted for all steps (Holm)."""

    difference: IntervalOut | None
    p_value: float | None
    # At the other's rate so many more would have gone all the way.
    more: float


class WalkedOut(Schema):
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


class ProposalOut(Schema):
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


class NeighbourOut(Schema):
    """A page beside the one that is asked about; without a page the visit began, or ended."""

    page_id: int | None
    path: str | None
    title: str
    count: int
    share: IntervalOut


class WayColumnOut(Schema):
    distance: int
    total: int
    neighbours: list[NeighbourOut]
    further: int
    further_pages: int


class WaysOut(Schema):
    page_id: int
    path: str
    title: str
    views: int
    asked: int
    columns: list[WayColumnOut]


class WayRowOut(Schema):
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
