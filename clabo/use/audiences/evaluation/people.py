"""Everybody of a site as definitions ask for them, out of the index and, where that does not tell, out of rows."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from pyroaring import BitMap

from clabo.collect.presence import trails
from clabo.collect.presence.day_columns import Columns
from clabo.collect.presence.mirror import snapshot
from clabo.core.audiences import (
    LONGEST,
    Converted,
    Definition,
    InAudience,
    InList,
    Node,
    Part,
    Sequence,
    What,
    members,
    nodes,
    parts,
)
from clabo.core.audiences.evaluate import Moments, people_of
from clabo.core.audiences.windows import sliding_unions
from clabo.setup.conversions.matching.selecting import Inventory
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation import packed
from clabo.use.audiences.evaluation.finding import known_atoms, listed, moments_of

# The definition of another audience by its id, and from when on it counts.
Others = Callable[[int], tuple[Definition, datetime | None] | None]
_NO_DAY = (-1,)
_NOBODY: tuple[NDArray[np.uint32], NDArray[np.int64]] = (np.zeros(0, np.uint32), np.zeros(0, np.int64))


# Members of kept audiences, with the state of the index and of the audiences that they are of.
_kept: dict[tuple[int, int], tuple[object, BitMap]] = {}
MOST_KEPT = 1000
# To whom something happened, by age, with the state of the index that it is of.
_sets: dict[tuple[int, What], tuple[object, dict[int, BitMap]]] = {}
MOST_SETS = 400


@dataclass(frozen=True, slots=True)
class _Rows:
    """What happened to whom, in the order of time; `ages` are days before today."""

    people: NDArray[np.uint32]
    times: NDArray[np.int64]
    ages: NDArray[np.int16]

    def aged(self, start: int, end: int) -> slice:
        """Those of age `start` to `end` - 1."""
        low, high = np.searchsorted(-self.ages, [1 - end, 1 - start])
        return slice(int(low), int(high))


@dataclass
class Population:
    """The people of one site as of now, in one snapshot of the index.

    `others` knows other audiences; `reach` is how many days back from today definitions will be asked about.
    """

    site: Site
    others: Others
    reach: int = 1
    now: datetime = field(default_factory=lambda: datetime.now(UTC))

    def __post_init__(self) -> None:
        self.today = self.now.astimezone(self.site.zone).date()
        self.known = Inventory(self.site.pk)
        self.snapshot = snapshot(self.site.pk)
        self._atoms: dict[What, list[int] | None] = {}
        self._sets: dict[What, dict[int, BitMap]] = {}
        self._rows: dict[tuple[What, datetime | None], tuple[int, _Rows]] = {}
        # How far back rows are read when they are, so that it is done once.
        self._furthest = 0
        self._versions: tuple[int, dict[date, int | None]] | None = None
        self._lists: dict[int, BitMap] = {}
        self._trails: dict[date, tuple[int, Columns]] = {}

    def read(self, definitions: Iterable[Definition]) -> None:
        """Read what these definitions ask of the index, at once."""
        wanted: dict[What, None] = {}
        waiting, seen = list(definitions), set()
        while waiting:
            for part in parts(waiting.pop()):
                if isinstance(part.what, InAudience):
                    other = self.others(part.what.audience)
                    if other and part.what.audience not in seen:
                        seen.add(part.what.audience)
                        waiting.append(other[0])
                elif part.what.timed:
                    wanted[part.what] = None
                    self._furthest = max(self._furthest, part.end + self.reach - 2)
        self._read([what for what in wanted if what not in self._atoms])

    def _read(self, whats: Iterable[What]) -> None:
        for what in whats:
            self._atoms[what] = found = known_atoms(what, self.known, self.snapshot.newest)
            if found is not None:
                self._sets[what] = self._of_index(what, found)

    def _of_index(self, what: What, found: list[int]) -> dict[int, BitMap]:
        key, state = (self.site.pk, what), (self.snapshot.stamp, self.today)
        known = _sets.get(key)
        if known is None or known[0] != state:
            if len(_sets) > MOST_SETS:
                _sets.clear()
            known = _sets[key] = (
                state,
                {
                    (self.today - day).days: together
                    for day, sets in self.snapshot.days.items()
                    if (together := _union([people for a in found if (people := sets.get(a))]))
                },
            )
        return known[1]

    def _day(self, age: int) -> date:
        return self.today - timedelta(days=age)

    def asked(self, definition: Definition, empty_at: datetime | None = None, days_ago: int = 0) -> BitMap:
        """Who was in at the end of the day so many days ago; now for 0."""
        return members(definition, Source(self, empty_at, days_ago))

    def kept(self, audience_id: int, edition: object) -> BitMap:
        """Who is in a kept audience now. `edition` tells what all audiences of the site say from what they said."""
        key = (self.site.pk, audience_id)
        state = (self.snapshot.stamp, self.today, edition)
        known = _kept.get(key)
        other = self.others(audience_id)
        if other and self.rests_on_lists(other[0]):
            return self.asked(*other)
        if known is None or known[0] != state:
            if len(_kept) > MOST_KEPT:
                _kept.clear()
            known = _kept[key] = state, self.asked(*other) if other else BitMap()
        return known[1]

    def rests_on_lists(self, definition: Definition) -> bool:
        """Whether a list has to do with it: what is on one, and of whom it is known, no state of the index tells."""
        for part in parts(definition):
            if isinstance(part.what, InList):
                return True
            if isinstance(part.what, InAudience):
                other = self.others(part.what.audience)
                if other and self.rests_on_lists(other[0]):
                    return True
        return False

    def listed(self, list_id: int) -> BitMap:
        """Who is on a list now, of those whom the site has stated an identity of."""
        if list_id not in self._lists:
            self._lists[list_id] = BitMap(listed(self.site.pk, list_id))
        return self._lists[list_id]

    def days_of(self, what: What) -> dict[int, BitMap]:
        """To whom it happened, by age in days; only days on which it did."""
        if what not in self._atoms:
            self._read([what])
        if what not in self._sets:
            rows = self.rows_of(what, LONGEST + self.reach - 1, None)
            self._sets[what] = {
                int(age): BitMap(rows.people[rows.ages == age]) for age in np.unique(rows.ages)
            }
        return self._sets[what]

    def rows_of(self, what: What, age: int, since: datetime | None) -> _Rows:
        """When it happened to whom, up to this age."""
        known = self._rows.get((what, since))
        if known and known[0] >= age:
            return known[1]
        age = max(age, self._furthest)
        if what not in self._atoms:
            self._atoms[what] = known_atoms(what, self.known, self.snapshot.newest)
        found = self._atoms[what]
        packed = found is not None and since is None and not isinstance(what, Converted)
        rows = self._of_trails(what, found or [], age) if packed else self._of_tables(what, age, 0, since)
        self._rows[what, since] = age, rows
        return rows

    def _of_tables(self, what: What, oldest: int, newest: int, since: datetime | None) -> _Rows:
        people, times = moments_of(self.site, what, self.known, self._day(oldest), self._day(newest), since)
        midnights = [self.site.midnight(self._day(a)).timestamp() for a in range(oldest, newest - 1, -1)]
        ages = oldest - (np.searchsorted(np.array(midnights) * 1e6, times, side="right") - 1)
        order = np.argsort(times, kind="stable")
        return _Rows(people[order], times[order], ages[order].astype(np.int16))

    def _of_trails(self, what: What, found: list[int], age: int) -> _Rows:
        """Out of the packed days, and for those that are not packed out of the tables."""
        if self._versions is None or self._versions[0] < age:
            self._versions = age, trails.versions(self.site.pk, self._day(age), self.today)
        days = self._versions[1]
        known = packed.of(self.site.pk, what, tuple(found))
        stale = [
            day
            for day, version in days.items()
            if version is not None and known.get(day, _NO_DAY)[0] != version
        ]
        unread = [day for day in stale if day not in self._trails]
        if unread:
            self._trails |= trails.read(self.site.pk, unread)
        for day in stale:
            if day in self._trails:
                known[day] = packed.chosen(*self._trails[day], found)
        pieces, missing = [], []
        for day in days:
            # Touched since the versions were asked for, it is read from the tables like one that is not packed.
            if days[day] is None or day not in known:
                missing.append((self.today - day).days)
            else:
                _, people, times = known[day]
                pieces.append(_Rows(people, times, np.full(len(people), (self.today - day).days, np.int16)))
        loose = [self._of_tables(what, high, low, None) for low, high in _runs(sorted(missing))]
        if not pieces and not loose:
            return _Rows(*_NOBODY, np.zeros(0, np.int16))
        people, times, ages = (
            np.concatenate([getattr(p, name) for p in (*pieces, *loose)])
            for name in ("people", "times", "ages")
        )
        # Runs of days come the newest first.
        if loose:
            order = np.argsort(times, kind="stable")
            people, times, ages = people[order], times[order], ages[order]
        return _Rows(people, times, ages)


def _runs(ages: list[int]) -> list[tuple[int, int]]:
    """Neighbouring days together: first and last of each run."""
    runs: list[tuple[int, int]] = []
    for age in ages:
        if runs and runs[-1][1] == age - 1:
            runs[-1] = runs[-1][0], age
        else:
            runs.append((age, age))
    return runs


def _union(sets: list[BitMap]) -> BitMap:
    return BitMap.union(*sets) if len(sets) > 1 else sets[0] if sets else BitMap()


@dataclass
class Source:
    """A population as definitions ask it (core.audiences.Source), so many days ago, counting what came `empty_at` on."""

    population: Population
    empty_at: datetime | None = None
    days_ago: int = 0

    def __post_init__(self) -> None:
        self.orders: dict[Sequence, list[BitMap]] = {}
        self._found: dict[Part, BitMap] = {}
        self._longer: dict[tuple[What, int], tuple[int, BitMap]] = {}

    def people(self, part: Part) -> BitMap:
        """Whoever fulfils the part."""
        if part not in self._found:
            self._found[part] = self._people(part)
        return self._found[part]

    def _people(self, part: Part) -> BitMap:
        if isinstance(part.what, InList):
            return self.population.listed(part.what.list)
        if isinstance(part.what, InAudience):
            other = self.population.others(part.what.audience)
            if other is None:
                return BitMap()
            return self.population.asked(other[0], other[1], self.days_ago)
        if part.times == 1 and self.empty_at is None:
            return self._window(part.what, part.start, part.end)
        return people_of(self.moments(part)[0], part.times)

    def _window(self, what: What, start: int, end: int) -> BitMap:
        """The union of its days; of lengths asked for in growing order, each adds to the one before."""
        days = self.population.days_of(what)
        start, end = start + self.days_ago, end + self.days_ago
        so_far, union = self._longer.get((what, start), (start, BitMap()))
        if end < so_far:
            so_far, union = start, BitMap()
        added = [days[age] for age in range(so_far, end) if age in days]
        if added:
            union = BitMap.union(union, *added)
        self._longer[what, start] = end, union
        return union

    def moments(self, part: Part) -> Moments:
        """When it happened to whom, on the part's days."""
        start, end = part.start + self.days_ago, part.end + self.days_ago
        oldest = part.end + self.population.reach - 2
        rows = self.population.rows_of(part.what, max(oldest, end - 1), self.empty_at)
        some = rows.aged(start, end)
        return rows.people[some], rows.times[some]


