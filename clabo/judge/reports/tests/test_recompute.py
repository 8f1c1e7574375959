"""The whole report, cell by cell, against an independent reading of the hits as they were sent."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from django.test import TestCase

from clabo.collect.ingest.beacon import Envelope
from clabo.collect.presence.trails import closed_and_unpacked, pack
from clabo.core.money.attribution import MODELS
from clabo.judge.reports.tests.recomputing import Recomputed, Sent
from clabo.setup.conversions import services
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.conversions.recount import recount_all
from clabo.testing.asking import Member
from clabo.testing.traffic import BROWSER, HOST, beacon, make_rule, make_site, receive

ZONE = "America/New_York"
CRAWLER = "Mozilla/5.0 (compatible; examplebot/2.1)"
ADS = [None, None, ("meadow", "cpc"), ("post", "cpc"), ("letter", "email")]
PATHS = ["/", "/a", "/b", "/order"]
NOW = datetime.now(UTC).replace(microsecond=0)


def history(chance: random.Random) -> list[Sent]:
    """Some days of a few visitors; some hits of bots and own visits, some that come late, sales that a server reports."""
    sent: list[Sent] = []
    steps: list[Sent] = []
    for number in range(chance.randint(20, 60)):
        # Round times meet the edges: gaps of exactly 30 minutes, midnights, the ends of the window.
        minutes = 15 * chance.randint(0, 4 * 24 * 9)
        time = NOW - timedelta(days=9) + timedelta(minutes=minutes, seconds=chance.choice([0, 0, 1, 500]))
        if time > NOW:
            continue
        kind = chance.choice(["view"] * 6 + ["mark", "mark", "step", "sale"])
        late = timedelta(seconds=chance.choice([0, 0, 0, 40, 4000, 80_000]))
        late = min(late, NOW - time)
        valued = kind in ("mark", "sale")
        hit = Sent(
            id=f"{chance.getrandbits(128):032x}",
            time=time,
            received=time if kind == "sale" else time + late,
            visitor=f"{chance.randint(1, 4):032x}",
            kind=kind,
            path=chance.choice(PATHS),
            ad=chance.choice(ADS) if kind == "view" else None,
            referrer=chance.choice(["", "", "news.example"]) if kind == "view" else "",
            device="desktop" if kind == "sale" else chance.choice(["desktop", "phone"]),
            standing="counted" if kind == "sale" else chance.choice(["counted"] * 8 + ["own", "bot"]),
            order=chance.choice(["", f"O-{number % 5}"]) if valued else "",
            value=Decimal(chance.randint(1, 99)) if valued else None,
            currency=chance.choice(["", "EUR", "USD"]) if valued else "",
            step=chance.choice(steps).id if kind == "sale" and steps and chance.random() < 0.6 else "",
        )
        if kind == "sale" and hit.step:
            # What a bridge link's reference says of the visitor is what the step was made with.
            own = next(s for s in steps if s.id == hit.step)
            hit = Sent(**{**hit.__dict__, "visitor": own.visitor})
        if kind == "step":
            steps.append(hit)
        if not any(s.person == hit.person and s.time == hit.time for s in sent):
            sent.append(hit)
    return sent


def envelope(site: Any, hit: Sent) -> Envelope:
    """As the collector would put it into the inbox."""
    url = f"https://{HOST}{hit.path}"
    if hit.ad:
        url += f"{'&' if '?' in url else '?'}utm_source={hit.ad[0]}&utm_medium={hit.ad[1]}"
    what: dict[str, Any] = {"id": hit.id, "kind": hit.kind, "url": url, "name": "order"}
    what["age"] = int((hit.received - hit.time).total_seconds() * 1000)
    if hit.referrer:
        what["referrer"] = f"https://{hit.referrer}/x"
    properties: dict[str, Any] = {}
    if hit.value is not None:
        properties["value"] = float(hit.value)
    for name in ("order", "currency", "step"):
        if said := getattr(hit, name):
            properties[name] = said
    what["properties"] = properties
    body = beacon(int(hit.visitor, 16), what, device=hit.device, own=hit.standing == "own")
    agent = CRAWLER if hit.standing == "bot" else BROWSER
    return Envelope(site.pk, int(hit.received.timestamp() * 1000), agent, body)


class WholeReport(TestCase):
    def test_cell_by_cell_on_random_traffic(self) -> None:
        for seed in range(6):
            with self.subTest(seed=seed):
                self.compare(random.Random(seed))

    def compare(self, chance: random.Random) -> None:
        site = make_site(time_zone=ZONE, attribution_window_days=chance.choice([1, 7, 30]))
        modes = [chance.choice(["every", "visit", "visitor"]) for _ in range(2)]
        most = chance.choice(
            [(None, None), (Decimal(90), None), (Decimal(120), Decimal(150)), (None, Decimal(99))]
        )
        limits: dict[str, Any] = {"visitor_day_limit": most[0], "site_day_limit": most[1]}
        mark = make_rule(
            site,
            "/",
            name="order",
            counting=modes[0],
            value_property="value",
            rule={"event": {"name": "something_else"}},
        )
        sale = make_rule(
            site, "/", name="sale", counting=modes[1], value_property="value", rule={"sale": {}}, **limits
        )
        ConversionRule.objects.update(counted_version=1)
        hits = history(chance)
        envelopes = [envelope(site, hit) for hit in hits]
        chance.shuffle(envelopes)
        cut = len(envelopes) // 2
        receive(envelopes[:cut])
        # The rule is changed while hits go on coming, and counted back.
        services.change_rule(
            mark,
            services.RuleContent(
                "order", "purchase", {"event": {"name": "order"}}, modes[0], None, "value", **limits
            ),
            None,
        )
        receive(envelopes[cut:])
        recount_all()
        # Days that are packed are read otherwise than those that are not: half of the histories each.
        if chance.random() < 0.5:
            for _, day in closed_and_unpacked():
                pack(site.pk, day)
        plain = Recomputed(hits, ZoneInfo(ZONE), site.attribution_window_days, "EUR")
        plain.limits = most
        plain.rules = [("mark", modes[0]), ("sale", modes[1])]
        member = Member(site)
        today = NOW.astimezone(ZoneInfo(ZONE)).date()
        for days in (4, 14):
            for origin in ("any", "channel:paid", "source:post", "channel:direct"):
                for device in ("any", "phone"):
                    for kind, rule, mode in (("mark", mark, modes[0]), ("sale", sale, modes[1])):
                        for model in MODELS if days == 14 else ("last_paid",):
                            first = today - timedelta(days=days - 1)
                            # Dates, and no number of days: the site's midnight may come while this runs.
                            words = f"period={first}..{today}&origin={origin}&device={device}&model={model}"
                            # Who came does not depend on what is counted, and is asked for once.
                            people = kind == "mark" and model == "last_paid"
                            asked = member.ask(
                                "GET",
                                f"/pages?{words}&conversion={rule.pk}" + ("&visitors=true" if people else ""),
                            )
                            expected = plain.report(first, today, origin, device, kind, mode, model)
                            self.assertEqual(
                                {self.key(r): self.cells(r) for r in asked["rows"]},
                                {path: self.plain(row, people) for path, row in expected.items()},
                                (words, kind),
                            )
        self.sources(chance, plain, member, today, mark, modes[0])
        self.sums(site)

    def sources(
        self, chance: random.Random, plain: Recomputed, member: Member, today: date, rule: Any, mode: str
    ) -> None:
        """Told apart by each thing, whole and within another."""
        first = today - timedelta(days=13)
        earliest = {
            v.person: min(w.start for w in plain.visits if w.person == v.person) for v in plain.visits
        }
        by: dict[str, Any] = {
            "channel": lambda v: v.origin[0],
            "source": lambda v: v.origin[1] or "direct",
            "device": lambda v: v.device,
            "page": lambda v: HOST + v.views[0].path,
            "referrer": lambda v: v.hits[0].referrer,
            "returning": lambda v: "new" if v.start == earliest[v.person] else "returning",
        }
        within: dict[str, Any] = {
            "": lambda v: True,
            "at=channel:paid": lambda v: v.origin[0] == "paid",
            "at=device:phone&at=channel:direct": lambda v: v.device == "phone" and v.origin[0] == "direct",
            "at=returning:new": lambda v: by["returning"](v) == "new",
        }
        for dimension, key in by.items():
            for words, inside in within.items():
                # Under each of the models, some of them each time.
                for model in chance.sample(sorted(MODELS), 1):
                    asked = member.ask(
                        "GET",
                        f"/sources?period={first}..{today}&by={dimension}&model={model}&conversion={rule.pk}&{words}",
                    )
                    expected = plain.told_apart(first, today, inside, "mark", mode, model, key)
                    if words:
                        expected.pop(None, None)
                    self.assertEqual(
                        {r["name"] if r["kind"] == "value" else None: self.sourced(r) for r in asked["rows"]},
                        {
                            k: (
                                *(r.entries, r.begun_views, r.bounces, len(r.led)),
                                *(
                                    r.conversions.quantize(Decimal("1e-6")),
                                    r.revenue.quantize(Decimal("1e-4")),
                                ),
                            )
                            for k, r in expected.items()
                        },
                        (dimension, words, model),
                    )
                    self.assertEqual(asked["total"]["entries"], sum(r["entries"] for r in asked["rows"]))
        for grain, start in (
            ("day", lambda d: d),
            ("week", lambda d: max(d - timedelta(d.weekday()), first)),
        ):
            words = f"period={first}..{today}&grain={grain}&conversion={rule.pk}"
            points = member.ask("GET", f"/pages/series?{words}")["points"]
            expected = plain.told_apart(
                *(first, today, lambda v: True, "mark", mode, "last_paid"),
                lambda v, start=start: start(plain.day(v.start)).isoformat(),
            )
            expected.pop(None, None)
            got = {p["start"]: self.sourced(p)[:4] for p in points}
            nothing = (0, 0, 0, 0)
            self.assertEqual(
                {k: v for k, v in got.items() if v != nothing},
                {k: (r.entries, r.begun_views, r.bounces, len(r.led)) for k, r in expected.items()},
            )
            self.assertEqual(sum(p["days"] for p in points), 14)
        hours = member.ask("GET", f"/sources/hours?period={first}..{today}&conversion={rule.pk}")["hours"]
        expected = plain.told_apart(
            *(first, today, lambda v: True, "mark", mode, "last_paid"),
            lambda v: (
                v.start.astimezone(ZoneInfo(ZONE)).isoweekday(),
                v.start.astimezone(ZoneInfo(ZONE)).hour,
            ),
        )
        expected.pop(None, None)
        self.assertEqual(
            {(h["weekday"], h["hour"]): (h["entries"], h["converted"]) for h in hours},
            {k: (r.entries, len(r.led)) for k, r in expected.items()},
        )

    def sourced(self, row: dict[str, Any]) -> tuple[Any, ...]:
        counts = (row[n] for n in ("entries", "begun_views", "bounces", "converted"))
        money = Decimal(row["conversions"]).quantize(Decimal("1e-6")), Decimal(row["revenue"])
        return (*counts, *money)

    def sums(self, site: Any) -> None:
        """Under every model the credits sum to the conversions that are shown, and none is nowhere."""
        shown = set(Conversion.objects.reported().filter(site=site).values_list("id", flat=True))
        for model in MODELS:
            credits = Credit.objects.filter(site=site, model=model)
            self.assertEqual(set(credits.values_list("conversion_id", flat=True)), shown)
            self.assertEqual(sum(credits.values_list("share", flat=True)), len(shown))

    def key(self, row: dict[str, Any]) -> str | None:
        return None if row["kind"] == "no_visit" else row["path"]

    def cells(self, row: dict[str, Any]) -> tuple[Any, ...]:
        names = ("entries", "views", "begun_views", "bounces", "exits")
        exit_rate = (row["exit_rate"] or {}).get("estimate")
        return (
            *(row[n] for n in names),
            row["visitors"] or 0,
            row["new_visitors"] or 0,
            row["converted"],
            Decimal(row["conversions"]).quantize(Decimal("1e-6")),
            Decimal(row["revenue"]).quantize(Decimal("1e-4")),
            None if exit_rate is None else round(exit_rate, 9),
            None if row["views_per_visitor"] is None else round(row["views_per_visitor"], 9),
            None if row["aov"] is None else round(Decimal(row["aov"]), 3),
            Decimal(row["profit"]).quantize(Decimal("1e-4")),
        )

    def plain(self, row: Any, people: bool) -> tuple[Any, ...]:
        visitors = len(row.visitors) if people else 0
        return (
            *(row.entries, row.views, row.begun_views, row.bounces, row.exits, visitors),
            *(len(row.new_visitors) if people else 0, len(row.led)),
            row.conversions.quantize(Decimal("1e-6")),
            row.revenue.quantize(Decimal("1e-4")),
            round(min(row.exits, row.views) / row.views, 9) if row.views else None,
            round(row.views / visitors, 9) if visitors else None,
            round(row.revenue / row.summed, 3) if row.summed else None,
            # Nothing was spent, and no margin is set.
            row.revenue.quantize(Decimal("1e-4")),
        )
