"""Plans over HTTP: put, looked at, ended; what they may do; and whom new people are."""

from __future__ import annotations

import sqlite3
import time
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, HTTPException, Path, Response

from practice_network import history, plans, running
from practice_network.calling import Calling
from practice_network.plans import Creative, Line, Plan
from practice_network.shapes import (
    ChoicesJson,
    ForecastIn,
    ForecastJson,
    FoundJson,
    HistoryIn,
    HistoryJson,
    OutcomeJson,
    PlanJson,
    PlanStandingJson,
    SeekJson,
    TownJson,
    VisitorJson,
)
from practice_network.simulation import forecast
from practice_network.simulation.auction import PLACEMENTS
from practice_network.simulation.population import (
    DEVICES,
    INTERESTS,
    OLDEST,
    TOWNS,
    YOUNGEST,
    Seek,
    population,
)

router = APIRouter()
PlanId = Annotated[str, Path(pattern="^[a-zA-Z0-9-]{1,64}$")]


@router.get("/v1/people", summary="What new people can be sought by")
def choices(call: Calling) -> ChoicesJson:
    return ChoicesJson(
        towns=[TownJson(name=name, east=east, north=north) for name, (east, north, _) in TOWNS.items()],
        interests=list(INTERESTS),
        devices=list(DEVICES),  # type: ignore[arg-type]
        youngest=YOUNGEST,
        oldest=OLDEST,
        placements=list(PLACEMENTS),  # type: ignore[arg-type]
    )


@router.post("/v1/people", summary="How many new people that is")
def count(data: SeekJson, call: Calling) -> FoundJson:
    found = population().count(_seek(data))
    return FoundJson(people=found.people, each=found.each, both=found.both)


@router.put("/v1/plans/{plan_id}", summary="Start a plan, or have it go on with other terms")
def put(plan_id: PlanId, data: PlanJson, call: Calling) -> PlanStandingJson:
    now = time.time()
    with call.network.store.changing() as db:
        _not_named(db, plan_id, data)
        if not plans.put(db, plan_id, _plan(data), now):
            raise HTTPException(409, "This plan has ended.")
        return _standing(db, plan_id, now)


@router.get("/v1/plans/{plan_id}", summary="How a plan stands")
def read(plan_id: PlanId, call: Calling) -> PlanStandingJson:
    with call.network.store.changing() as db:
        return _standing(db, plan_id, time.time())


@router.delete("/v1/plans/{plan_id}", summary="End a plan", response_model=PlanStandingJson)
def end(plan_id: PlanId, call: Calling) -> PlanStandingJson | Response:
    now = time.time()
    with call.network.store.changing() as db:
        # One that never came here is no error: whoever is not sure ends it.
        return _standing(db, plan_id, now) if plans.end(db, plan_id, now) else Response(status_code=204)


@router.post("/v1/forecasts", summary="What a plan may do in a week")
def practise(data: ForecastIn, call: Calling) -> ForecastJson:
    plan = _plan(data.plan)
    if len(data.people) != len(plan.lines) or min(data.people) < 0:
        raise HTTPException(422, "Say for each line how many people of its lists are known.")
    marks = ",".join("?" * len(plan.left_out)) or "NULL"
    with call.network.store.changing() as db:
        out = db.execute(f"SELECT hash FROM members WHERE list IN ({marks})", plan.left_out).fetchall()
    sizes = forecast.sizes_of(plan, data.people, [bytes(h) for (h,) in out])
    runs = forecast.practise(plan, sizes, data.seed, data.runs) if sum(s.people for s in sizes) else []
    return ForecastJson(
        days=forecast.DAYS,
        people=[s.people for s in sizes],
        runs=[OutcomeJson(**asdict(run)) for run in runs],
    )


@router.post("/practice/history/{plan_id}", summary="Have a plan have run for some days")
def have_run(plan_id: PlanId, data: HistoryIn, call: Calling) -> HistoryJson:
    with call.network.store.changing() as db:
        _not_named(db, plan_id, data.plan)
        if db.execute("SELECT 1 FROM plans WHERE id = ?", (plan_id,)).fetchone():
            raise HTTPException(409, "There is such a plan already.")
        found = history.run(db, plan_id, _plan(data.plan), data.days, time.time(), data.seed)
    return HistoryJson(
        visitors=[
            VisitorJson(
                link=who.link,
                hash=who.hash.hex(),
                at=datetime.fromtimestamp(who.at, UTC),
                through=who.through,
            )
            for who in found
        ]
    )


def _seek(data: SeekJson) -> Seek:
    return Seek(
        data.town,
        data.km,
        tuple(data.interests),
        data.every,
        data.youngest,
        data.oldest,
        tuple(data.devices),
    )


def _plan(data: PlanJson) -> Plan:
    lines = [
        Line(line.id, line.lists, _seek(line.seek) if line.seek else None, line.days, line.share)
        for line in data.lines
    ]
    said = data.model_dump(exclude={"lines", "creatives"})
    return Plan(lines=lines, creatives=[Creative(**c.model_dump()) for c in data.creatives], **said)


def _not_named(db: sqlite3.Connection, plan_id: str, data: PlanJson) -> None:
    if plans.named(db, data.campaign, plan_id):
        raise HTTPException(409, "Another plan has this campaign.")


def _standing(db: sqlite3.Connection, plan_id: str, now: float) -> PlanStandingJson:
    found = running.standing(db, plan_id, now)
    if found is None:
        raise HTTPException(404, "There is no such plan.")
    said = asdict(found)
    for cell in said["cells"]:
        cell["cost"] = f"{cell['cost']:f}"
    return PlanStandingJson.model_validate(said)
