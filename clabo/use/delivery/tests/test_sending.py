"""Audiences at a channel: what is there is what the audience is, whatever goes wrong on the way."""

from __future__ import annotations

import random
from collections.abc import Callable
from datetime import timedelta
from functools import partial
from itertools import product
from unittest.mock import patch

from clabo.collect.events.models import Event, Identity, Visitor
from clabo.core.trust.identities import KINDS, digest
from clabo.core.trust.proof import sign_person
from clabo.platform.accounts.models import Role
from clabo.setup.monitoring.forgetting import forget
from clabo.setup.sites.models import Consent
from clabo.setup.sites.services import make_proof_key
from clabo.testing.asking import Member
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import beacon, event, hit, receive
from clabo.use.audiences import services as audiences
from clabo.use.delivery import tasks
from clabo.use.delivery.adapters import calling
from clabo.use.delivery.adapters.adapter import Member as Identified
from clabo.use.delivery.adapters.adapter import Refusal
from clabo.use.delivery.adapters.over_http import OverHttp
from clabo.use.delivery.models import AdChannel, AudienceUse, Delivered, MemberBatch
from clabo.use.delivery.syncing import members, sending, status
from clabo.use.delivery.tests.case import KIT, ORDERED, DeliveryCase, hashed

put = OverHttp.put_members


def broken(self: OverHttp, *said: object) -> object:
    """The call is done, and the process ends before that is written down."""
    put(self, *said)  # type: ignore[arg-type]
    raise KeyboardInterrupt


def unsent(self: OverHttp, *said: object) -> object:
    """The process ends before the call is made."""
    raise KeyboardInterrupt


def noting(sent: list[tuple[str, str]]) -> Callable[..., object]:
    """Calls as ever; whom they put is noted."""

    def noted(self: OverHttp, key: object, name: str, add: list[Identified], *said: object) -> object:
        sent.extend((KINDS[m.kind], m.hash.hex()) for m in add)
        return put(self, key, name, add, *said)  # type: ignore[arg-type]

    return noted


def page_seen(path: str) -> dict[str, object]:
    return {**KIT, "what": {"page": {"match": "equals", "value": path}}}


def deliver(use: AudienceUse) -> None:
    sending.deliver(use, patience=1e9, sleep=lambda _: AdChannel.objects.update(rests_until=None) and None)


