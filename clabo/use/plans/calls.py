"""What a channel that can run plans is asked, as docs/channels.md has it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from hashlib import sha256
from typing import Any, Literal, TypeVar
from uuid import UUID

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from clabo.use.delivery.adapters.calling import Declined, call
from clabo.use.delivery.models import AdChannel

M = TypeVar("M", bound=BaseModel)
_Count = Field(ge=0, lt=10**12)


class Seek(BaseModel):
    """New people: around a town, with one of some interests or (`every`) all of them, of an age, with some devices."""

    town: str = Field(default="", max_length=80)
    km: float = Field(default=25.0, gt=0, le=500)
    interests: list[str] = Field(default=[], max_length=10)
    every: bool = False
    youngest: int = Field(default=18, ge=0, le=120)
    oldest: int = Field(default=90, ge=0, le=120)
    devices: list[str] = Field(default=[], max_length=10)


class NewPeople(BaseModel):
    """How many there are; with each interest alone; and with each two of them."""

    people: int = _Count
    each: dict[str, int]
    both: list[tuple[str, str, int]]


class Town(BaseModel):
    name: str = Field(max_length=80)
    east: float
    north: float


class Choices(BaseModel):
    """What new people can be sought by, and where ads are shown."""

    towns: list[Town] = Field(max_length=500)
    interests: list[str] = Field(max_length=500)
    devices: list[str] = Field(max_length=20)
    youngest: int
    oldest: int
    placements: list[str] = Field(max_length=50)


class Week(BaseModel):
    """What a practice week came to."""

    reached: int = _Count
    shown: int = _Count
    cost: float = Field(ge=0)
    clicks: list[int]
    often: list[int] = Field(min_length=2)


class Weeks(BaseModel):
    """Practice weeks, and how many people of each line there are."""

    days: int
    people: list[int]
    runs: list[Week]


class Cell(BaseModel):
    """What an ad cost on a day of the channel's."""

    day: date
    line: str
    creative: str
    shown: int = _Count
    clicks: int = _Count
    cost: Decimal = Field(ge=0)


class LineChances(BaseModel):
    """Of a line's chances on a day: how many there were; held back by the pace, taken out by the cap, bid more for by others."""

    day: date
    line: str
    chances: int = _Count
    held: int = _Count
    capped: int = _Count
    outbid: int = _Count


class Tally(BaseModel):
    effort: float
    conversions: int


class Move(BaseModel):
    """A part of the whole that went from one to another, how sure that was, and what it rests on."""

    day: date
    what: Literal["line", "creative"]
    source: str
    target: str
    share: float
    source_tally: Tally
    target_tally: Tally
    chance: float


class Reach(BaseModel):
    """How many people a line showed a creative to, and how often in all. "": all lines, or all creatives; each person once."""

    line: str
    creative: str
    people: int = _Count
    times: int = _Count


class Standing(BaseModel):
    """How a plan stands there. `people`: known of each line now. `often`: how many, of those and of whoever was shown it before,
    have seen it 0, 1, 2 … times, the last: so often or more.
    """

    ended: bool
    people: dict[str, int]
    # Missing in what was told to an earlier version.
    reach: list[Reach] = []
    conversions: int = _Count
    view_conversions: int = _Count
    often: list[int]
    cells: list[Cell]
    chances: list[LineChances]
    line_shares: dict[str, float]
    creative_shares: dict[str, float]
    moves: list[Move]

    def reached(self, line: str = "", creative: str = "") -> Reach:
        """By a line, a creative, both, or all."""
        asked = (r for r in self.reach if (r.line, r.creative) == (line, creative))
        return next(asked, Reach(line=line, creative=creative, people=0, times=0))


class PlanCalls:
    """All of them raise Away or Declined."""

    def __init__(self, channel: AdChannel) -> None:
        self._channel = channel

    def choices(self) -> Choices:
        """What new people can be sought by."""
        return _read(Choices, self._call("GET", "/v1/people"))

    def count(self, seek: Seek) -> NewPeople:
        """How many new people that is."""
        return _read(NewPeople, self._call("POST", "/v1/people", seek.model_dump()))

    def practise(self, plan: dict[str, Any], people: list[int], runs: int) -> Weeks:
        """What a plan may do in a week, so many times; `people`: how many of each line are known there."""
        body = {"plan": plan, "people": people, "runs": runs}
        return _read(Weeks, self._call("POST", "/v1/forecasts", body))

    def put(self, key: UUID, plan: dict[str, Any]) -> Standing:
        """Start a plan, or have it go on with other terms."""
        return _read(Standing, self._call("PUT", f"/v1/plans/{key}", plan))

    def read(self, key: UUID) -> Standing:
        """How a plan stands."""
        return _read(Standing, self._call("GET", f"/v1/plans/{key}"))

    def end(self, key: UUID) -> Standing | None:
        """End a plan; None where it never came there."""
        said = self._call("DELETE", f"/v1/plans/{key}")
        return None if said is None else _read(Standing, said)

    def _call(self, method: str, path: str, body: Any = None) -> Any:
        return call(self._channel.base_url, self._channel.secret, method, path, body).json


def picture_mark(address: str) -> str:
    """By what a channel tells pictures apart."""
    return sha256(address.encode()).hexdigest() if address else ""


def _read(shape: type[M], said: Any) -> M:
    try:
        return TypeAdapter(shape).validate_python(said)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Declined(f"Its answer is not as agreed, at {where}: {first['msg']}"[:300]) from None
