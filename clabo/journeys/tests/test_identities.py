"""Two browsers of one person, a list brought along, and no address on the wire."""

from __future__ import annotations

import re
import time
from pathlib import Path
from tempfile import TemporaryDirectory

from playwright.sync_api import BrowserContext, expect

from clabo.collect.events.models import Identity, Statement, Visitor
from clabo.core.trust.identities import digest
from clabo.core.trust.proof import sign_person
from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import SiteHost
from clabo.setup.sites.services import make_proof_key
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import make_rule, make_site, make_user
from clabo.use.audiences.models import Audience, Listed

ADA = "Ada@Example.com"
STATED = (
    f'<script type="application/json" data-clabo-person="on">{{"email":" {ADA} ","id":"K-1042"}}</script>'
)
IN_CODE = f"<script>clabo.person({{email: '{ADA.lower()}'}})</script>"


class Identities(BrowserCase):
    def watch(self, context: BrowserContext) -> None:
        """Keep what leaves the browser."""
        context.on("request", lambda r: self.sent.append(f"{r.url} {r.post_data or ''} {r.headers}"))

    def test_what_the_sites_own_server_has_signed_is_proven(self) -> None:
        site = make_site(name="Own")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        self.own.pages["/"] = f"<!doctype html><title>Shop</title>{line}"
        page = self.window()
        with page.expect_request("**/hit/**"):
            page.goto(self.own.url)
        browser = next(c["value"] for c in page.context.cookies() if c["name"] == "clabo_id")
        proof = sign_person(make_proof_key(site).secret, browser, ADA)
        said = f"<script>onload=()=>clabo.person({{email:'{ADA}',proof:'{proof}'}})</script>"
        self.own.pages["/account"] = f"<!doctype html><title>Account</title>{line}{said}"
        page.goto(f"{self.own.url}/account")
        until = time.monotonic() + 20
        while not Statement.objects.exists() and time.monotonic() < until:
            time.sleep(0.1)
        stated = Statement.objects.get(identity__site=site)
        self.assertEqual(
            (stated.visitor.key.hex, stated.proven, stated.identity.proven), (browser, True, True)
        )

    def test_two_browsers_are_one_person_and_a_list_leaves_them_out(self) -> None:
        self.sent: list[str] = []
        site = make_site(name="Own")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        early = "<script>window.clabo=window.clabo||{q:[],person(p){this.q.push([p])}}</script>"
        self.own.pages["/kit"] = f"<!doctype html><title>Kit</title>{line}{STATED}"
        self.own.pages["/order"] = f"<!doctype html><title>Order</title>{early}{line}{IN_CODE}"
        rule = make_rule(site, "/order", name="kit_order", counted_version=1)
        make_user(site, Role.EDITOR, "ed@shop.example")
        kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}
        definition = {"include": kit, "exclude": {"what": {"conversion": rule.pk}}}
        audience = Audience.objects.create(site=site, name="Looked", definition=definition)
        phone, desk = self.window(), self.window()
        self.watch(phone.context)
        self.watch(desk.context)
        phone.goto(f"{self.own.url}/kit")
        page = self.window()
        self.watch(page.context)
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/audiences/{audience.pk}")
        headline = page.get_by_role("status").filter(has_text=re.compile("pe(rson|ople)\\."))
        expect(headline).to_contain_text("1 person.")
        # Ordered at the desk: nobody is left whom an ad would still have to tell.
        desk.goto(f"{self.own.url}/order")
        expect(headline).to_contain_text("0 people.")
        self.assertEqual(Visitor.objects.filter(site=site, joined_to__isnull=False).count(), 1)
        hashes = {bytes(i.hash).hex() for i in Identity.objects.filter(site=site)}
        self.assertEqual(hashes, {digest("email", ADA), digest("id", "K-1042")})

        # Found by the address, which is hashed before it is asked for.
        page.goto(f"{self.clabo}/s/{site.pk}/audiences")
        page.get_by_role("tab", name="One person").click()
        page.get_by_label("Find a visitor").fill(ADA)
        page.get_by_role("button", name="Find", exact=True).click()
        expect(page.get_by_text("2 browsers are theirs")).to_be_visible()
        page.get_by_role("button", name="Take them apart").click()
        expect(page.get_by_text("2 browsers are theirs")).to_have_count(0)
        page.get_by_role("button", name="Join them again").click()
        expect(page.get_by_text("2 browsers are theirs")).to_be_visible()

        # A list, out of a file.
        page.get_by_role("tab", name="Lists").click()
        with TemporaryDirectory() as folder:
            file = Path(folder) / "customers.csv"
            file.write_text(f'Name;E-mail\n"Ada; B.";{ADA}\nNo address;\nEve;eve@example.com\n')
            page.get_by_label("File with the list").set_input_files(file)
            expect(page.get_by_label("Column")).to_have_value("1")
            page.get_by_role("button", name="Hash and bring it").click()
            row = page.get_by_role("row", name="customers")
            expect(row).to_contain_text("nothing yet")
        self.assertEqual(
            {bytes(one.hash).hex() for one in Listed.objects.filter(list__site=site)},
            {digest("email", ADA), digest("email", "eve@example.com")},
        )
        expect(page.get_by_text("1 row was nothing of the kind")).to_be_visible()
        loud = [text for text in self.sent if re.search(r"ada(@|%40)|eve(@|%40)|k-1042", text, re.IGNORECASE)]
        self.assertEqual(loud, [])
        self.assertTrue(any(digest("email", ADA) in text for text in self.sent))