def day_by_day(
    population: Population, definition: Definition, empty_at: datetime | None, days: int, ahead: int = 0
) -> Iterator[BitMap]:
    """Who was in at the end of each of the last `days` days, today first.

    With `ahead`, who will be if nothing more happens, so many days ahead, comes before that, the furthest first.
    """
    windows: dict[tuple[What, int, int], Iterator[BitMap]] = {}
    if empty_at is None:
        for _, node in nodes(definition):
            if isinstance(node, Part) and node.times == 1 and node.what.timed:
                key = (node.what, node.start, node.end)
                if key not in windows and not _only_in_sequences(definition, node):
                    windows[key] = _windows(population, *key, days, ahead)
    for ago in range(-ahead, days):
        today = {key: next(each) for key, each in windows.items()}
        yield members(definition, _Day(population, empty_at, ago, today))


def _windows(
    population: Population, what: What, start: int, end: int, days: int, ahead: int
) -> Iterator[BitMap]:
    sets = population.days_of(what)
    oldest = max(sets, default=0)
    # Beyond the oldest day, and before today, there is nothing: a window need not reach there.
    width = max(1, min(end - start, oldest + ahead + 1))
    nobody = BitMap()
    count = days + ahead
    ages = range(start - ahead, start - ahead + count + width - 1)
    return sliding_unions([sets.get(age, nobody) for age in ages], width, count)


def _only_in_sequences(definition: Definition, part: Part) -> bool:
    def outside(node: Node) -> bool:
        if isinstance(node, Part):
            return node == part
        return not isinstance(node, Sequence) and any(map(outside, node.nodes))

    return not outside(definition.include) and not (definition.exclude and outside(definition.exclude))


@dataclass
class _Day(Source):
    """A source whose windows are known."""

    windows: dict[tuple[What, int, int], BitMap] = field(default_factory=dict)

    def _people(self, part: Part) -> BitMap:
        known = self.windows.get((part.what, part.start, part.end)) if part.times == 1 else None
        return super()._people(part) if known is None else known
