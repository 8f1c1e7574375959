"""A budget that moves: towards the line that brings conversions cheaper, and the creative that brings more of them.

Once a day at most, so that within a day all have what they have: whoever reads what came of it can hold the days against each other.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Literal

import scipy

What = Literal["line", "creative"]

# How sure it has to be, and from how many conversions of both on.
CHANCES: dict[What, float] = {"line": 0.9, "creative": 0.95}
LEAST_CONVERSIONS = 10
# Of what the worse has, so much goes to the better; nobody has less than this part of an equal share, so that it can still be seen.
MOVED, LEAST_PART = 0.25, 0.2


@dataclass(frozen=True, slots=True)
class Tally:
    """What was put in (money, or thousands of times shown) and how many conversions came of it."""

    effort: float
    conversions: int


@dataclass(frozen=True, slots=True)
class Move:
    """A part of the whole (`share`) that went from one to another on a day, and what that rests on."""

    day: date
    what: What
    source: str
    target: str
    share: float
    source_tally: Tally
    target_tally: Tally
    chance: float


def chance_better(one: Tally, other: Tally) -> float:
    """How likely `one` brings more for the same effort.

    Conversions are Poisson with Jeffreys' prior, so that the rates are gamma and their comparison a beta distribution:
    P(X/a > Y/b) = 1 - I(a/(a+b); x+½, y+½) for efforts a, b and conversions x, y.
    """
    if one.effort <= 0 or other.effort <= 0:
        return 0.5
    edge = one.effort / (one.effort + other.effort)
    return float(1 - scipy.special.betainc(one.conversions + 0.5, other.conversions + 0.5, edge))


def next_move(
    day: date, what: What, tallies: Mapping[str, Tally], shares: Mapping[str, float]
) -> Move | None:
    """What should be moved now, the surest; None: nothing is sure enough, or nothing is left to be moved."""
    floor = LEAST_PART / len(shares)
    found: Move | None = None
    for source, worse in tallies.items():
        if shares[source] <= floor + 1e-9:
            continue
        for target, better in tallies.items():
            enough = worse.conversions + better.conversions >= LEAST_CONVERSIONS
            chance = chance_better(better, worse)
            if source != target and enough and chance >= max(CHANCES[what], found.chance if found else 0):
                share = min(MOVED * shares[source], shares[source] - floor)
                found = Move(day, what, source, target, share, worse, better, chance)
    return found


def shares_of(
    db: sqlite3.Connection, plan_id: str, what: What, said: Mapping[str, float]
) -> dict[str, float]:
    """What each has by now; what is not kept yet has what was said. They sum to one."""
    kept = dict(
        db.execute("SELECT id, share FROM shares WHERE plan = ? AND what = ?", (plan_id, what)).fetchall()
    )
    found = {name: kept.get(name, share) for name, share in said.items()}
    total = sum(found.values()) or 1.0
    return {name: share / total for name, share in found.items()}


def move_budget(db: sqlite3.Connection, plan_id: str, move: Move, shares: Mapping[str, float]) -> None:
    """Do it, and write down what it rests on."""
    after = {
        **shares,
        move.source: shares[move.source] - move.share,
        move.target: shares[move.target] + move.share,
    }
    db.executemany(
        "INSERT OR REPLACE INTO shares VALUES (?, ?, ?, ?)",
        [(plan_id, move.what, name, share) for name, share in after.items()],
    )
    db.execute(
        "INSERT OR IGNORE INTO moves VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            plan_id,
            move.day.isoformat(),
            move.what,
            move.source,
            move.target,
            move.share,
            move.source_tally.effort,
            move.source_tally.conversions,
            move.target_tally.effort,
            move.target_tally.conversions,
            move.chance,
        ),
    )


def moves_of(db: sqlite3.Connection, plan_id: str) -> list[Move]:
    """What was moved, the last first."""
    rows = db.execute(
        "SELECT day, what, source, target, share, source_effort, source_conversions, target_effort, target_conversions, chance "
        "FROM moves WHERE plan = ? ORDER BY day DESC, what",
        (plan_id,),
    ).fetchall()
    return [
        Move(date.fromisoformat(day), what, source, target, share, Tally(se, sc), Tally(te, tc), chance)
        for day, what, source, target, share, se, sc, te, tc, chance in rows
    ]
