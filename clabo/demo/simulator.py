"""Made-up visitors. What they send goes through the collector's own check, like anybody's."""

from __future__ import annotations

import math
import random
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

import msgspec

from clabo.collect.ingest.beacon import SERVERS_OWN, Beacon, BeaconElement, BeaconEvent, Envelope, check
from clabo.collect.ingest.directory import TagSite
from clabo.core.splits.assignment import assign, with_held_out
from clabo.core.trust.identities import digest
from clabo.demo import scenario
from clabo.demo.scenario import BY_PATH, STREAMS, WANDER, WAYS, Act, DemoTest, Stream

AGENTS = {
    "desktop": "Mozilla/5.0 (X11; Linux x86_64) Demo/1.0",
    "phone": "Mozilla/5.0 (Mobile) Demo/1.0",
    "tablet": "Mozilla/5.0 (Tablet) Demo/1.0",
}
BOT = "Mozilla/5.0 (compatible; examplebot/2.1)"
# Visits by hour of the day, as shares of the day.
_HOURS = [1, 1, 1, 1, 1, 2, 4, 6, 7, 7, 7, 7, 8, 8, 7, 7, 7, 8, 9, 10, 11, 10, 6, 3]
_WEEKDAYS = [1.0, 0.98, 0.97, 0.95, 0.98, 1.08, 1.15]


@dataclass(frozen=True, slots=True)
class Clicks:
    """Paid clicks of one stream on one day, as the ad channel counts them."""

    day: date
    stream: Stream
    landing: str
    clicks: int


@dataclass(slots=True)
class _Person:
    key: str
    device: str


def _stated(path: str, visitor: str) -> dict[Literal["email", "id", "proof"], str]:
    """Who the shop says it is: somebody signed in, or once an address was left. Now and then two browsers leave the same one."""
    if int(visitor[12:16], 16) % 100 < scenario.SIGNED_IN:
        return {"email": digest("email", scenario.address_of(scenario.KEEPERS + int(visitor[:12], 16)))}
    if path not in scenario.STATING:
        return {}
    return {"email": digest("email", scenario.address_of(int(visitor[:12], 16) % scenario.KEEPERS))}


