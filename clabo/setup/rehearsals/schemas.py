"""The shapes of rehearsals in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Field

from clabo.platform.shapes import Shape
from clabo.platform.wording import say, say_all
from clabo.platform.wording.rules.language import sentence
from clabo.setup.rehearsals import services as rehearsing
from clabo.setup.rehearsals.models import Rehearsal
from clabo.setup.sites.models import Site


class LineOut(Shape):
    should: Literal["fire", "silent"]
    says: str
    # The address that opens the page inside the rehearsal; empty where any page will do.
    link: str
    status: Literal["passed", "failed", "untried"]
    reason: str


class RehearsedRule(Shape):
    rule: int
    name: str
    sentence: str
    lines: list[LineOut]


class RehearsalShort(Shape):
    id: int
    started_at: datetime
    ended_at: datetime | None
    started_by: str
    by_itself: bool
    names: list[str]
    passed: int
    failed: int
    untried: int


class RehearsalOut(RehearsalShort):
    link: str
    hits: int
    rules: list[RehearsedRule]


class RehearsalIn(Shape):
    # One conversion, or all of the site's.
    rule_id: int | None = None


class StepsIn(Shape):
    steps: str = Field(max_length=20_000)


class StepsOut(Shape):
    steps: str


def short_out(rehearsal: Rehearsal) -> RehearsalShort:
    stands = rehearsing.lines_so_far(rehearsal)
    return RehearsalShort(
        id=rehearsal.pk,
        started_at=rehearsal.started_at,
        ended_at=rehearsal.ended_at,
        started_by=str(rehearsal.started_by or ""),
        by_itself=rehearsal.by_itself,
        names=[c.name for c in stands],
        **rehearsing.counts(stands),
    )


def rehearsal_out(site: Site, rehearsal: Rehearsal) -> RehearsalOut:
    return RehearsalOut(
        **short_out(rehearsal).dict(),
        link=rehearsing.link(site, rehearsal, ""),
        hits=len(rehearsing.hits_of(rehearsal)),
        rules=[
            RehearsedRule(
                rule=c.rule_id,
                name=c.name,
                sentence=sentence(c.rule),
                lines=[
                    LineOut(
                        should=line.should,
                        says=say(line.says),
                        link=rehearsing.link(site, rehearsal, line.open),
                        status=came.status,
                        reason=say_all(came.reasons),
                    )
                    for line, came in c.lines
                ],
            )
            for c in rehearsing.lines_so_far(rehearsal)
        ],
    )