class Sending(DeliveryCase):
    def test_all_at_first_then_only_what_came_and_went(self) -> None:
        self.seen(1, "ada")
        self.seen(2, "bob", "bobby")
        self.seen(3)
        use = self.use(self.audience(include=KIT, exclude=ORDERED))
        run_jobs()
        self.assertEqual(self.there(use), hashed("ada", "bob", "bobby"))
        [told] = self.member.ask("GET", "/channels")[0]["uses"]
        self.assertEqual((told["people"], told["wanted"], told["there"], told["ready"]), (3, 3, 3, True))
        known = sum(bytes.fromhex(h)[-1] < 161 for _, h in hashed("ada", "bob", "bobby"))
        self.assertEqual(told["known"], known)
        self.seen(1, path="/thank-you", minutes=5)
        self.seen(4, "eve")
        sent: list[tuple[int, int]] = []

        def counted(
            self: OverHttp, key: object, name: str, add: list[object], remove: list[object], call: object
        ) -> object:
            sent.append((len(add), len(remove)))
            return put(self, key, name, add, remove, call)  # type: ignore[arg-type]

        with patch.object(OverHttp, "put_members", counted):
            deliver(use)
        self.assertEqual((self.there(use), sent), (hashed("bob", "bobby", "eve"), [(1, 1)]))

    def test_nothing_lost_and_nothing_doubled_whatever_goes_wrong(self) -> None:
        """A random history of people, refusals, outages and crashes; the list is compared with a plain set."""
        chance = random.Random(4)
        everybody = [f"person{n}" for n in range(40)]
        use = self.use(self.audience(include=KIT, exclude=ORDERED))
        there, gone = set[str](), set[str]()
        number = 100
        with patch.object(sending, "BATCH", 3), patch.object(members, "_AT_ONCE", 4):
            for turn in range(12):
                for name in chance.sample(everybody, 6):
                    number += 1
                    self.seen(number, name, minutes=turn)
                    there.add(name)
                for name in chance.sample(sorted(there - gone), 2):
                    number += 1
                    # In another browser: the same person for what was stated.
                    self.seen(number, name, path="/thank-you", minutes=turn + 0.5)
                    gone.add(name)
                self.network.switch(refuse=0.2 * chance.random())
                if chance.random() < 0.5:
                    with patch.object(OverHttp, "put_members", broken), self.assertRaises(KeyboardInterrupt):
                        deliver(use)
                    self.assertTrue(MemberBatch.objects.exists())
                deliver(use)
                self.network.switch()
                deliver(use)
                self.assertEqual(self.there(use), hashed(*(there - gone)), turn)
                self.assertEqual(Delivered.objects.filter(use=use).count(), len(there - gone))
        self.assertFalse(MemberBatch.objects.exists())

    def test_away_it_waits_and_comes_back(self) -> None:
        self.seen(1, "ada")
        use = self.use(self.audience())
        self.network.switch(away=True)
        with patch.object(sending, "deliver", partial(sending.deliver, patience=0)):
            run_jobs()
        [channel] = self.member.ask("GET", "/channels")
        self.assertIn("went wrong on its side (503)", channel["failure"])
        self.assertIsNotNone(channel["failing_since"])
        # Left alone for a while; then the minute's look comes back to it.
        AdChannel.objects.update(rests_until=None)
        self.network.switch()
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.there(use), hashed("ada"))
        self.assertIsNone(self.member.ask("GET", "/channels")[0]["failing_since"])

    def test_who_calls_too_often_is_slower_and_loses_nothing(self) -> None:
        for number in range(30):
            self.seen(number + 1, f"person{number}")
        use = self.use(self.audience())
        self.network.switch(calls=6)
        with patch.object(sending, "BATCH", 2):
            sending.deliver(use, patience=60)
        self.network.switch()
        self.assertEqual(len(self.there(use)), 30)

    def test_what_is_too_much_at_once_goes_in_parts(self) -> None:
        names = [f"person{number}" for number in range(11)]
        for number, name in enumerate(names):
            self.seen(number + 1, name)
        use = self.use(self.audience())
        sizes: list[int] = []

        def narrow(self: OverHttp, key: object, name: str, add: list[object], *said: object) -> object:
            sizes.append(len(add))
            if len(add) > most:
                raise calling.TooMuch("It does not do this (413).")
            return put(self, key, name, add, *said)  # type: ignore[arg-type]

        most = 3
        with patch.object(OverHttp, "put_members", narrow):
            deliver(use)
            self.assertEqual(self.there(use), hashed(*names))
            self.assertEqual(max(size for size in sizes if size <= most), 2)
            # Who is too many alone stays to be put, and it is said why.
            self.seen(20, "eve")
            most = 0
            with self.assertRaises(calling.Declined):
                deliver(use)
        self.assertIn("(413)", self.member.ask("GET", "/channels")[0]["failure"])
        deliver(use)
        self.assertEqual(self.there(use), hashed(*names, "eve"))

    def test_what_was_under_way_is_not_sent_again_once_somebody_must_not_go(self) -> None:
        """Whether the call that broke off came there or not."""
        for number, (leave, came) in enumerate(product(("consent", "agreed", "forgotten"), (True, False))):
            with self.subTest(leave=leave, came=came):
                ada, bob, page = 2 * number + 1, 2 * number + 2, f"/kit{number}"
                self.seen(ada, f"ada{number}", path=page)
                self.seen(bob, f"bob{number}", path=page)
                use = self.use(self.audience(include=page_seen(page)))
                stopped = broken if came else unsent
                with patch.object(OverHttp, "put_members", stopped), self.assertRaises(KeyboardInterrupt):
                    deliver(use)
                if leave == "consent":
                    refused = beacon(ada, event("/", kind="note", refused=True))
                    receive([hit(self.site, self.now + timedelta(minutes=30), refused)])
                elif leave == "agreed":
                    self.member.ask("PUT", f"/channels/{self.channel.pk}", self.said(agreed=False))
                else:
                    forget(self.site, Visitor.objects.get(site=self.site, key=f"{ada:032x}").pk)
                sent: list[tuple[str, str]] = []
                with patch.object(OverHttp, "put_members", noting(sent)):
                    deliver(use)
                stay = set() if leave == "agreed" else hashed(f"bob{number}")
                self.assertEqual((self.there(use), set(sent)), (stay, stay))
                self.assertEqual(Delivered.objects.filter(use=use).count(), len(stay))
                self.member.ask("PUT", f"/channels/{self.channel.pk}", self.said())

    def test_nobody_goes_there_who_must_not(self) -> None:
        self.seen(1, "ada")
        use = self.use(self.audience())
        deliver(use)
        for leave, back in (
            ({"agreed": False}, {"agreed": True}),
            (Consent.NAMELESS, Consent.ALWAYS),
        ):
            for change, wanted in ((leave, set()), (back, hashed("ada"))):
                if isinstance(change, dict):
                    self.member.ask("PUT", f"/channels/{self.channel.pk}", self.said(**change))
                else:
                    self.site.consent = change
                    self.site.save()
                deliver(use)
                self.assertEqual(self.there(use), wanted, change)
        # What joins nobody stands for nobody.
        Identity.objects.update(off=True)
        deliver(use)
        self.assertEqual(self.there(use), set())

    def test_nobody_is_taken_out_by_browsers_that_strangers_make_up(self) -> None:
        self.seen(1, "ada")
        use = self.use(self.audience())
        deliver(use)
        # One that says it is her and takes back consent; and a crowd.
        self.seen(2, "ada", path="/", minutes=1)
        at = self.now + timedelta(minutes=30)
        receive([hit(self.site, at, beacon(2, event("/", kind="note", refused=True)))])
        for number in range(50, 75):
            self.seen(number, "ada", path="/", minutes=31)
        deliver(use)
        self.assertEqual(self.there(use), hashed("ada"))
        # Those of them who are members add nobody, and she who goes takes her word along.
        receive([hit(self.site, at, beacon(1, event("/", kind="note", refused=True)))])
        deliver(use)
        self.assertEqual(self.there(use), set())

    def test_what_is_proven_counts_and_nothing_else_of_it(self) -> None:
        key = make_proof_key(self.site).secret

        def proof(number: int) -> str:
            return sign_person(key, f"{number:032x}", "ada@example.com")

        self.seen(1, "ada", path="/", proof=proof(1))
        # Not hers: it is no member for her, and withdraws nothing.
        self.seen(2, "ada", minutes=1)
        use = self.use(self.audience())
        deliver(use)
        self.assertEqual(self.there(use), set())
        self.seen(1, minutes=2)
        deliver(use)
        self.assertEqual(self.there(use), hashed("ada"))
        at = self.now + timedelta(minutes=30)
        receive([hit(self.site, at, beacon(2, event("/", kind="note", refused=True)))])
        deliver(use)
        self.assertEqual(self.there(use), hashed("ada"))
        # Hers: refused in one of her browsers, it counts in none.
        self.seen(3, "ada", minutes=3, proof=proof(3))
        self.assertEqual(Visitor.objects.filter(joined_to=None).count(), 2)
        receive([hit(self.site, at, beacon(3, event("/", kind="note", refused=True)))])
        deliver(use)
        self.assertEqual(self.there(use), set())

    def test_who_takes_back_consent_is_taken_out(self) -> None:
        self.seen(1, "ada")
        self.seen(2, "ada", minutes=1)
        self.seen(3, "bob")
        use = self.use(self.audience())
        run_jobs()
        self.assertEqual(self.there(use), hashed("ada", "bob"))
        # In both of their browsers; what they state later, in a new consent, counts again.
        at = self.now + timedelta(minutes=30)
        before = Event.objects.count()
        receive([hit(self.site, at, beacon(2, event("/kit", kind="note", refused=True)))])
        self.assertEqual(Event.objects.count(), before)
        run_jobs()
        # Whoever says so in one speaks for that browser.
        self.assertEqual(self.there(use), hashed("ada", "bob"))
        receive([hit(self.site, at, beacon(1, event("/kit", kind="note", refused=True)))])
        run_jobs()
        self.assertEqual(self.there(use), hashed("bob"))
        self.seen(4, "ada", minutes=60)
        deliver(use)
        self.assertEqual(self.there(use), hashed("ada", "bob"))

    def test_who_is_forgotten_here_is_taken_out_there(self) -> None:
        self.seen(1, "ada")
        self.seen(2, "bob")
        use = self.use(self.audience())
        run_jobs()
        visitor = Visitor.objects.get(site=self.site, key=f"{1:032x}")
        Member(self.site, Role.OWNER).ask("POST", f"/visitors/{visitor.pk}/forget")
        self.assertFalse(
            Identity.objects.filter(hash=bytes.fromhex(digest("email", "ada@example.com"))).exists()
        )
        run_jobs()
        self.assertEqual(self.there(use), hashed("bob"))
        self.assertFalse(
            Delivered.objects.filter(hash=bytes.fromhex(digest("email", "ada@example.com"))).exists()
        )
        forget(self.site, Visitor.objects.get(site=self.site, key=f"{2:032x}").pk)
        run_jobs()
        self.assertEqual(self.there(use), set())

    def test_who_is_not_removed_there_is_said_and_asked_for_again(self) -> None:
        for number, name in ((1, "ada"), (2, "bob")):
            self.seen(number, name)
        use = self.use(self.audience())
        run_jobs()
        forget(self.site, Visitor.objects.get(site=self.site, key=f"{1:032x}").pk)

        def refused(
            self: OverHttp, key: object, name: str, add: object, remove: list[Identified], *said: object
        ) -> object:
            return {member: Refusal("no_such_member", False) for member in remove}

        member = Member(self.site, Role.OWNER)
        with patch.object(OverHttp, "put_members", refused):
            run_jobs()
        self.assertEqual(self.there(use), hashed("ada", "bob"))
        [told] = member.ask("GET", "/today")["channels"]
        self.assertEqual((told["not_removed"], told["not_removed_why"]), (1, "no_such_member"))
        AudienceUse.objects.update(done_at=None)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.there(use), hashed("bob"))
        self.assertEqual(member.ask("GET", "/today")["channels"], [])

    def test_an_audience_changed_deleted_or_taken_away(self) -> None:
        self.seen(1, "ada")
        self.seen(2, "bob", path="/other")
        audience = self.audience()
        use = self.use(audience)
        run_jobs()
        other = {**KIT, "what": {"page": {"match": "equals", "value": "/other"}}}
        audiences.change_audience(
            audience, audiences.AudienceContent(audience.name, {"include": other}), self.owner
        )
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.there(use), hashed("bob"))
        audiences.remove_audience(audience)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.there(use), set())
        audiences.restore_audience(audience)
        deliver(use)
        self.assertEqual(self.there(use), hashed("bob"))
        self.member.ask("DELETE", f"/uses/{use.pk}", status=204)
        run_jobs()
        self.assertFalse(AudienceUse.objects.exists())
        lists = self.network.ask("GET", "/v1/status").json["lists"]
        self.assertNotIn(str(use.key), [one["id"] for one in lists])

    def test_a_channel_removed_leaves_nobody_there_and_keeps_no_key(self) -> None:
        self.seen(1, "ada")
        use = self.use(self.audience())
        run_jobs()
        self.assertTrue(self.there(use))
        self.member.ask("DELETE", f"/channels/{self.channel.pk}", status=204)
        run_jobs()
        self.assertFalse(self.there(use))
        self.channel.refresh_from_db()
        self.assertEqual(self.channel.secret, "")
        self.assertEqual(self.member.ask("GET", "/channels"), [])

    def test_two_at_once_are_one(self) -> None:
        use = self.use(self.audience())
        with patch.object(sending, "_alone") as alone:
            alone.return_value.__enter__.return_value = False
            self.assertFalse(sending.deliver(use))

    def test_what_it_says_of_itself_is_kept(self) -> None:
        use = self.use(self.audience())
        self.assertIsNone(status.list_status(use))
        with self.assertRaises(calling.Declined):
            self.channel.secret = "other"
            status.ask(self.channel)