class Simulator:
    """Visits of Brackenhive. The same seed and days give the same visits."""

    def __init__(
        self,
        site: TagSite,
        tests: dict[str, tuple[datetime, datetime | None]],
        seed: int = 20261,
        forms_origin: str = scenario.FORMS_ORIGIN,
        now: datetime | None = None,
    ) -> None:
        self.site = site
        self.forms_origin = forms_origin
        self.tests = tests
        # Pages lose their tags so many days before this; without it they never had them.
        self.now = now
        self.random = random.Random(seed)
        # For what is told beside, so that the visits stay what they are.
        self.beside = random.Random(seed + 1)
        self.zone = ZoneInfo(scenario.TIME_ZONE)
        self.people: list[_Person] = []
        self.clicks: defaultdict[tuple[date, int, str], int] = defaultdict(int)

    def day(self, day: date, expected: float, until: datetime | None = None) -> list[Envelope]:
        """The requests of one day in the order of their arrival, about `expected` visits."""
        wave = 1 + 0.05 * math.sin(day.toordinal() / 9)
        count = round(expected * _WEEKDAYS[day.weekday()] * wave)
        requests: list[Envelope] = []
        for _ in range(count):
            hour = self.random.choices(range(24), _HOURS)[0]
            start = datetime(day.year, day.month, day.day, hour, tzinfo=self.zone) + timedelta(
                seconds=self.random.random() * 3600
            )
            if until is None or start < until:
                requests += self.visit(start.astimezone(UTC), until)
        requests.sort(key=lambda e: e.received_ms)
        return requests

    def visit(self, start: datetime, until: datetime | None = None) -> list[Envelope]:
        """One visit as its requests."""
        chance = self.random
        if chance.random() < 0.004:
            return [self._send(start, f"{chance.getrandbits(128):032x}", "desktop", "/", "", "", {}, BOT)]
        place = chance.choices(range(len(STREAMS)), [s.share for s in STREAMS])[0]
        stream = STREAMS[place]
        person = self._person(stream)
        landing = chance.choices(list(stream.landings), list(stream.landings.values()))[0]
        if stream.click_cost:
            self.clicks[(start.astimezone(self.zone).date(), place, landing)] += 1
        variants: dict[str, str] = {}
        entered: dict[str, str] = {}
        for test in scenario.TESTS:
            if test.changes and not test.audience:
                fits = not test.devices or person.device in test.devices
                if landing == test.control and fits and self._running(test, start):
                    entered[test.key] = "ABC"[assign(person.key, test.key, test.shares) or 0]
            elif landing == test.control and self._running(test, start):
                letter = "AB"[assign(person.key, test.key, [50, 50]) or 0]
                if letter == "B":
                    if chance.random() < test.lost:
                        return []
                    landing = test.challenger
                variants[test.key] = letter
        requests = []
        if self._has_tag(landing, start):
            came = (stream.query, stream.referrer)
            requests.append(self._send(start, person.key, person.device, landing, *came, variants))
            if entered:
                requests.append(self._entered(start, person, landing, entered))
        if any(entered.get(t.key) == "B" and self.beside.random() < t.flight for t in scenario.TESTS):
            return requests
        time, here = start, landing
        waiting = start if landing == "/contact" else None
        for what in self._way(landing, stream, person):
            time += timedelta(seconds=8 + chance.expovariate(1 / 45))
            if until is not None and time >= until:
                break
            if isinstance(what, str):
                if waiting:
                    requests += self._gives_up(waiting, person)
                here = what
                waiting = time if here == "/contact" else None
                if not self._has_tag(here, time):
                    continue
                own = f"https://{scenario.HOST}/"
                requests.append(self._send(time, person.key, person.device, here, "", own, {}))
                requests += self._lets_in(time, person, here, entered)
                if chance.random() < 0.004:
                    requests.append(self._act(time, person, here, scenario.CALL))
            else:
                requests += self._acts(time, person, here, what, until)
                waiting = None
        if waiting:
            requests += self._gives_up(waiting, person)
        for test in scenario.TESTS:
            seen = entered.get(test.key)
            likely = [test.usual] if seen else []
            likely += [test.gain] if seen == "B" else []
            if any(part and self.beside.random() < part for part in likely):
                requests += self._reaches(test.goal, time, person, until)
        return requests

    def _lets_in(self, time: datetime, person: _Person, here: str, entered: dict[str, str]) -> list[Envelope]:
        """The tests of who has come to this page on their way: they are in their audience by that."""
        found = {}
        for test in scenario.TESTS:
            if test.audience and here == test.control and self._running(test, time):
                shares = with_held_out(test.shares, test.held_out)
                place = assign(person.key, test.key, shares) or 0
                found[test.key] = "AB-"[place]
        entered |= found
        return [self._entered(time, person, here, found)] if found else []

    def _reaches(self, goal: str, time: datetime, person: _Person, until: datetime | None) -> list[Envelope]:
        """What a variant brings about besides, told apart from all else, which stays what it is without it."""
        told: list[Envelope] = []
        kept, self.random = self.random, self.beside
        own = f"https://{scenario.HOST}/"
        for what in WAYS[goal]:
            time += timedelta(seconds=8 + self.random.expovariate(1 / 45))
            if until is not None and time >= until:
                break
            if isinstance(what, str):
                told.append(self._send(time, person.key, person.device, what, "", own, {}))
            else:
                told += self._acts(time, person, "/", what, until)
        self.random = kept
        return told

    def _gives_up(self, seen: datetime, person: _Person) -> list[Envelope]:
        """The contact form is begun and left, by some of those who saw it and did not send it."""
        if self.beside.random() > scenario.CONTACT_BEGUN:
            return []
        field = self.beside.choices(*zip(*scenario.CONTACT_LEFT.items(), strict=True))[0]
        element = scenario.CONTACT[1]
        return [
            self._act(seen + timedelta(seconds=3), person, "/contact", ("begun", element, "", {})),
            self._act(
                seen + timedelta(seconds=7), person, "/contact", ("left", element, "", {"field": field})
            ),
        ]

    def _acts(
        self, time: datetime, person: _Person, here: str, what: Act, until: datetime | None
    ) -> list[Envelope]:
        """One act, and what it leads to: a form that fails first, a sale some days later."""
        made = []
        if what in (scenario.CONTACT, scenario.LETTER):
            # Whoever has wandered off comes back to where the form is.
            here = "/contact"
            begun = time - timedelta(seconds=self.beside.uniform(7, 8))
            made.append(self._act(begun, person, here, ("begun", what[1], "", {})))
        if what is scenario.CONTACT and self.random.random() < 0.25:
            made.append(self._act(time - timedelta(seconds=6), person, here, scenario.CONTACT_TRIED))
        if what[0] == "mark":
            what = (*what[:3], {"frames": self.random.choice([5, 10, 10, 12]), "colour": "oak"})
        made.append(self._act(time, person, here, what))
        if what[0] == "step" and self.random.random() < 0.08:
            later = time + timedelta(hours=self.random.uniform(0.2, 60))
            if until is None or later < until:
                value = float(self.random.choice([89, 119, 149]))
                sale = {"value": value, "order": f"MS-{self.random.getrandbits(32):08x}"}
                made.append(self._act(later, person, here, ("sale", {}, what[2], sale)))
        return made

    def _act(self, time: datetime, person: _Person, here: str, what: Act) -> Envelope:
        kind, element, name, properties = what
        query = f"?sub1={self.random.choice(scenario.LINK_PLACES)}" if kind == "step" else ""
        if kind == "message":
            element = {**element, "origin": self.forms_origin}
        event = BeaconEvent(
            id=self._id(kind),
            kind=kind,  # type: ignore[arg-type]
            age=0,
            url=f"https://{scenario.HOST}{here}{query}",
            name=name,
            properties=properties,
            element=msgspec.convert(element, BeaconElement) if element else None,
        )
        body = msgspec.json.encode(Beacon(person.key, person.device, [event]))  # type: ignore[arg-type]
        if kind not in SERVERS_OWN:
            check(body, self.site)
        return Envelope(self.site.id, round(time.timestamp() * 1000), AGENTS[person.device], body)

    def _has_tag(self, path: str, time: datetime) -> bool:
        lost = BY_PATH[path].lost_days_ago
        return lost is None or (self.now is not None and time < self.now - timedelta(days=lost))

    def _running(self, test: DemoTest, time: datetime) -> bool:
        began, ended = self.tests.get(test.key, (None, None))
        return began is not None and began <= time and (ended is None or time < ended)

    def _person(self, stream: Stream) -> _Person:
        if self.people and self.random.random() < 0.22:
            return self.random.choice(self.people)
        dice = self.random.random()
        device = "phone" if dice < stream.phones else "tablet" if dice < stream.phones + 0.06 else "desktop"
        person = _Person(f"{self.random.getrandbits(128):032x}", device)
        self.people.append(person)
        if len(self.people) > 9000:
            del self.people[:1000]
        return person

    def _way(self, landing: str, stream: Stream, person: _Person) -> Iterator[str | Act]:
        """The pages after the landing page, and what is done on them."""
        page = BY_PATH[landing]
        if self.random.random() < page.bounce:
            return
        quality = stream.quality * (0.8 if person.device == "phone" else 1.2)
        dice = self.random.random()
        for goal, likely in page.goals.items():
            dice -= likely * quality
            if dice < 0:
                while self.random.random() < 0.25:
                    yield self.random.choice(WANDER)
                # Who is on the first page of the way already does not come to it again.
                yield from (what for what in WAYS[goal] if what not in (landing, landing.removesuffix("-b")))
                return
        yield self.random.choice(WANDER)
        while self.random.random() < 0.45:
            yield "/order" if self.random.random() < 0.12 else self.random.choice(WANDER)

    def _send(
        self,
        time: datetime,
        visitor: str,
        device: str,
        path: str,
        query: str,
        referrer: str,
        variants: dict[str, str],
        agent: str = "",
    ) -> Envelope:
        page = BY_PATH[path]
        url = f"https://{scenario.HOST}{path}" + (f"?{query}" if query else "")
        event = BeaconEvent(
            id=f"{self.random.getrandbits(128):032x}",
            kind="view",
            age=0,
            url=url,
            title=page.title,
            referrer=referrer,
            variants=variants,
            twice=page.tags > 1,
            person=_stated(path, visitor),
        )
        events = [event]
        if not agent and self.beside.randrange(scenario.MEASURED) == 0:
            events.append(self._loaded(url, page.largest * (1.4 if device == "phone" else 1)))
        body = msgspec.json.encode(Beacon(visitor, device, events))  # type: ignore[arg-type]
        check(body, self.site)
        return Envelope(self.site.id, round(time.timestamp() * 1000), agent or AGENTS[device], body)

    def _entered(self, time: datetime, person: _Person, path: str, variants: dict[str, str]) -> Envelope:
        """What the tag says once a page is as the visitor's variant has it."""
        url = f"https://{scenario.HOST}{path}"
        event = BeaconEvent(id=self._id("note"), kind="note", age=0, url=url, variants=variants)
        body = msgspec.json.encode(Beacon(person.key, person.device, [event]))  # type: ignore[arg-type]
        check(body, self.site)
        at = time + timedelta(milliseconds=400)
        return Envelope(self.site.id, round(at.timestamp() * 1000), AGENTS[person.device], body)

    def _loaded(self, url: str, median: float) -> BeaconEvent:
        """How long a view took: half of them within `median` milliseconds."""
        largest = median * math.exp(self.beside.gauss(0, 0.4))
        waited: dict[str, str | float | bool | None] = {
            "largest": round(largest),
            "load": round(largest * self.beside.uniform(0.9, 1.5)),
        }
        return BeaconEvent(id=self._id("loaded"), kind="loaded", age=0, url=url, properties=waited)

    def _id(self, kind: str) -> str:
        chance = self.beside if kind in ("begun", "left", "loaded", "note") else self.random
        return f"{chance.getrandbits(128):032x}"

    def paid_clicks(self) -> list[Clicks]:
        """What the ad channels would have counted: some clicks never arrive on a page."""
        found = []
        for (day, place, landing), visits in sorted(self.clicks.items()):
            lost = sum(self.random.random() < 0.07 for _ in range(visits))
            found.append(Clicks(day, STREAMS[place], landing, visits + lost))
        return found
