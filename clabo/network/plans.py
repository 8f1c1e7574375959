"""Plans that run: whom they are for by now, one while after another, and what came of it."""

from __future__ import annotations

import io
import json
import sqlite3
import uuid
from dataclasses import asdict, dataclass
from datetime import UTC, date, datetime
from decimal import Decimal

import numpy as np

from clabo.network import clicks
from clabo.network.auction import CAP_DAYS, SEGMENTS, Learned, People, State, Terms, band_of, step

# What was missed while the network was not running is made up for, but no more than that.
MOST_HOURS = 24.0
# Time goes by in whiles of at most so many hours.
WHILE = 1.0


@dataclass(frozen=True, slots=True)
class Creative:
    """What is shown, and where it leads. How good it is follows from its words, and nobody is told."""

    id: str
    headline: str
    text: str
    button: str
    landing: str

    @property
    def quality(self) -> float:
        """Between 0.7 and 1.4: the same words are as good every time."""
        seed = uuid.uuid5(uuid.NAMESPACE_URL, f"{self.headline}\n{self.text}\n{self.button}").int
        return 0.7 + 0.7 * (seed % 10_007) / 10_006


@dataclass(frozen=True, slots=True)
class Plan:
    """What somebody wants shown to whom. Amounts are in the network's currency; `cap` 0: as often as may be."""

    campaign: str
    shown_to: list[str]
    left_out: list[str]
    highest_click: float
    daily_budget: float
    cap: int
    first: date
    last: date | None
    creatives: list[Creative]

    @property
    def terms(self) -> Terms:
        """As auctions have it."""
        return Terms(
            self.highest_click, self.daily_budget, self.cap, tuple(c.quality for c in self.creatives)
        )


@dataclass(frozen=True, slots=True)
class Clicked:
    """Somebody was led away by an ad: the link, the identity by which the network knows them, and what is known of them."""

    link: str
    hash: bytes
    segment: int
    band: int


@dataclass(frozen=True, slots=True)
class Standing:
    """How a plan stands: how many people it could reach by now and has reached, how often, and what today cost."""

    id: str
    plan: Plan
    ended: bool
    people: int
    reached: int
    shown: int
    clicks: int
    conversions: int
    cost: Decimal
    spent_today: float
    # How many people have seen it 0, 1, 2 … times, the last: so often or more.
    often: list[int]


def make(db: sqlite3.Connection, plan: Plan, now: float) -> str:
    """Start a plan: its id."""
    plan_id = uuid.uuid4().hex
    db.execute("INSERT INTO plans VALUES (?, ?, NULL, ?)", (plan_id, _written(plan), now))
    return plan_id


def change(db: sqlite3.Connection, plan_id: str, plan: Plan) -> bool:
    """Go on with other terms; False where there is no such plan, or it has ended."""
    found = db.execute(
        "UPDATE plans SET content = ? WHERE id = ? AND ended IS NULL", (_written(plan), plan_id)
    )
    return bool(found.rowcount)


def end(db: sqlite3.Connection, plan_id: str, now: float) -> bool:
    """Show it no more; False where there is no such plan."""
    return bool(
        db.execute("UPDATE plans SET ended = coalesce(ended, ?) WHERE id = ?", (now, plan_id)).rowcount
    )


def _written(plan: Plan) -> str:
    content = asdict(plan) | {"first": plan.first.isoformat(), "last": plan.last and plan.last.isoformat()}
    return json.dumps(content)


def _read(content: str) -> Plan:
    said = json.loads(content)
    said["creatives"] = [Creative(**c) for c in said["creatives"]]
    said["first"] = date.fromisoformat(said["first"])
    said["last"] = said["last"] and date.fromisoformat(said["last"])
    return Plan(**said)


def go_on(db: sqlite3.Connection, now: float, chance: np.random.Generator) -> list[Clicked]:
    """Let time go by for every plan that runs, up to now; who was led away by an ad, and where to."""
    found: list[Clicked] = []
    for plan_id, content, stepped in db.execute(
        "SELECT id, content, stepped FROM plans WHERE ended IS NULL"
    ).fetchall():
        plan = _read(content)
        at = max(stepped, now - MOST_HOURS * 3600)
        while at < now:
            until = min(now, at + WHILE * 3600, _next_hour(at))
            found += _while(db, plan_id, plan, at, until, chance)
            at = until
        db.execute("UPDATE plans SET stepped = ? WHERE id = ?", (now, plan_id))
    return found


