"""Plans as they are kept, and what somebody wants shown to whom."""

from __future__ import annotations

import json
import sqlite3
import uuid
from dataclasses import asdict, dataclass, field
from datetime import date
from typing import Any, Literal

from practice_network.simulation.auction import PLACEMENTS
from practice_network.simulation.population import Seek

Sharing = Literal["fixed", "shared"]


@dataclass(frozen=True, slots=True)
class Creative:
    """What is shown, and where it leads. How good it is follows from its words and picture, and nobody is told.

    `share`: how often it is its turn.
    """

    id: str
    headline: str
    text: str
    button: str
    landing: str
    picture: str = ""
    share: float = 1.0

    @property
    def quality(self) -> float:
        """Between 0.7 and 1.4: the same words are as good every time."""
        words = f"{self.headline}\n{self.text}\n{self.button}\n{self.picture}"
        seed = uuid.uuid5(uuid.NAMESPACE_URL, words).int
        return 0.7 + 0.7 * (seed % 10_007) / 10_006


@dataclass(frozen=True, slots=True)
class Line:
    """To whom: those on some lists, or new people; `days`, from and to which they came, as far as that is known.

    `share`: of the day's budget.
    """

    id: str
    lists: list[str] = field(default_factory=list)
    seek: Seek | None = None
    days: tuple[float, float] = (0.0, 0.0)
    share: float = 1.0


@dataclass(frozen=True, slots=True)
class Plan:
    """What somebody wants shown to whom. Amounts are in the network's currency; `cap` 0: as often as may be."""

    campaign: str
    lines: list[Line]
    left_out: list[str]
    highest_click: float
    daily_budget: float
    cap: int
    first: date
    last: date | None
    creatives: list[Creative]
    placements: list[str] = field(default_factory=lambda: list(PLACEMENTS))
    sharing: Sharing = "fixed"


def put(db: sqlite3.Connection, plan_id: str, plan: Plan, now: float) -> bool:
    """Start a plan, or have it go on with other terms; False where it has ended."""
    found = db.execute("SELECT ended FROM plans WHERE id = ?", (plan_id,)).fetchone()
    if found is None:
        db.execute("INSERT INTO plans VALUES (?, ?, NULL, ?)", (plan_id, written(plan), now))
    elif found[0] is None:
        db.execute("UPDATE plans SET content = ? WHERE id = ?", (written(plan), plan_id))
        if plan.sharing == "fixed":
            db.execute("DELETE FROM shares WHERE plan = ?", (plan_id,))
    return found is None or found[0] is None


def end(db: sqlite3.Connection, plan_id: str, now: float) -> bool:
    """Show it no more; False where there is no such plan."""
    return bool(
        db.execute("UPDATE plans SET ended = coalesce(ended, ?) WHERE id = ?", (now, plan_id)).rowcount
    )


def named(db: sqlite3.Connection, campaign: str, plan_id: str) -> bool:
    """Whether another plan has this campaign: what the two cost could not be told apart."""
    rows = db.execute("SELECT content FROM plans WHERE id <> ?", (plan_id,))
    return any(json.loads(content)["campaign"] == campaign for (content,) in rows)


def written(plan: Plan) -> str:
    """As it is kept."""
    content = asdict(plan) | {"first": plan.first.isoformat(), "last": plan.last and plan.last.isoformat()}
    return json.dumps(content)


def read(content: str) -> Plan:
    """As it was kept."""
    said: dict[str, Any] = json.loads(content)
    said["creatives"] = [Creative(**c) for c in said["creatives"]]
    said["lines"] = [
        Line(**{**line, "days": tuple(line["days"]), "seek": line["seek"] and _seek(line["seek"])})
        for line in said["lines"]
    ]
    said["first"] = date.fromisoformat(said["first"])
    said["last"] = said["last"] and date.fromisoformat(said["last"])
    return Plan(**said)


def _seek(said: dict[str, Any]) -> Seek:
    return Seek(**{**said, "interests": tuple(said["interests"]), "devices": tuple(said["devices"])})
