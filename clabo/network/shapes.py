"""What the network's HTTP API takes and answers."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

MOST_ITEMS = 10_000


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class MemberJson(_Model):
    """A hashed identity: SHA-256 in hexadecimal digits."""

    kind: Literal["email", "id"]
    hash: str = Field(pattern="^[0-9a-f]{64}$")


class ChangeJson(_Model):
    """People to put on a list and to take off it."""

    name: str = Field(max_length=200)
    add: list[MemberJson] = Field(default=[], max_length=MOST_ITEMS)
    remove: list[MemberJson] = Field(default=[], max_length=MOST_ITEMS)


class RefusedMember(MemberJson):
    """An item that was not done; `again`: send it again later."""

    reason: str
    again: bool


class ChangedJson(_Model):
    """What was not done of a change; all else was."""

    refused: list[RefusedMember]


class ConversionJson(_Model):
    """A conversion as it stands now."""

    name: str = Field(min_length=1, max_length=100)
    event: str = Field(min_length=1, max_length=200)
    revision: int = Field(ge=1)
    click: str = Field(min_length=1, max_length=200)
    time: AwareDatetime
    value: Decimal | None = Field(default=None, ge=0, lt=1_000_000_000)
    currency: str = Field(default="", max_length=3)
    withdrawn: bool = False


class ConversionsJson(_Model):
    """Some conversions."""

    items: list[ConversionJson] = Field(max_length=MOST_ITEMS)


class AnswerJson(_Model):
    """Whether a conversion was taken, and why not; `again`: send it again later."""

    name: str
    event: str
    taken: bool
    reason: str = ""
    again: bool = False


class AnswersJson(_Model):
    """One answer for each item, in their order."""

    answers: list[AnswerJson]


class SpendJson(_Model):
    """An ad on a day. Amounts are decimal numbers in text."""

    day: date
    campaign: str
    ad_group: str
    ad: str
    landing: str
    impressions: int
    clicks: int
    cost: str
    conversions: int
    value: str


class SpendsJson(_Model):
    """What was spent, by ad and day."""

    currency: str
    rows: list[SpendJson]


class ListJson(_Model):
    """A list as it stands."""

    id: str
    name: str
    members: int
    known: int
    ready: bool
    as_of: datetime


class StatusJson(_Model):
    """What this is, how links to it are marked, what it takes, and how its lists stand."""

    name: str
    simulation: bool
    source: str
    click_parameter: str
    currency: str
    takes: list[Literal["email", "id"]]
    lists: list[ListJson]


class PracticeJson(_Model):
    """The switches (practice.py)."""

    away: bool = False
    slow: float = Field(default=0.0, ge=0, le=60)
    refuse: float = Field(default=0.0, ge=0, le=1)
    calls: float = Field(default=20.0, gt=0, le=10_000)
    population: float = Field(default=8.0, ge=0, le=600)


class ClickIn(_Model):
    """Somebody clicks an ad."""

    campaign: str = Field(default="", max_length=200)
    ad_group: str = Field(default="", max_length=200)
    ad: str = Field(default="", max_length=200)
    landing: str = Field(pattern="^https?://", max_length=2000)
    cost: Decimal = Field(default=Decimal("0.30"), ge=0, lt=1000)


class ClickOut(_Model):
    """Where it leads."""

    id: str
    link: str


class CreativeJson(_Model):
    """What is shown, and where it leads."""

    id: str = Field(pattern="^[a-z0-9_-]{1,40}$")
    headline: str = Field(min_length=1, max_length=90)
    text: str = Field(default="", max_length=200)
    button: str = Field(default="", max_length=30)
    landing: str = Field(pattern="^https?://", max_length=2000)


class PlanJson(_Model):
    """What is to be shown to whom, from day to day (of UTC); a list that is not there has nobody on it."""

    campaign: str = Field(min_length=1, max_length=200)
    shown_to: list[str] = Field(min_length=1, max_length=20)
    left_out: list[str] = Field(default=[], max_length=20)
    highest_click: float = Field(gt=0, le=1000)
    daily_budget: float = Field(gt=0, le=1_000_000)
    cap: int = Field(default=0, ge=0, le=1000)
    first: date
    last: date | None = None
    creatives: list[CreativeJson] = Field(min_length=1, max_length=20)


class PlanStandingJson(_Model):
    """How a plan stands. `often`: how many people have seen it 0, 1, 2 … times, the last: ten times or more."""

    id: str
    plan: PlanJson
    ended: bool
    people: int
    reached: int
    shown: int
    clicks: int
    conversions: int
    cost: str
    spent_today: float
    often: list[int]
