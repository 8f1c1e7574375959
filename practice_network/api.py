"""The network's HTTP API: the four calls of a channel (docs/channels.md), and the switches to practise with."""

from __future__ import annotations

import random
import time
from collections.abc import Awaitable, Callable
from dataclasses import asdict
from datetime import date, datetime
from hashlib import sha256
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Depends, FastAPI, Header, HTTPException, Request, Response
from fastapi.responses import JSONResponse

from practice_network import clicks, lists
from practice_network.calling import Calling, Network, caller, network_of
from practice_network.plans_api import router as plans_router
from practice_network.shapes import (
    AnswerJson,
    AnswersJson,
    ChangedJson,
    ChangeJson,
    ClickIn,
    ClickOut,
    ConversionsJson,
    ListJson,
    PracticeJson,
    RefusedMember,
    SpendJson,
    SpendsJson,
    StatusJson,
)
from practice_network.simulation import practice
from practice_network.store import Store

MOST_BYTES = 4 * 1024 * 1024
router = APIRouter()


Caller = Annotated[str, Depends(caller)]


@router.post("/v1/lists/{list_id}/changes", summary="Put members")
def change(
    list_id: str,
    data: ChangeJson,
    call: Calling,
    idempotency_key: Annotated[str, Header(min_length=8, max_length=100)],
) -> ChangedJson:
    asked = sha256(f"{list_id} {data.model_dump_json()}".encode()).hexdigest()
    with call.network.store.changing() as db:
        given = db.execute(
            "SELECT asked = ?, answer FROM answers WHERE key = ?", (asked, idempotency_key)
        ).fetchone()
        if given is not None:
            if not given[0]:
                raise HTTPException(409, "This key was used for another call.")
            return ChangedJson.model_validate_json(given[1])
        add, remove = (
            [lists.Member(m.kind, bytes.fromhex(m.hash)) for m in some] for some in (data.add, data.remove)
        )
        refused = lists.change(
            db, list_id, data.name, add, remove, call.practice.refuse, call.practice.population
        )
        answer = ChangedJson(
            refused=[
                RefusedMember(kind=m.kind, hash=m.hash.hex(), reason="busy", again=True)  # type: ignore[arg-type]
                for m in refused
            ]
        )
        db.execute(
            "INSERT INTO answers VALUES (?, ?, ?, ?)",
            (idempotency_key, asked, answer.model_dump_json(), time.time()),
        )
        db.execute("DELETE FROM answers WHERE at < ?", (time.time() - 86400,))
    return answer


@router.delete("/v1/lists/{list_id}", status_code=204, summary="Take a list away")
def remove_list(list_id: str, call: Calling) -> None:
    with call.network.store.changing() as db:
        lists.remove_list(db, list_id)


@router.post("/v1/conversions", summary="Report conversions")
def report(data: ConversionsJson, call: Calling) -> AnswersJson:
    answers = []
    with call.network.store.changing() as db:
        for c in data.items:
            if call.practice.refuse and random.random() < call.practice.refuse:
                answers.append(AnswerJson(name=c.name, event=c.event, taken=False, reason="busy", again=True))
                continue
            reason = clicks.report(
                db,
                clicks.Reported(
                    c.name,
                    c.event,
                    c.revision,
                    c.click,
                    c.time.timestamp(),
                    c.value,
                    c.currency,
                    c.withdrawn,
                ),
                call.network.currency,
            )
            answers.append(AnswerJson(name=c.name, event=c.event, taken=not reason, reason=reason or ""))
    return AnswersJson(answers=answers)


@router.get("/v1/spend", summary="Read spend")
def spend(first: date, last: date, call: Calling) -> SpendsJson:
    with call.network.store.changing() as db:
        rows = clicks.spend(db, first, last)
    return SpendsJson(
        currency=call.network.currency,
        rows=[
            SpendJson(
                day=r.day,
                campaign=r.ad.campaign,
                ad_group=r.ad.ad_group,
                ad=r.ad.ad,
                landing=r.ad.landing,
                impressions=r.impressions,
                clicks=r.clicks,
                cost=f"{r.cost:f}",
                conversions=r.conversions,
                value=f"{r.value:f}",
                view_conversions=r.view_conversions,
            )
            for r in rows
        ],
    )


@router.get("/v1/status", summary="Read status")
def status(call: Calling) -> StatusJson:
    with call.network.store.changing() as db:
        found = lists.states(db)
    return StatusJson(
        name="Practice network",
        simulation=True,
        source=clicks.SOURCE,
        click_parameter=clicks.CLICK_PARAMETER,
        currency=call.network.currency,
        takes=["email", "id"],
        plans=True,
        lists=[
            ListJson(
                id=s.id,
                name=s.name,
                members=s.members,
                known=s.known,
                ready=s.ready,
                as_of=datetime.fromtimestamp(s.as_of).astimezone(),
            )
            for s in found
        ],
    )


@router.get("/practice", summary="How the switches stand")
def switches(request: Request, key: Caller) -> PracticeJson:
    return PracticeJson(**asdict(practice.read(network_of(request).store)))


@router.put("/practice", summary="Turn the switches")
def turn(request: Request, data: PracticeJson, key: Caller) -> PracticeJson:
    practice.write(network_of(request).store, practice.Practice(**data.model_dump()))
    return data


@router.post("/practice/clicks", summary="Have somebody click an ad")
def click(request: Request, data: ClickIn, key: Caller) -> ClickOut:
    ad = clicks.Ad(data.campaign, data.ad_group, data.ad, data.landing)
    with network_of(request).store.changing() as db:
        click_id = clicks.click(db, ad, data.cost)
    return ClickOut(id=click_id, link=clicks.link(ad, click_id))


async def _short(request: Request, go_on: Callable[[Request], Awaitable[Response]]) -> Response:
    """Bodies that are too long, or do not say how long they are, are not read."""
    length = request.headers.get("content-length", "0")
    if not length.isdecimal() or int(length) > MOST_BYTES or "transfer-encoding" in request.headers:
        return JSONResponse({"detail": "The body is too long."}, 413)
    return await go_on(request)


def make(path: Path, keys: frozenset[str], currency: str = "EUR") -> FastAPI:
    """The application over one store; who calls names one of the keys."""
    app = FastAPI(
        title="Practice network",
        version="1",
        description="A simulation of an ad network.",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
    )

    @app.get("/openapi.json", include_in_schema=False)
    def described(key: Caller) -> dict[str, Any]:
        """The OpenAPI document, for whoever has a key."""
        return app.openapi()

    app.state.network = Network(Store(path), keys, currency)
    app.middleware("http")(_short)
    for of in (router, plans_router):
        app.include_router(of)
    return app
