"""What the network's HTTP API takes and answers."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Literal, Self

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, model_validator

from practice_network.simulation.population import INTERESTS, OLDEST, TOWNS, YOUNGEST

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
    # Of people who only saw it.
    view_conversions: int


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
    # It runs plans.
    plans: bool
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


Placement = Literal["articles", "stream", "video"]
DeviceName = Literal["phone", "desktop", "tablet"]
_ID = Field(pattern="^[a-z0-9_-]{1,60}$")


class CreativeJson(_Model):
    """What is shown, and where it leads. `picture`: the SHA-256 of one, or nothing; `share`: how often it is its turn."""

    id: str = _ID
    headline: str = Field(min_length=1, max_length=90)
    text: str = Field(default="", max_length=200)
    button: str = Field(default="", max_length=30)
    landing: str = Field(pattern="^https?://", max_length=2000)
    picture: str = Field(default="", pattern="^([0-9a-f]{64})?$")
    share: float = Field(default=1.0, gt=0, le=100)


class SeekJson(_Model):
    """New people: around a town, with one of some interests or (`every`) all of them, of an age, with some devices."""

    town: str = ""
    km: float = Field(default=25.0, gt=0, le=500)
    interests: list[str] = Field(default=[], max_length=10)
    every: bool = False
    youngest: int = Field(default=YOUNGEST, ge=YOUNGEST, le=OLDEST)
    oldest: int = Field(default=OLDEST, ge=YOUNGEST, le=OLDEST)
    devices: list[DeviceName] = Field(default=[], max_length=3)

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.town and self.town not in TOWNS:
            raise ValueError("there is no such town")
        if not set(self.interests) <= set(INTERESTS) or len(set(self.interests)) < len(self.interests):
            raise ValueError("there is no such interest, or it is named twice")
        if self.youngest > self.oldest:
            raise ValueError("the youngest is older than the oldest")
        return self


class FoundJson(_Model):
    """How many people that is; with each interest alone; and with each two of them."""

    people: int
    each: dict[str, int]
    both: list[tuple[str, str, int]]


class TownJson(_Model):
    name: str
    east: float
    north: float


class ChoicesJson(_Model):
    """What new people can be sought by, and where ads are shown."""

    towns: list[TownJson]
    interests: list[str]
    devices: list[DeviceName]
    youngest: int
    oldest: int
    placements: list[Placement]


class LineJson(_Model):
    """To whom: those on some lists (a list that is not there has nobody on it), or new people.

    `days`: from and to which they came; `share` of the budget, against the other lines'.
    """

    id: str = _ID
    lists: list[str] = Field(default=[], max_length=20)
    seek: SeekJson | None = None
    days: tuple[float, float] = (0.0, 0.0)
    share: float = Field(default=1.0, gt=0, le=100)

    @model_validator(mode="after")
    def _whom(self) -> Self:
        if bool(self.lists) == (self.seek is not None):
            raise ValueError("a line is for those on lists or for new people")
        if not 0 <= self.days[0] <= self.days[1] <= 1000:
            raise ValueError("days are from and to which they came, at most 1000")
        return self


class PlanJson(_Model):
    """What is to be shown to whom, from day to day (of UTC). `sharing` “shared”: the budget moves between lines and creatives."""

    campaign: str = Field(min_length=1, max_length=200)
    lines: list[LineJson] = Field(min_length=1, max_length=20)
    left_out: list[str] = Field(default=[], max_length=20)
    highest_click: float = Field(gt=0, le=1000)
    daily_budget: float = Field(gt=0, le=1_000_000)
    cap: int = Field(default=0, ge=0, le=1000)
    first: date
    last: date | None = None
    creatives: list[CreativeJson] = Field(min_length=1, max_length=20)
    placements: list[Placement] = Field(default=["articles", "stream", "video"], min_length=1, max_length=3)
    sharing: Literal["fixed", "shared"] = "fixed"

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        for some in (self.lines, self.creatives):
            if len({one.id for one in some}) < len(some):
                raise ValueError("lines and creatives have an id each of their own")
        if len(set(self.placements)) < len(self.placements):
            raise ValueError("a placement is named twice")
        return self


class CellJson(_Model):
    """What an ad of a plan cost on a day."""

    day: date
    line: str
    creative: str
    shown: int
    clicks: int
    cost: str


class ChancesJson(_Model):
    """Of a line's chances on a day: how many there were; held back by the pace, taken out by the cap, bid more for by others."""

    day: date
    line: str
    chances: int
    held: int
    capped: int
    outbid: int


class TallyJson(_Model):
    """What was put in (money; of creatives, thousands of times shown) and how many conversions came of it."""

    effort: float
    conversions: int


class MoveJson(_Model):
    """A part of the whole that went from one to another, how sure that was, and what it rests on."""

    day: date
    what: Literal["line", "creative"]
    source: str
    target: str
    share: float
    source_tally: TallyJson
    target_tally: TallyJson
    chance: float


class ReachJson(_Model):
    """How many people a line showed a creative to, and how often in all. "": all lines, or all creatives; each person once."""

    line: str
    creative: str
    people: int
    times: int


class PlanStandingJson(_Model):
    """How a plan stands. `people`: known of each line now. `often`: how many, of those and of whoever was shown it before, have
    seen it 0, 1, 2 … times, the last: ten times or more.
    """

    id: str
    plan: PlanJson
    ended: bool
    people: dict[str, int]
    reach: list[ReachJson]
    conversions: int
    view_conversions: int
    often: list[int]
    cells: list[CellJson]
    chances: list[ChancesJson]
    line_shares: dict[str, float]
    creative_shares: dict[str, float]
    moves: list[MoveJson]


class ForecastIn(_Model):
    """A plan, and how many people of each line's lists are known here; of new people it is found out."""

    plan: PlanJson
    people: list[int] = Field(max_length=20)
    runs: int = Field(default=39, ge=1, le=39)
    seed: int = Field(default=1, ge=0, lt=2**32)


class OutcomeJson(_Model):
    """What a practice week came to: clicks by creative, `often` as a plan's standing has it."""

    reached: int
    shown: int
    cost: float
    clicks: list[int]
    often: list[int]


class ForecastJson(_Model):
    """Practice weeks. Of one more, nine of ten lie between the second lowest and the second highest of them."""

    days: int
    people: list[int]
    runs: list[OutcomeJson]


class HistoryIn(_Model):
    """A plan that is to have run for so many days by now."""

    plan: PlanJson
    days: int = Field(ge=1, le=90)
    seed: int = Field(default=1, ge=0, lt=2**32)


class VisitorJson(_Model):
    """Somebody whom an ad has led to a page."""

    link: str
    hash: str
    at: AwareDatetime
    through: bool


class HistoryJson(_Model):
    """Whom the plan has led where, in the order of time."""

    visitors: list[VisitorJson]