def _next_hour(at: float) -> float:
    return (at // 3600 + 1) * 3600


def _while(
    db: sqlite3.Connection, plan_id: str, plan: Plan, at: float, until: float, chance: np.random.Generator
) -> list[Clicked]:
    moment = datetime.fromtimestamp(at, UTC)
    if moment.date() < plan.first or (plan.last and moment.date() > plan.last):
        return []
    hashes, days = _people(db, plan, at)
    people = People.of_hashes(hashes, days)
    state = _state(db, plan_id, hashes, moment.date())
    hour = moment.hour + moment.minute / 60 + moment.second / 3600
    worth = learned(db, plan_id).worth()
    happened = step(people, plan.terms, state, worth, hour, (until - at) / 3600, chance)
    shown = happened.shown.copy()
    band = band_of(people.days)
    found = []
    for person, creative, price in zip(happened.person, happened.creative, happened.price, strict=True):
        made = plan.creatives[int(creative)]
        ad = clicks.Ad(plan.campaign, plan_id[:8], made.id, made.landing)
        who = clicks.Who(plan_id, int(people.segment[person]), int(band[person]))
        cost = Decimal(str(round(float(price), 6)))
        when = datetime.fromtimestamp(chance.uniform(at, until), UTC)
        click_id = clicks.click(db, ad, cost, when, who, shown=0)
        found.append(Clicked(clicks.link(ad, click_id), hashes[int(person)], who.segment, who.band))
    for creative, times in zip(plan.creatives, shown, strict=True):
        if times:
            ad = clicks.Ad(plan.campaign, plan_id[:8], creative.id, creative.landing)
            clicks.show(db, ad, moment.date(), int(times), 0, Decimal(0))
    _keep(db, plan_id, hashes, state, moment.date())
    return found


def _people(db: sqlite3.Connection, plan: Plan, at: float) -> tuple[list[bytes], np.ndarray]:
    """Whom the network knows of those to be shown it and not left out, and the days since they were put on a list."""
    marks = ",".join("?" * len(plan.shown_to)) or "NULL"
    out = ",".join("?" * len(plan.left_out)) or "NULL"
    rows = db.execute(
        f"SELECT hash, max(at) FROM members WHERE list IN ({marks}) AND known AND hash NOT IN "
        f"(SELECT hash FROM members WHERE list IN ({out})) GROUP BY hash ORDER BY hash",
        (*plan.shown_to, *plan.left_out),
    ).fetchall()
    return [bytes(h) for h, _ in rows], np.maximum(0.0, np.array([(at - put) / 86400 for _, put in rows]))


def _state(db: sqlite3.Connection, plan_id: str, hashes: list[bytes], today: date) -> State:
    """How far the plan is with these people; whoever has come since has seen nothing."""
    state = State.fresh(len(hashes))
    kept = db.execute("SELECT day, state FROM progress WHERE plan = ?", (plan_id,)).fetchone()
    if kept is None:
        return state
    with np.load(io.BytesIO(kept[1]), allow_pickle=False) as read:
        # Each is unpacked whenever it is asked for.
        before, seen_by_day, seen, now = (read[name] for name in ("hashes", "seen_by_day", "seen", "now"))
    known = {bytes(h): place for place, h in enumerate(before)}
    pairs = [(place, known[h]) for place, h in enumerate(hashes) if h in known]
    if pairs:
        here, there = (np.array(places) for places in zip(*pairs, strict=True))
        state.seen_by_day[:, here] = seen_by_day[:, there]
        state.seen[here] = seen[there]
    state.spent_today, state.pace = (float(v) for v in now)
    for _ in range(min(CAP_DAYS, max(0, (today - date.fromisoformat(kept[0])).days))):
        state.next_day()
    return state


def _keep(db: sqlite3.Connection, plan_id: str, hashes: list[bytes], state: State, today: date) -> None:
    out = io.BytesIO()
    width = np.frombuffer(b"".join(hashes), dtype=np.uint8).reshape(-1, 32)
    np.savez_compressed(
        out,
        hashes=width,
        seen_by_day=state.seen_by_day,
        seen=state.seen,
        now=np.array([state.spent_today, state.pace]),
    )
    db.execute(
        "INSERT OR REPLACE INTO progress VALUES (?, ?, ?)", (plan_id, today.isoformat(), out.getvalue())
    )


def learned(db: sqlite3.Connection, plan_id: str) -> Learned:
    """What a plan's clicks and the conversions told of them say, by segment and band."""
    found = Learned()
    for segment, band, n, converted in db.execute(
        """
        SELECT k.segment, k.band, count(DISTINCT k.id), count(DISTINCT CASE WHEN NOT v.withdrawn THEN k.id END)
        FROM clicks k LEFT JOIN conversions v ON v.click = k.id WHERE k.plan = ? GROUP BY 1, 2
        """,
        (plan_id,),
    ):
        found.clicks[segment % SEGMENTS, band] = n
        found.conversions[segment % SEGMENTS, band] = converted
    return found


def standing(db: sqlite3.Connection, plan_id: str, now: float) -> Standing | None:
    """How a plan stands; None where there is none."""
    row = db.execute("SELECT content, ended FROM plans WHERE id = ?", (plan_id,)).fetchone()
    if row is None:
        return None
    plan = _read(row[0])
    hashes, _ = _people(db, plan, now)
    state = _state(db, plan_id, hashes, datetime.fromtimestamp(now, UTC).date())
    shown, n, cost = db.execute(
        "SELECT coalesce(sum(impressions), 0), coalesce(sum(clicks), 0), coalesce(sum(cost), 0) FROM days "
        "WHERE campaign = ? AND ad_group = ?",
        (plan.campaign, plan_id[:8]),
    ).fetchone()
    return Standing(
        plan_id,
        plan,
        row[1] is not None,
        len(hashes),
        int((state.seen > 0).sum()),
        shown,
        n,
        int(learned(db, plan_id).conversions.sum()),
        Decimal(cost) / clicks.MILLION,
        state.spent_today,
        [int(n) for n in np.bincount(np.minimum(state.seen, 10), minlength=11)],
    )
