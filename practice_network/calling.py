"""Who calls, and whether the switches let them through."""

from __future__ import annotations

import hmac
import time
from dataclasses import dataclass, field
from typing import Annotated, cast

from fastapi import Depends, HTTPException, Request

from practice_network.simulation.practice import Allowance, Practice, read
from practice_network.store import Store


@dataclass(slots=True)
class Network:
    """One network: what it keeps, who may call, and in what currency it counts."""

    store: Store
    keys: frozenset[str]
    currency: str
    allowances: dict[str, Allowance] = field(default_factory=dict)


def network_of(request: Request) -> Network:
    """The network that is called."""
    return cast(Network, request.app.state.network)


def caller(request: Request) -> str:
    """The key that the caller names; raises HTTPException."""
    scheme, _, given = request.headers.get("authorization", "").partition(" ")
    for key in network_of(request).keys if scheme.lower() == "bearer" else ():
        if hmac.compare_digest(given.encode(), key.encode()):
            return key
    raise HTTPException(401, "This key is not known.")


Caller = Annotated[str, Depends(caller)]


@dataclass(frozen=True, slots=True)
class Call:
    """A call that the switches let through."""

    network: Network
    practice: Practice


def _call(request: Request, key: Caller) -> Call:
    network = network_of(request)
    now = read(network.store)
    wait = network.allowances.setdefault(key, Allowance()).wait(now.calls)
    if wait:
        raise HTTPException(429, "Too many calls.", {"Retry-After": str(max(1, round(wait)))})
    time.sleep(now.slow)
    if now.away:
        raise HTTPException(503, "The network is away.", {"Retry-After": "2"})
    return Call(network, now)


Calling = Annotated[Call, Depends(_call)]
