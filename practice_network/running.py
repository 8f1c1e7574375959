"""Plans that run: whom they are for by now, one while after another, and what came of it."""

from __future__ import annotations

import io
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from urllib.parse import urlsplit

import numpy as np

from practice_network import clicks, reach
from practice_network.plans import Plan, read
from practice_network.reach import Reach
from practice_network.simulation import sharing
from practice_network.simulation.auction import (
    BANDS,
    CAP_DAYS,
    NEVER_CAME_DAYS,
    SEGMENTS,
    USUAL_RATE,
    Learned,
    People,
    Shown,
    State,
    Terms,
    band_of,
    conversion_rates,
    quality_of,
    step,
)
from practice_network.simulation.population import identity_of, place_of, population
from practice_network.simulation.sharing import Move, Tally, What

# What was missed while the network was not running is made up for, but no more than that.
MOST_HOURS = 24.0
# Time goes by in whiles of at most so many hours.
WHILE = 1.0
MOST_OFTEN = 10


@dataclass(frozen=True, slots=True)
class Clicked:
    """Somebody was led away by an ad, or came by themselves having seen it (`link` then says nothing of where from).

    The identity by which the network knows them, what is known of them, when that was, and whether they go through with
    what the page is there for.
    """

    link: str
    hash: bytes
    segment: int
    band: int
    at: float
    through: bool


@dataclass(frozen=True, slots=True)
class Cell:
    """What an ad of a plan cost on a day."""

    day: date
    line: str
    creative: str
    shown: int
    clicks: int
    cost: Decimal


@dataclass(frozen=True, slots=True)
class Chances:
    """Of a line's chances on a day: how many there were, and of those how many the pace held back, the cap took out, and
    others bid more for."""

    day: date
    line: str
    chances: int
    held: int
    capped: int
    outbid: int


@dataclass(frozen=True, slots=True)
class Standing:
    """How a plan stands: how many people each line can reach now, how many have been reached and how often, what that
    cost, and how the budget is shared.
    """

    id: str
    plan: Plan
    ended: bool
    people: dict[str, int]
    reach: list[Reach]
    conversions: int
    view_conversions: int
    # How many people, of those who can be reached now or have been, have seen it 0, 1, 2 … times, the last: so often or more.
    often: list[int]
    cells: list[Cell]
    chances: list[Chances]
    line_shares: dict[str, float]
    creative_shares: dict[str, float]
    moves: list[Move]


