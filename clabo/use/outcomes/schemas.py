"""The shapes of outcomes in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

from ninja import Field as Limit
from pydantic import StringConstraints

from clabo.core.money.spend_file import BadRow
from clabo.core.outcomes.outcome_file import Field, OutcomeLine, OutcomeMapping, identity_of
from clabo.core.outcomes.stages import Effect
from clabo.core.outcomes.unmatched import WHY
from clabo.platform.problems import Problem
from clabo.platform.shapes import Shape
from clabo.platform.wording import say
from clabo.setup.sites.models import Site
from clabo.use.outcomes.importing import OutcomeCheck
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.queries import StageCount, imports_of, stage_counts, waiting
from clabo.use.outcomes.stages import stages_of

Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=100)]
MOST_AT_ONCE = 1000


class StageJson(Shape):
    """A stage; without a key it is new."""

    key: Annotated[str, StringConstraints(max_length=40)] = ""
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    effect: Effect


class StagesJson(Shape):
    stages: Annotated[list[StageJson], Limit(max_length=20)]


class StageOut(Shape):
    key: str
    name: str
    effect: Effect
    # Outcomes that were told, and of how many the conversion is known.
    told: int
    matched: int
    with_value: int
    last_at: datetime | None
    # The conversion that counts it, where there is one.
    conversion: int | None


class OutcomeImportOut(Shape):
    id: int
    file_name: str
    state: Literal["uploaded", "done", "undone"]
    made_at: datetime
    made_by: str
    rows: int


class WaitingOut(Shape):
    """An outcome that is of nothing yet. Addresses and ids are not shown: only their hashes are kept."""

    by: Literal["order", "email", "customer"]
    order: str
    stage: str
    at: datetime | None
    value: Decimal | None
    currency: str
    file_name: str
    why: str


class OutcomesOut(Shape):
    """The stages, what was told of each, files, and what is of nothing yet (the newest 200 of `waiting_count`)."""

    stages: list[StageOut]
    imports: list[OutcomeImportOut]
    waiting: list[WaitingOut]
    waiting_count: int
    currency: str


class OutcomeIn(Shape):
    """One outcome. It is known by an order number, or the e-mail address or customer id (or their SHA-256)."""

    order: Text = ""
    email: Annotated[str, StringConstraints(strip_whitespace=True, max_length=320)] = ""
    customer: Text = ""
    stage: Annotated[str, StringConstraints(max_length=40)]
    # With an offset, or by the site's clock. Without it: now.
    at: datetime | None = None
    value: Annotated[Decimal, Limit(ge=0, lt=10**9, decimal_places=4)] | None = None
    currency: Annotated[str, StringConstraints(pattern=r"^([A-Z]{3})?$")] = ""
    # A name of its own: told again with it, it is corrected.
    id: Text = ""
    # It never happened.
    withdrawn: bool = False


class OutcomesIn(Shape):
    outcomes: Annotated[list[OutcomeIn], Limit(min_length=1, max_length=MOST_AT_ONCE)]


class UnmatchedOut(Shape):
    """An outcome (its place in the call, from 0) that is of nothing yet, and why. It is kept, and tried again."""

    place: int
    why: str


class TakenOut(Shape):
    """How many said something new, how many were known, and which are of nothing yet."""

    new: int
    known: int
    unmatched: list[UnmatchedOut]


class MappingJson(Shape):
    """Which column is what (numbers from 0), what words for stages mean (a key, or "-": leave aside), and how it is written."""

    columns: dict[Field, Annotated[int, Limit(ge=0, lt=10_000)]]
    stages: dict[
        Annotated[str, StringConstraints(max_length=200)], Annotated[str, StringConstraints(max_length=40)]
    ]
    day_order: Literal["ymd", "dmy", "mdy"]
    decimal_mark: Literal[".", ","]
    # Only conversions of this rule; of any where it is missing.
    conversion: int | None = None


class BadOutcomeOut(Shape):
    line: int
    field: str
    message: str
    cells: list[str]


class UnmatchedReasonOut(Shape):
    why: str
    rows: int


class OutcomeCheckOut(Shape):
    """What taking the file in would do. `doubts` are what has to be said or looked at first."""

    id: int
    file_name: str
    head: list[str]
    sample: list[list[str]]
    mapping: MappingJson
    doubts: list[str]
    good: int
    left_aside: int
    bad_count: int
    bad: list[BadOutcomeOut]
    # Of `tried` rows so many are of a conversion that is known.
    tried: int
    matched: int
    reasons: list[UnmatchedReasonOut]
    by_stage: dict[str, int]
    same_file: OutcomeImportOut | None
    importable: bool


def import_out(batch: OutcomeImport) -> OutcomeImportOut:
    return OutcomeImportOut(
        id=batch.pk,
        file_name=batch.file_name,
        state=batch.state,  # type: ignore[arg-type]
        made_at=batch.made_at,
        made_by=str(batch.made_by or ""),
        rows=batch.rows,
    )


def stage_out(count: StageCount) -> StageOut:
    return StageOut(
        key=count.stage.key,
        name=count.stage.name,
        effect=count.stage.effect,
        told=count.told,
        matched=count.matched,
        with_value=count.with_value,
        last_at=count.last_at,
        conversion=count.rule.pk if count.rule else None,
    )


def why_of(code: str) -> str:
    """The words for why an outcome is of nothing."""
    return say(WHY[code]) if code else ""


def waiting_out(outcome: Outcome, names: dict[str, str]) -> WaitingOut:
    return WaitingOut(
        by=outcome.by,  # type: ignore[arg-type]
        order=outcome.identity if outcome.by == Outcome.By.ORDER else "",
        stage=names.get(outcome.stage, outcome.stage),
        at=outcome.at,
        value=outcome.value,
        currency=outcome.currency,
        file_name=outcome.batch.file_name if outcome.batch else "",
        why=why_of(outcome.why),
    )


def outcomes_out(site: Site) -> OutcomesOut:
    rows, number = waiting(site)
    names = {s.key: s.name for s in stages_of(site)}
    return OutcomesOut(
        stages=[stage_out(c) for c in stage_counts(site)],
        imports=[import_out(b) for b in imports_of(site)],
        waiting=[waiting_out(o, names) for o in rows],
        waiting_count=number,
        currency=site.currency,
    )


def line_of(data: OutcomeIn, place: int, stages: set[str]) -> OutcomeLine:
    """What one outcome of a call says; raises Problem naming its place."""
    field = f"outcomes.{place}."
    if data.stage not in stages:
        raise Problem(
            f"{data.stage} is not one of the site's stages: {', '.join(sorted(stages))}.",
            field + "stage",
            422,
        )
    identity = identity_of(data.order, data.email, data.customer)
    if isinstance(identity, BadRow):
        raise Problem(say(identity.told), field + identity.field, 422)
    if data.at is not None and not 2000 <= data.at.year < 2100:
        raise Problem("Write a time between the years 2000 and 2100.", field + "at", 422)
    return OutcomeLine(*identity, data.stage, data.at, data.value, data.currency, data.id, data.withdrawn)


def mapping_of(data: MappingJson) -> OutcomeMapping:
    return OutcomeMapping(dict(data.columns), dict(data.stages), data.day_order, data.decimal_mark)


def check_out(batch: OutcomeImport, found: OutcomeCheck, conversion: int | None) -> OutcomeCheckOut:
    mapping: dict[str, Any] = {
        "columns": dict(found.mapping.columns),
        "stages": found.said,
        "day_order": found.mapping.day_order,
        "decimal_mark": found.mapping.decimal_mark,
        "conversion": conversion,
    }
    return OutcomeCheckOut(
        id=batch.pk,
        file_name=batch.file_name,
        head=found.layout.head,
        sample=found.sample,
        mapping=MappingJson(**mapping),
        doubts=found.doubts,
        good=found.good,
        left_aside=found.left_aside,
        bad_count=found.bad_count,
        bad=[
            BadOutcomeOut(line=n, field=row.field, message=say(row.told), cells=cells)
            for n, row, cells in found.bad
        ],
        tried=found.tried,
        matched=found.matched,
        reasons=[UnmatchedReasonOut(why=why_of(why), rows=n) for why, n in found.reasons.most_common()],
        by_stage=dict(found.by_stage),
        same_file=import_out(found.same_file) if found.same_file else None,
        importable=found.importable,
    )
