"""The tag in a real browser, on pages of another origin."""

from __future__ import annotations

import gzip
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from django.conf import settings
from playwright.sync_api import Page, Route

from clabo.collect.events.models import Event, Kind
from clabo.collect.events.models import Page as KnownPage
from clabo.collect.install.kit import tag_lines
from clabo.core.splits.assignment import assign
from clabo.judge.splits.models import Exposure, SplitTest, Variant
from clabo.setup.sites.models import Site, SiteHost
from clabo.testing.browsing import BrowserCase
from clabo.testing.foreign import Answer, Foreign
from clabo.testing.traffic import make_rule, make_site


class Tag(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.site: Site = make_site()
        self.site.hosts.create(host=self.own.host)
        self.line = (
            "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)}}</script>"
            f'<script async src="{self.clabo}/tag/{self.site.key}.js"></script>'
        )

    def publish(self, path: str, body: str = "", head: str = "") -> None:
        self.own.pages[path] = f"<!doctype html><title>Page {path}</title>{self.line}{head}<body>{body}"

    def open(self, path: str, **options: Any) -> Page:
        page = self.window(**options)
        page.goto(self.own.url + path)
        return page

    def events(self, count: int, **fields: Any) -> list[Event]:
        rows = Event.objects.filter(**fields).order_by("time", "id").select_related("page", "visit__origin")
        self.until(lambda: rows.count() == count, f"{count} events, {fields}")
        return list(rows)

    def test_it_is_small(self) -> None:
        limits = {"tag": 4096, "tag-splits": 4608, "tag-content": 5120, "tag-content-who": 5120}
        for name, most in limits.items():
            script = (settings.CLABO_TAG_DIR / f"{name}.js").read_bytes()
            self.assertLessEqual(len(gzip.compress(script)), most)

    def test_a_view_says_where_it_came_from_and_sets_one_cookie(self) -> None:
        self.publish(
            "/a", head="<script>clabo.mark('early', {plan: 'kit', price: 59.5, deep: {a: 1}})</script>"
        )
        requests: list[str] = []
        page = self.window()
        page.on("request", lambda r: requests.append(r.url))
        page.goto(
            f"{self.own.url}/a?utm_source=meadow&utm_medium=cpc&utm_campaign=autumn&honeyclid=77&sub1=x",
            referer="https://lantern-search.example/",
        )
        [view] = self.events(1, kind=Kind.VIEW)
        [mark] = self.events(1, kind=Kind.MARK)
        origin = view.visit.origin
        self.assertEqual((origin.channel, origin.source, origin.campaign), ("paid", "meadow", "autumn"))
        self.assertEqual(
            (view.visit.sub_ids, view.referrer), ({"sub1": "x"}, "https://lantern-search.example/")
        )
        self.assertEqual((view.page.title, view.visit.get_device_display()), ("Page /a", "desktop"))
        self.assertEqual((mark.name, mark.properties), ("early", {"plan": "kit", "price": 59.5}))
        self.assertEqual([c["name"] for c in page.context.cookies()], ["clabo_id"])
        hosts = {url.split("/")[2] for url in requests}
        self.assertEqual(hosts, {self.own.host, self.clabo.split("/")[2]})

    def test_the_same_visitor_on_the_next_page(self) -> None:
        self.publish("/a", "<a href=/b>on</a>")
        self.publish("/b")
        page = self.open("/a")
        page.click("a")
        first, second = self.events(2, kind=Kind.VIEW)
        self.assertEqual((first.visitor_id, first.visit_id), (second.visitor_id, second.visit_id))

    def test_changes_of_address_without_a_load(self) -> None:
        self.publish("/app")
        page = self.open("/app")
        page.evaluate("history.pushState({}, '', '/app/step-2'); document.title = 'Step 2'")
        page.wait_for_timeout(200)
        page.evaluate("history.replaceState({}, '', '/app/step-2')")
        page.evaluate("location.hash = 'more'")
        page.go_back()
        page.go_back()
        page.wait_for_timeout(300)
        views = self.events(3, kind=Kind.VIEW)
        self.assertEqual([v.page.path for v in views], ["/app", "/app/step-2", "/app"])
        self.assertEqual(KnownPage.objects.get(path="/app/step-2").title, "Step 2")

    def test_twice_on_a_page_counts_once_and_is_told(self) -> None:
        self.publish("/a", head=self.line)
        self.open("/a")
        self.until(lambda: KnownPage.objects.filter(twice_at__isnull=False).exists(), "the note")
        self.events(1, kind=Kind.VIEW)

    def test_global_privacy_control_is_honoured(self) -> None:
        self.publish("/a", head="<script>clabo.mark('early')</script>")
        page = self.window()
        page.context.add_init_script(
            "Object.defineProperty(navigator, 'globalPrivacyControl', {value: true})"
        )
        page.goto(self.own.url + "/a")
        page.evaluate("clabo.mark('late')")
        page.wait_for_timeout(700)
        self.assertEqual(page.context.cookies(), [])
        self.assertFalse(Event.objects.exists())

    def test_what_could_not_be_sent_is_sent_on_the_next_page(self) -> None:
        self.publish("/a")
        self.publish("/b")
        page = self.window()
        refused: list[str] = []

        def away(route: Route) -> None:
            refused.append(route.request.url)
            route.abort()

        page.route("**/hit/**", away)
        page.goto(self.own.url + "/a")
        self.until(lambda: page.wait_for_timeout(50) or refused, "a first try")
        page.unroute("**/hit/**")
        page.goto(self.own.url + "/b")
        views = self.events(2, kind=Kind.VIEW)
        self.assertEqual([v.page.path for v in views], ["/a", "/b"])
        self.until(
            lambda: [c["name"] for c in page.context.cookies()] == ["clabo_id"], "nothing is left to be sent"
        )

    def test_a_view_right_before_leaving_arrives_once(self) -> None:
        self.publish("/a", head="<script>clabo.mark('bye')</script>")
        page = self.open("/a")
        page.wait_for_function("window.clabo && window.clabo.on")
        page.evaluate("clabo.mark('leaving')")
        page.goto("about:blank")
        marks = self.events(2, kind=Kind.MARK)
        self.assertEqual({m.name for m in marks}, {"bye", "leaving"})

    def test_it_never_throws_into_the_page(self) -> None:
        """Storage forbidden, strange calls, a broken clabo object: the window fails on any page error."""
        self.publish("/a")
        page = self.window()
        page.context.add_init_script(
            "for (const name of ['localStorage', 'sessionStorage'])"
            " Object.defineProperty(window, name, {get() { throw new DOMException('no', 'SecurityError') }})"
        )
        page.goto(self.own.url + "/a")
        self.events(1)
        page.evaluate("clabo.mark(); clabo.mark(null, 7); clabo.mark('x', {get a() { throw 1 }})")
        self.publish("/odd", head="<script>window.clabo = 7</script>")
        self.own.pages["/odd"] = self.own.pages["/odd"].replace(self.line, "") + self.line
        page.goto(self.own.url + "/odd")
        page.wait_for_timeout(500)

    def split(self, host: str) -> SplitTest:
        """A running test of /a against /b, which nearly everybody is sent to."""
        test = SplitTest.objects.create(
            site=self.site,
            name="T",
            rule=make_rule(self.site, "/thanks"),
            state="running",
            started_at=datetime.now(UTC),
            baseline=0.1,
            smallest_lift=0.5,
            planned_visitors=900,
        )
        for letter, share in (("A", 1), ("B", 99)):
            path = "/a" if letter == "A" else "/b"
            Variant.objects.create(test=test, letter=letter, host=host, path=path, share=share)
        return test

    def sent_on(self, test: SplitTest, url: str) -> Page:
        """A window whose visitor is sent to B."""
        key = next(k for k in iter(lambda: uuid4().hex, "") if assign(k, test.key, [1, 99]) == 1)
        page = self.window()
        page.context.add_cookies([{"name": "clabo_id", "value": key, "url": url}])
        return page

    def test_a_variant_that_leads_back_ends_at_the_control_and_is_told(self) -> None:
        """By a redirect of the server; and by a script. Each address is loaded once or twice, not without end."""
        site = Foreign()
        self.addCleanup(site.stop)
        self.site.hosts.create(host=site.host)
        test = self.split(site.host)
        html = f"<!doctype html><title>P</title>{self.line}<p id=p>here</p><a href=/a>again</a>"
        site.answers["/a"] = Answer(html)
        by_script = html + "<script>setTimeout(() => location.replace('/a'), 400)</script>"
        for back in (Answer(status=302, headers={"location": "/a"}), Answer(by_script)):
            site.answers["/b"] = back
            site.asked.clear()
            Variant.objects.update(led_back=0)
            page = self.sent_on(test, site.url)
            page.goto(site.url + "/a")
            self.until(lambda: Variant.objects.get(letter="B").led_back == 1, "it is told")
            page.wait_for_timeout(1500)
            self.assertEqual(page.url, site.url + "/a")
            self.assertTrue(page.is_visible("#p"))
            self.assertLessEqual(len([p for p in site.asked if p in ("/a", "/b")]), 4)
            # The control stays for this visit.
            page.click("text=again")
            page.wait_for_timeout(700)
            self.assertEqual((page.url, site.asked.count("/b")), (site.url + "/a", 1))
            self.assertEqual(Variant.objects.get(letter="B").led_back, 1)

    def test_who_goes_back_to_the_control_by_hand_sees_the_variant_again(self) -> None:
        site = Foreign()
        self.addCleanup(site.stop)
        self.site.hosts.create(host=site.host)
        test = self.split(site.host)
        for path in ("/a", "/b"):
            site.answers[path] = Answer(f"<!doctype html><title>P</title>{self.line}<a href=/a>again</a>")
        page = self.sent_on(test, site.url)
        page.goto(site.url + "/a")
        for _ in range(2):
            page.wait_for_url("**/b")
            page.wait_for_timeout(300)
            page.click("text=again")
        page.wait_for_url("**/b")
        self.until(lambda: Exposure.objects.filter(letter="B").exists(), "the exposure")
        self.assertEqual(Variant.objects.get(letter="B").led_back, 0)

    def test_without_cookies_the_tab_remembers_and_without_it_nobody_is_in_a_test(self) -> None:
        self.split(self.own.host)
        for path in ("/a", "/b", "/c"):
            self.publish(path, "<p>here</p>")
        blocked = "Object.defineProperty(Document.prototype, 'cookie', {get: () => '', set() {}});"
        page = self.window()
        page.context.add_init_script(blocked)
        for _ in range(2):
            page.goto(self.own.url + "/c")
            page.wait_for_timeout(400)
        self.events(2, kind=Kind.VIEW)
        self.assertEqual(Event.objects.values("visitor").distinct().count(), 1)
        page = self.window()
        page.context.add_init_script(
            blocked
            + "Object.defineProperty(window, 'sessionStorage', {get() { throw new DOMException('no') }})"
        )
        page.goto(self.own.url + "/a")
        page.wait_for_timeout(800)
        self.assertEqual(page.url, self.own.url + "/a")
        self.events(3, kind=Kind.VIEW)

    def test_the_holding_line_lets_go_in_time_whatever_becomes_of_the_tag(self) -> None:
        hold = tag_lines(self.site).hold
        kept = hold.replace(tag_lines(self.site).head.split('"')[3], "{}")
        seen = "(document.documentElement && getComputedStyle(document.documentElement).visibility)"
        for path, source in (
            ("/there", f"{self.clabo}/tag/{self.site.key}.js"),
            ("/gone", "http://127.0.0.1:9/tag.js"),
            ("/slow", self.own.url + "/never.js"),
        ):
            line = kept.replace("{}", source)
            self.own.pages[path] = f"<!doctype html><head><title>H</title>{line}</head><body>here"
        page = self.window()
        page.route("**/never.js", lambda route: None)
        for path in ("/there", "/gone", "/slow"):
            page.goto(self.own.url + path, wait_until="commit")
            page.wait_for_function(f"{seen} === 'visible'", timeout=20_000)
            self.assertEqual(page.evaluate("!!document.querySelector('#clabo-hold')"), False)
        page.unroute_all(behavior="ignoreErrors")

    def test_a_split_test_is_tried_out_on_a_copy_of_the_site(self) -> None:
        """The test's pages are the site's; the copy's host only stands for it."""
        SiteHost.objects.filter(host=self.own.host).update(stands_for="shop.example")
        test = self.split("shop.example")
        key = next(k for k in iter(lambda: uuid4().hex, "") if assign(k, test.key, [1, 99]) == 1)
        self.publish("/a")
        self.publish("/b")
        page = self.window()
        page.context.add_cookies([{"name": "clabo_id", "value": key, "url": self.own.url}])
        page.goto(f"{self.own.url}/a?utm_source=letter#top", referer="https://elsewhere.example/")
        page.wait_for_url(f"{self.own.url}/b?utm_source=letter#top")
        [view] = self.events(1)
        self.assertEqual((str(view.page), view.referrer), ("shop.example/b", "https://elsewhere.example/"))
        self.until(lambda: Exposure.objects.filter(letter="B").exists(), "the exposure")

    def test_without_scripts_the_image_counts(self) -> None:
        image = f'<noscript><img src="{self.clabo}/pixel/{self.site.key}.gif" referrerpolicy="no-referrer-when-downgrade"></noscript>'
        self.own.pages["/mail"] = f"<!doctype html><title>M</title>{image}"
        self.open("/mail?utm_source=letter&utm_medium=email", java_script_enabled=False)
        [view] = self.events(1)
        self.assertEqual(view.visit.channel, "email")
