"""Outcomes told in any order, corrected, withdrawn, undone: what counts, against a plain reading of what was told."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any, Literal
from zoneinfo import ZoneInfo

from django.test import TestCase

from clabo.collect.events.models import Event, Kind
from clabo.core.outcomes.outcome_file import OutcomeLine
from clabo.core.trust.identities import digest
from clabo.judge.attribution_reconciliation.queries import two_counts
from clabo.judge.attribution_reconciliation.services import set_ad_side
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.conversions.reconcile import reconcile
from clabo.setup.monitoring.conversions import quiet_rules
from clabo.setup.monitoring.forgery import suspicions
from clabo.setup.monitoring.forgetting import forget
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, receive
from clabo.use.outcomes import services
from clabo.use.outcomes.importing import undo
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.spend.models import SpendImport, SpendRow

ZONE = ZoneInfo("Europe/Vienna")
NOW = datetime(2026, 12, 1, 12, tzinfo=UTC)
By = Literal["order", "email", "customer"]


@dataclass
class Act:
    """A lead or an order of the history: when, whose, the page its visit began on, and what it was worth."""

    at: datetime
    person: int
    entry: str
    name: str
    order: str
    value: Decimal
    event_id: str
    cancelled: bool = False
    refunded: Decimal = Decimal(0)
    whole: bool = False

    def left(self, value: Decimal) -> Decimal:
        return Decimal(0) if self.whole else max(Decimal(0), value - self.refunded)


@dataclass(frozen=True)
class Told:
    """One line, and which import it came with."""

    line: OutcomeLine
    batch: int


def rules_for(site: Site) -> dict[str, ConversionRule]:
    made = {
        "order": make_rule(
            site, "/", name="order", rule={"event": {"name": "order"}}, value_property="value"
        ),
        "lead": make_rule(site, "/", name="lead", rule={"event": {"name": "lead"}}, value=Decimal(40)),
        "sold": make_rule(
            site, "/", name="sold", rule={"outcome": {"stage": "sold"}}, value_property="value"
        ),
        "qualified": make_rule(site, "/", name="qualified", rule={"outcome": {"stage": "qualified"}}),
    }
    ConversionRule.objects.update(counted_version=1)
    return made


def history(site: Site, chance: random.Random) -> tuple[list[Any], list[Act]]:
    """Visits of ten people a day or more apart, in some of which they leave a lead or order."""
    hits, acts = [], []
    for person in range(10):
        at = START + timedelta(hours=chance.randrange(24))
        said = {"email": digest("email", f"p{person}@shop.example"), "id": digest("id", f"c{person}")}
        for visit in range(chance.randint(1, 4)):
            at += timedelta(days=chance.randint(1, 9), minutes=chance.randrange(600))
            entry = f"/l{chance.randrange(3)}"
            hits.append(hit(site, at, beacon(person + 1, event(entry, person=said))))
            if chance.random() < 0.75:
                name = chance.choice(["order", "lead"])
                order = f"{name}-{person}-{visit}"
                value = Decimal(chance.randrange(1000, 20000)) / 100
                done = event(
                    "/done", kind="mark", name=name, properties={"order": order, "value": float(value)}
                )
                when = at + timedelta(minutes=5)
                hits.append(hit(site, when, beacon(person + 1, done)))
                acts.append(Act(when, person, entry, name, order, value, done["id"]))
    return hits, acts


def lines(chance: random.Random, acts: Sequence[Act]) -> list[OutcomeLine]:
    made = []
    for act in acts:
        for _ in range(chance.randrange(4)):
            by: By = chance.choice(["order", "order", "email", "customer"])
            identity = {
                "order": act.order,
                "email": digest("email", f"p{act.person}@shop.example"),
                "customer": digest("id", f"c{act.person}"),
            }[by]
            stage = chance.choice(["qualified", "sold", "sold", "lost", "refunded", "cancelled"])
            late = timedelta(days=chance.randrange(0, 30))
            at = (act.at + late).astimezone(ZONE).replace(tzinfo=None, second=0, microsecond=0)
            at = at.replace(hour=12, minute=0) if chance.random() < 0.5 else at.replace(hour=23, minute=31)
            value = Decimal(chance.randrange(100, 30000)) / 100 if chance.random() < 0.7 else None
            made.append(OutcomeLine(by, identity, stage, at, value, row=chance.choice(["", "", "r1"])))
    made += [OutcomeLine("order", "nobody's", "sold", None, Decimal(5))]
    return made


def told_by(chance: random.Random, made: list[OutcomeLine]) -> list[Told]:
    """The lines in any order, some twice, some corrected, some withdrawn; in up to four imports."""
    told = [Told(line, chance.randrange(4)) for line in made]
    for one in chance.sample(told, len(told) // 3):
        amount = Decimal(chance.randrange(100, 30000)) / 100
        corrected = OutcomeLine(
            one.line.by,
            one.line.identity,
            one.line.stage,
            one.line.at,
            # A refund without a name of its own is another one when its amount is.
            one.line.value if one.line.stage == "refunded" and not one.line.row else amount,
            row=one.line.row,
            withdrawn=chance.random() < 0.3,
        )
        told.append(Told(corrected, chance.randrange(4)))
    chance.shuffle(told)
    return sorted(told, key=lambda t: t.batch)


def standing(told: Sequence[Told], undone: int) -> list[OutcomeLine]:
    """Of what says the same thing the last, without what was undone."""
    found: dict[tuple[object, ...], OutcomeLine] = {}
    for one in told:
        line = one.line
        key: tuple[object, ...] = (line.by, line.identity, line.stage, line.row)
        if not line.row:
            if line.by != "order" or line.stage == "refunded":
                key += (line.at.date() if line.at else None,)
            if line.stage == "refunded":
                key += (line.value,)
        if one.batch != undone:
            found[key] = line
    return [line for line in found.values() if not line.withdrawn]


def act_of(line: OutcomeLine, acts: Sequence[Act]) -> Act | None:
    """What a line is of."""
    if line.by == "order":
        return next((a for a in acts if a.order == line.identity), None)
    kind, name = ("email", "p{}@shop.example") if line.by == "email" else ("id", "c{}")
    own = sorted(
        (a for a in acts if digest(kind, name.format(a.person)) == line.identity), key=lambda a: a.at
    )
    assert line.at
    until = line.at.replace(tzinfo=ZONE) + timedelta(hours=12 if line.at.hour == 12 else 0)
    before = [a for a in own if a.at <= until]
    return before[-1] if before else next((a for a in own if a.at <= until + timedelta(days=1)), None)


class Histories(TestCase):
    def test_what_counts_is_what_was_told_last(self) -> None:
        for seed in range(40, 47):
            with self.subTest(seed=seed):
                self._compare(random.Random(seed))

    def _compare(self, chance: random.Random) -> None:
        site = make_site()
        the_rules = rules_for(site)
        hits, acts = history(site, chance)
        told = told_by(chance, lines(chance, acts))
        # Some orders are told of before they are known.
        early = chance.random() < 0.5
        if early:
            first = [t for t in told if t.batch == 0 and t.line.by == "order"]
            told = [t for t in told if t.batch != 0 or t.line.by == "order"]
            batch0 = self._take(site, [t.line for t in first])
            receive(hits)
            services.settle_waiting(site, NOW)
        else:
            receive(hits)
            batch0 = self._take(site, [t.line for t in told if t.batch == 0])
        batches = [batch0, *(self._take(site, [t.line for t in told if t.batch == n]) for n in (1, 2, 3))]
        undone = chance.choice([1, 3, 9])
        if undone < 4:
            undo(batches[undone])
        # All of it once more changes nothing.
        if chance.random() < 0.5:
            last = max(n for n in range(4) if n != undone)
            once = {services.key_of(t.line, services_effect(t.line)): t.line for t in told if t.batch == last}
            self.assertEqual(services.take(site, list(once.values()), now=NOW).new, 0)
        stands = standing(told, undone)
        found = [(line, act) for line in stands if (act := act_of(line, acts))]
        for line, act in found:
            if line.stage == "cancelled":
                act.cancelled = True
            elif line.stage == "refunded":
                act.whole |= line.value is None
                act.refunded += line.value or 0
        expected: list[Counted] = []
        for act in acts:
            value = act.left(act.value if act.name == "order" else Decimal(40))
            if not act.cancelled:
                expected.append((act.name, act.at, value, act.entry))
        for line, act in found:
            if line.stage in ("sold", "qualified") and not act.cancelled:
                worth = act.left(line.value) if line.stage == "sold" and line.value is not None else None
                at = line.at.replace(tzinfo=ZONE) if line.at else NOW
                expected.append((line.stage, max(act.at, min(at, NOW)), worth, act.entry))
        self.assertEqual(plain(self._counted(site)), plain(expected))
        for outcome in Outcome.objects.filter(site=site, current=True, withdrawn=False):
            self.assertEqual(bool(outcome.why), outcome.subject is None)
        # And a recount of everything finds the same.
        again = reconcile(site.pk, list(the_rules.values()))
        self.assertEqual({(r.added, r.removed) for r in again.values()}, {(0, 0)})
        self.assertEqual(plain(self._counted(site)), plain(expected))

    def _take(self, site: Site, some: Sequence[OutcomeLine]) -> OutcomeImport:
        batch = OutcomeImport.objects.create(site=site, state=OutcomeImport.State.DONE)
        taken = services.take(site, some, batch, now=NOW)
        services.settle(site, taken.keys, NOW)
        return batch

    def _counted(self, site: Site) -> list[Counted]:
        entries = dict(
            Credit.objects.filter(site=site, model="last").values_list("conversion_id", "page__path")
        )
        rows = Conversion.objects.filter(site=site).select_related("rule")
        return [(c.rule.name, c.time, c.value, entries[c.pk]) for c in rows]


Counted = tuple[str, datetime, Decimal | None, str]


def plain(counted: Sequence[Counted]) -> list[tuple[str, float, float, str]]:
    """In order, and to be compared whatever the zone and the number of decimals."""
    return sorted(
        (name, at.timestamp(), -1.0 if value is None else float(value), entry)
        for name, at, value, entry in counted
    )


def services_effect(line: OutcomeLine) -> str:
    return "refund" if line.stage == "refunded" else "reached"


class Single(TestCase):
    """What histories do not reach."""

    def setUp(self) -> None:
        self.site = make_site(currency="EUR")
        self.rules = rules_for(self.site)

    def lead(self, person: int, at: datetime, **said: Any) -> None:
        who = {"email": digest("email", f"p{person}@shop.example")}
        done = event("/done", kind="mark", name="lead", properties={"order": f"L-{person}", **said})
        receive([hit(self.site, at, beacon(person, event("/a", person=who), done))])

    def sold(self, person: int, late: timedelta, **said: Any) -> OutcomeLine:
        return OutcomeLine("order", f"L-{person}", "sold", START + late, **said)

    def test_credit_is_of_the_visits_before_the_lead_however_late_the_outcome(self) -> None:
        self.lead(1, START)
        receive([hit(self.site, START + timedelta(days=40), beacon(1, event("/later")))])
        services.report(self.site, [self.sold(1, timedelta(days=55), value=Decimal(500))])
        sold = Conversion.objects.get(rule=self.rules["sold"])
        self.assertEqual((sold.acted_at, sold.day.isoformat()), (START, "2026-11-29"))
        pages = Credit.objects.filter(conversion=sold).values_list("page__path", "value")
        self.assertEqual(set(pages), {("/a", Decimal(500))})

    def test_a_later_click_has_not_led_to_an_outcome_of_an_earlier_lead(self) -> None:
        who = {"email": digest("email", "p1@shop.example")}
        done = event("/done", kind="mark", name="lead", properties={"order": "L-1"})
        paid = "?utm_source=meadow&utm_medium=cpc"
        receive([hit(self.site, START, beacon(1, event(f"/a{paid}", person=who), done))])
        receive([hit(self.site, START + timedelta(days=5), beacon(1, event(f"/b{paid}")))])
        # Long after any window, and after the days that are looked at.
        services.report(self.site, [self.sold(1, timedelta(days=50), value=Decimal(80))])
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="d", stored_as="s", state="done"
        )
        SpendRow.objects.create(
            **{
                "site": self.site,
                "batch": batch,
                "day": START.date(),
                "source": "meadow",
                "fingerprint": "f",
            },
            **{"impressions": 9, "clicks": 1, "cost": Decimal(1), "conversions": Decimal(1)},
        )
        set_ad_side(self.site, "meadow", 28, True, "UTC")
        lens = read_lens(self.site, "2026-10-01..2026-10-20", conversion=self.rules["sold"].pk)
        (side,) = two_counts(lens).sides
        claimed = {
            str(d.day): (d.claimed.conversions, d.claimed.value) for d in side.days if d.claimed.conversions
        }
        self.assertEqual(claimed, {"2026-10-05": (1, 80)})

    def test_an_amount_in_another_currency_is_taken_from_nothing(self) -> None:
        self.lead(1, START)
        refund = OutcomeLine("order", "L-1", "refunded", None, Decimal(5), "USD")
        services.report(self.site, [refund])
        self.assertEqual(Outcome.objects.get().why, "outcome_other_currency")
        self.assertEqual(Conversion.objects.get(rule=self.rules["lead"]).value, 40)

    def test_a_late_visit_and_a_joined_browser_take_the_outcome_along(self) -> None:
        self.lead(1, START)
        services.report(self.site, [self.sold(1, timedelta(days=3))])
        who = {"email": digest("email", "p1@shop.example")}
        # The same person came by another page on another browser, an hour before.
        receive([hit(self.site, START - timedelta(hours=1), beacon(2, event("/first", person=who)))])
        sold = Conversion.objects.get(rule=self.rules["sold"])
        lead = Conversion.objects.get(rule=self.rules["lead"])
        self.assertEqual((sold.visitor_id, sold.visit_id), (lead.visitor_id, lead.visit_id))
        for model in ("first", "last", "linear"):
            credited = [
                set(Credit.objects.filter(conversion=c, model=model).values_list("page__path", "share"))
                for c in (sold, lead)
            ]
            self.assertEqual(credited[0], credited[1], model)

    def test_somebody_forgotten_takes_outcomes_along(self) -> None:
        self.lead(1, START)
        by_mail = OutcomeLine("email", digest("email", "p1@shop.example"), "qualified", START)
        unmatched = OutcomeLine("email", by_mail.identity, "lost", START - timedelta(days=9))
        services.report(self.site, [self.sold(1, timedelta(days=3)), by_mail, unmatched])
        self.assertEqual(Outcome.objects.filter(subject=None).count(), 1)
        forget(self.site, Conversion.objects.filter(rule=self.rules["lead"]).get().visitor_id)
        self.assertFalse(Outcome.objects.exists())
        self.assertFalse(Event.objects.filter(kind=Kind.OUTCOME).exists())
        self.assertFalse(Conversion.objects.exists())

    def test_large_sums_and_long_silence_of_outcomes_are_no_alarm(self) -> None:
        for person in range(1, 36):
            self.lead(person, START + timedelta(hours=person))
        told = [self.sold(n, timedelta(days=2, hours=n), value=Decimal(50)) for n in range(1, 35)]
        services.report(self.site, [*told, self.sold(35, timedelta(days=20), value=Decimal(90_000))])
        self.assertEqual(Conversion.objects.filter(rule=self.rules["sold"]).count(), 35)
        now = START + timedelta(days=21)
        self.assertEqual(suspicions(self.site, now), [])
        quiet = [q.rule.name for q in quiet_rules(self.site, now + timedelta(days=60))]
        self.assertNotIn("sold", quiet)

    def test_a_shared_identity_is_of_nobody(self) -> None:
        who = {"email": digest("email", "office@shop.example")}
        done = {"kind": "mark", "name": "lead"}
        for person in range(1, 23):
            at = START + timedelta(minutes=person)
            receive([hit(self.site, at, beacon(person, event("/a", person=who), event("/done", **done)))])
        services.report(self.site, [OutcomeLine("email", who["email"], "sold", START + timedelta(days=1))])
        self.assertEqual(Outcome.objects.get().why, "outcome_shared_identity")
        services.report(self.site, [OutcomeLine("customer", digest("id", "x"), "sold")])
        self.assertEqual(Outcome.objects.get(by="customer").why, "outcome_unknown_person")