def go_on(
    db: sqlite3.Connection,
    now: float,
    chance: np.random.Generator,
    most_hours: float = MOST_HOURS,
    only: str = "",
    told: Callable[[sqlite3.Connection, list[Clicked]], None] | None = None,
) -> list[Clicked]:
    """Let time go by for every plan that runs (or for one), up to now; who was led away by an ad, and where to.

    `told`, where given, hears of those of each day before the next begins.
    """
    found: list[Clicked] = []
    for plan_id, content, stepped in db.execute(
        "SELECT id, content, stepped FROM plans WHERE ended IS NULL AND (? = '' OR id = ?)", (only, only)
    ).fetchall():
        plan, at = read(content), max(stepped, now - most_hours * 3600)
        while at < now:
            until = min(now, (at // 86400 + 1) * 86400)
            of_day = _of_day(db, plan_id, plan, at, until, chance)
            if told:
                told(db, of_day)
            found += of_day
            at = until
        db.execute("UPDATE plans SET stepped = ? WHERE id = ?", (now, plan_id))
    return found


def _of_day(
    db: sqlite3.Connection, plan_id: str, plan: Plan, at: float, until: float, chance: np.random.Generator
) -> list[Clicked]:
    """A day of UTC, or a part of one."""
    today = datetime.fromtimestamp(at, UTC).date()
    if today < plan.first or (plan.last and today > plan.last):
        return []
    hashes, people = _people(db, plan, at)
    kept = db.execute("SELECT day FROM progress WHERE plan = ?", (plan_id,)).fetchone()
    if plan.sharing == "shared" and kept and date.fromisoformat(kept[0]) < today:
        _move(db, plan_id, plan, today)
    terms = _terms(db, plan_id, plan)
    state = _state(db, plan_id, hashes, today, len(plan.lines))
    worth = learned(db, plan_id).worth()
    found: list[Clicked] = []
    while at < until:
        then = min(until, at + WHILE * 3600, (at // 3600 + 1) * 3600)
        moment = datetime.fromtimestamp(at, UTC)
        hour = moment.hour + moment.minute / 60 + moment.second / 3600
        happened = step(people, terms, state, worth, hour, (then - at) / 3600, chance)
        found += _written_down(db, plan_id, plan, hashes, people, happened, at, then, chance)
        at = then
    _keep(db, plan_id, hashes, state, today)
    return found


def _terms(db: sqlite3.Connection, plan_id: str, plan: Plan) -> Terms:
    lines, turns = (shares(db, plan_id, plan, what) for what in ("line", "creative"))
    return Terms(
        plan.highest_click,
        plan.daily_budget,
        plan.cap,
        tuple(c.quality for c in plan.creatives),
        tuple(lines[line.id] for line in plan.lines),
        tuple(turns[c.id] for c in plan.creatives),
        tuple(plan.placements),
        (0,) * len(plan.lines) if plan.sharing == "shared" else (),
    )


def shares(db: sqlite3.Connection, plan_id: str, plan: Plan, what: What) -> dict[str, float]:
    """What each line or creative has of the whole."""
    all_of = plan.lines if what == "line" else plan.creatives
    return sharing.shares_of(db, plan_id, what, {one.id: one.share for one in all_of})


def _written_down(
    db: sqlite3.Connection,
    plan_id: str,
    plan: Plan,
    hashes: list[bytes],
    people: People,
    happened: Shown,
    at: float,
    until: float,
    chance: np.random.Generator,
) -> list[Clicked]:
    day = datetime.fromtimestamp(at, UTC).date()
    band, found = band_of(people.days), []

    def who(person: int, creative: int, link: str, through: bool) -> Clicked:
        when = chance.uniform(at, until)
        return Clicked(link, hashes[person], int(people.segment[person]), int(band[person]), when, through)

    page = np.array([quality_of(urlsplit(c.landing).path) for c in plan.creatives])
    through = chance.random(len(happened.person)) < conversion_rates(
        people, happened.person, USUAL_RATE, page[happened.creative]
    )
    for person, creative, price, does in zip(
        happened.person.tolist(), happened.creative.tolist(), happened.price, through.tolist(), strict=True
    ):
        ad = _ad(plan, people.line[person], creative)
        of = clicks.Who(plan_id, int(people.segment[person]), int(band[person]))
        one = who(person, creative, "", does)
        when = datetime.fromtimestamp(one.at, UTC)
        click_id = clicks.click(db, ad, Decimal(str(round(float(price), 6))), when, of, shown=0)
        found.append(Clicked(clicks.link(ad, click_id), one.hash, one.segment, one.band, one.at, one.through))
    by_itself = chance.random(len(happened.later)) < conversion_rates(
        people, happened.later, USUAL_RATE, page[happened.later_creative]
    )
    for person, creative, does in zip(
        happened.later.tolist(), happened.later_creative.tolist(), by_itself.tolist(), strict=True
    ):
        found.append(who(person, creative, plan.creatives[creative].landing, does))
        if does:
            clicks.saw_and_converted(db, _ad(plan, people.line[person], creative), day)
    viewers = zip(happened.viewer.tolist(), happened.viewer_creative.tolist(), strict=True)
    reach.note(
        db,
        plan_id,
        ((plan.lines[people.line[p]].id, plan.creatives[c].id, hashes[p]) for p, c in viewers),
    )
    for line, creative in zip(*np.nonzero(happened.shown), strict=True):
        times = int(happened.shown[line, creative])
        clicks.show(db, _ad(plan, line, creative), day, times, 0, Decimal(0))
    for place, line in enumerate(plan.lines):
        counts = [
            int(of[place]) for of in (happened.chances, happened.held, happened.capped, happened.outbid)
        ]
        if counts[0]:
            db.execute(
                "INSERT INTO chances VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET chances = chances + excluded.chances, "
                "held = held + excluded.held, capped = capped + excluded.capped, outbid = outbid + excluded.outbid",
                (plan_id, day.isoformat(), line.id, *counts),
            )
    return found


def _ad(plan: Plan, line: int, creative: int) -> clicks.Ad:
    made = plan.creatives[creative]
    return clicks.Ad(plan.campaign, plan.lines[line].id, made.id, made.landing)


def _people(db: sqlite3.Connection, plan: Plan, at: float) -> tuple[list[bytes], People]:
    """Whom the network knows of those to be shown it and not left out. Who is on several lines is on the first of them."""
    marks = ",".join("?" * len(plan.left_out)) or "NULL"
    out = {
        bytes(h) for (h,) in db.execute(f"SELECT hash FROM members WHERE list IN ({marks})", plan.left_out)
    }
    found: dict[bytes, tuple[float, int]] = {}
    for number, line in enumerate(plan.lines):
        if line.seek is not None:
            not_these = {place_of(h) for h in out}
            for place in population().matching(line.seek).tolist():
                if place not in not_these:
                    found.setdefault(identity_of(place), (NEVER_CAME_DAYS, number))
            continue
        marks = ",".join("?" * len(line.lists)) or "NULL"
        rows = db.execute(
            f"SELECT hash, max(at) FROM members WHERE list IN ({marks}) AND known GROUP BY hash ORDER BY hash",
            line.lists,
        )
        first, last = line.days
        for h, put in rows:
            if (identity := bytes(h)) not in out:
                # Spread evenly over the days of the line, as they age and others come; the same for each person on a day.
                place = (int.from_bytes(identity[8:12], "big") / 2**32 + at // 86400 * 0.618) % 1
                days = first + (last - first) * place if last > first else max(0.0, (at - put) / 86400)
                found.setdefault(identity, (days, number))
    days, lines = (np.array(values) for values in zip(*found.values(), strict=True)) if found else ([], [])
    return list(found), People.of_hashes(
        list(found), np.asarray(days, dtype=np.float64), np.asarray(lines, dtype=np.int64)
    )


def _state(db: sqlite3.Connection, plan_id: str, hashes: list[bytes], today: date, lines: int) -> State:
    """How far the plan is with these people; whoever has come since has seen nothing."""
    state = State.fresh(len(hashes), lines)
    kept = db.execute("SELECT day, state FROM progress WHERE plan = ?", (plan_id,)).fetchone()
    if kept is None:
        return state
    with np.load(io.BytesIO(kept[1]), allow_pickle=False) as of:
        # Each is unpacked whenever it is asked for.
        before, seen_by_day, tired, spent, pace = (
            of[name] for name in ("hashes", "seen_by_day", "tired", "spent", "pace")
        )
        taken, taken_cost = (
            of[name] if name in of.files else np.zeros(len(pace)) for name in ("taken", "taken_cost")
        )
    known = {h.tobytes(): place for place, h in enumerate(before)}
    pairs = [(place, known[h]) for place, h in enumerate(hashes) if h in known]
    if pairs:
        here, there = (np.array(places) for places in zip(*pairs, strict=True))
        state.seen_by_day[:, here] = seen_by_day[:, there]
        state.tired[here] = tired[there]
    if len(pace) == lines:
        state.spent_today, state.pace = spent, pace
        state.taken, state.taken_cost = taken, taken_cost
    else:
        # What the whole has spent today stays spent.
        state.spent_today[:] = spent.sum() / lines
    for _ in range(min(CAP_DAYS, max(0, (today - date.fromisoformat(kept[0])).days))):
        state.next_day()
    return state


def _keep(db: sqlite3.Connection, plan_id: str, hashes: list[bytes], state: State, today: date) -> None:
    out = io.BytesIO()
    width = np.frombuffer(b"".join(hashes), dtype=np.uint8).reshape(-1, 32)
    np.savez_compressed(
        out,
        hashes=width,
        seen_by_day=np.minimum(state.seen_by_day, 32_000).astype(np.int16),
        tired=state.tired.astype(np.float32),
        spent=state.spent_today,
        pace=state.pace,
        taken=state.taken,
        taken_cost=state.taken_cost,
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
        place = segment % SEGMENTS, min(band, len(BANDS) - 1)
        found.clicks[place] += n
        found.conversions[place] += converted
    return found


def _move(db: sqlite3.Connection, plan_id: str, plan: Plan, today: date) -> None:
    """Where something has been seen to be better, it has more from today on."""
    for what in ("line", "creative"):
        now = shares(db, plan_id, plan, what)
        move = sharing.next_move(today, what, _tallies(db, plan_id, plan, what), now)
        if move:
            sharing.move_budget(db, plan_id, move, now)


def _tallies(db: sqlite3.Connection, plan_id: str, plan: Plan, what: What) -> dict[str, Tally]:
    """What lines cost and brought; how many thousands of times creatives were shown, and what that brought."""
    column = "ad_group" if what == "line" else "ad"
    effort = "sum(cost) / 1e6" if what == "line" else "sum(impressions) / 1e3"
    efforts = dict(
        db.execute(
            f"SELECT {column}, {effort} FROM days WHERE campaign = ? GROUP BY 1", (plan.campaign,)
        ).fetchall()
    )
    counts = dict(
        db.execute(
            f"SELECT k.{column}, count(DISTINCT k.id) FROM clicks k JOIN conversions v ON v.click = k.id "
            "WHERE k.plan = ? AND NOT v.withdrawn GROUP BY 1",
            (plan_id,),
        ).fetchall()
    )
    names = [one.id for one in (plan.lines if what == "line" else plan.creatives)]
    return {name: Tally(efforts.get(name, 0.0), counts.get(name, 0)) for name in names}


def standing(db: sqlite3.Connection, plan_id: str, now: float) -> Standing | None:
    """How a plan stands; None where there is none."""
    row = db.execute("SELECT content, ended FROM plans WHERE id = ?", (plan_id,)).fetchone()
    if row is None:
        return None
    plan = read(row[0])
    hashes, people = _people(db, plan, now)
    cells = [
        Cell(date.fromisoformat(day), line, ad, shown, n, Decimal(cost) / clicks.MILLION)
        for day, line, ad, shown, n, cost in db.execute(
            "SELECT day, ad_group, ad, sum(impressions), sum(clicks), sum(cost) FROM days WHERE campaign = ? "
            "GROUP BY 1, 2, 3 ORDER BY 1, 2, 3",
            (plan.campaign,),
        )
    ]
    chances = [
        Chances(date.fromisoformat(day), *counts)
        for day, *counts in db.execute(
            "SELECT day, line, chances, held, capped, outbid FROM chances WHERE plan = ? ORDER BY 1, 2",
            (plan_id,),
        )
    ]
    seen_only = db.execute(
        "SELECT coalesce(sum(n), 0) FROM seen_conversions WHERE campaign = ?", (plan.campaign,)
    ).fetchone()[0]
    by_line = np.bincount(people.line, minlength=len(plan.lines))
    return Standing(
        plan_id,
        plan,
        row[1] is not None,
        {line.id: int(n) for line, n in zip(plan.lines, by_line, strict=True)},
        reach.of_plan(db, plan_id),
        int(learned(db, plan_id).conversions.sum()),
        seen_only,
        reach.often(db, plan_id, hashes, MOST_OFTEN),
        cells,
        chances,
        shares(db, plan_id, plan, "line"),
        shares(db, plan_id, plan, "creative"),
        sharing.moves_of(db, plan_id),
    )
