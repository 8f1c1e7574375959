"""The five calls over HTTP and JSON, as docs/channels.md has them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any, TypeVar
from urllib.parse import urlencode
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, Field, TypeAdapter, ValidationError

from clabo.core.trust.identities import KINDS
from clabo.use.delivery.adapters.adapter import ChannelStatus, ListStatus, Member, Refusal, SpendOfDay
from clabo.use.delivery.adapters.calling import Declined, call
from clabo.use.delivery.models import Report

# Of what a channel did not say what became of it.
UNKNOWN = "not_answered"
M = TypeVar("M", bound=BaseModel)
_Text = Field(default="", max_length=200)
_Amount = Field(ge=0, lt=1_000_000_000)


class _Refused(BaseModel):
    kind: str
    hash: str = Field(pattern="^[0-9a-f]{64}$")
    reason: str = Field(max_length=60)
    again: bool


class _Changed(BaseModel):
    refused: list[_Refused]


class _Answer(BaseModel):
    name: str
    event: str
    taken: bool
    reason: str = Field(default="", max_length=60)
    again: bool = False


class _Answers(BaseModel):
    answers: list[_Answer]


class _Row(BaseModel):
    day: date
    campaign: str = _Text
    ad_group: str = _Text
    ad: str = _Text
    landing: str = Field(default="", max_length=2000)
    impressions: int = Field(ge=0, lt=10**15)
    clicks: int = Field(ge=0, lt=10**15)
    cost: Decimal = _Amount
    conversions: Decimal | None = Field(default=None, ge=0, lt=1_000_000_000)
    value: Decimal | None = Field(default=None, ge=0, lt=1_000_000_000)
    view_conversions: Decimal | None = Field(default=None, ge=0, lt=1_000_000_000)


class _Spend(BaseModel):
    currency: str = Field(pattern="^[A-Z]{3}$")
    rows: list[_Row]


class _List(BaseModel):
    id: str
    members: int = Field(ge=0)
    known: int = Field(ge=0)
    ready: bool
    as_of: AwareDatetime


class _Status(BaseModel):
    name: str = Field(max_length=200)
    simulation: bool = False
    source: str = _Text
    click_parameter: str = Field(default="", max_length=40)
    currency: str = Field(default="", max_length=3)
    plans: bool = False
    lists: list[_List]


class OverHttp:
    """A channel at an address."""

    def __init__(self, base_url: str, secret: str) -> None:
        self._base_url, self._secret = base_url, secret

    def put_members(
        self, list_key: UUID, name: str, add: Sequence[Member], remove: Sequence[Member], call_key: UUID
    ) -> dict[Member, Refusal]:
        body = {"name": name, "add": _members(add), "remove": _members(remove)}
        changed = _read(_Changed, self._call("POST", f"/v1/lists/{list_key}/changes", body, str(call_key)))
        sent, refused, odd = {*add, *remove}, dict[Member, Refusal](), False
        for r in changed.refused:
            member = Member(KINDS.index(r.kind), bytes.fromhex(r.hash)) if r.kind in KINDS else None
            odd |= member not in sent or member in refused
            if member in sent:
                refused[member] = Refusal(r.reason, r.again)
        # It refuses somebody whom nobody sent, or one twice: of all whom it does not name, nothing is known.
        return {m: Refusal(UNKNOWN, True) for m in sent} | refused if odd else refused

    def report(self, reports: Sequence[Report]) -> list[Refusal | None]:
        items = [
            {
                "name": r.name or r.rule.name,
                "event": r.event,
                "revision": r.revision,
                "click": r.click,
                "time": r.time.isoformat(),
                "value": None if r.value is None else f"{r.value:f}",
                "currency": r.currency,
                "withdrawn": r.withdrawn,
            }
            for r in reports
        ]
        answers = _read(_Answers, self._call("POST", "/v1/conversions", {"items": items})).answers
        # By what each is of, in whatever order. What is answered twice, or not at all, is not known: it is sent again, which
        # counts nothing twice there.
        by_id: defaultdict[tuple[str, str], list[_Answer]] = defaultdict(list)
        for answer in answers:
            by_id[answer.name, answer.event].append(answer)
        found: list[Refusal | None] = []
        for report in reports:
            mine = by_id[report.name or report.rule.name, report.event]
            if len(mine) != 1:
                found.append(Refusal(UNKNOWN, True))
            else:
                found.append(None if mine[0].taken else Refusal(mine[0].reason, mine[0].again))
        return found

    def spend(self, first: date, last: date) -> tuple[str, list[SpendOfDay]]:
        asked = urlencode({"first": first.isoformat(), "last": last.isoformat()})
        found = _read(_Spend, self._call("GET", f"/v1/spend?{asked}"))
        return found.currency, [
            SpendOfDay(**row.model_dump()) for row in found.rows if first <= row.day <= last
        ]

    def status(self) -> ChannelStatus:
        found = _read(_Status, self._call("GET", "/v1/status"))
        lists: dict[UUID, ListStatus] = {}
        for one in found.lists:
            try:
                lists[UUID(one.id)] = ListStatus(one.members, one.known, one.ready, one.as_of)
            except ValueError:
                # Lists that others have made there.
                continue
        return ChannelStatus(
            found.name,
            found.simulation,
            found.source,
            found.click_parameter,
            found.currency,
            lists,
            found.plans,
        )

    def remove_list(self, list_key: UUID) -> None:
        self._call("DELETE", f"/v1/lists/{list_key}")

    def _call(self, method: str, path: str, body: Any = None, key: str = "") -> Any:
        return call(self._base_url, self._secret, method, path, body, key).json


def _members(some: Sequence[Member]) -> list[dict[str, str]]:
    return [{"kind": KINDS[m.kind], "hash": m.hash.hex()} for m in some]


def _read(shape: type[M], said: Any) -> M:
    """What was said, as it has to be; raises Declined."""
    try:
        return TypeAdapter(shape).validate_python(said)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Declined(f"Its answer is not as agreed, at {where}: {first['msg']}"[:300]) from None
