"""What the tag hears on pages of another origin, and what it stays silent about."""

from __future__ import annotations

import time
from datetime import timedelta
from typing import Any

from django.db.models import Max
from django.test import override_settings
from playwright.sync_api import Page, Route

from clabo.collect.events.models import Element, Event, Kind, TrafficClass, TrafficDay, Visitor
from clabo.platform.accounts.models import Role
from clabo.setup.conversions import services
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.testing.browsing import BrowserCase, OwnPages
from clabo.testing.traffic import BROWSER, make_site, make_user
from clabo.use.delivery.models import Withdrawal

EARLY = "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)},consent(c){this.c=c}}</script>"
TWO_FORMS = """
<form id=booking action=/booked>
  <input name=name required value=Ines><input name=email type=email required><button>Book</button></form>
<form name=newsletter action=/letter><input name=mail value=secret@shop.example><button>Send me letters</button></form>
"""


class ListeningCase(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.site: Site = make_site()
        self.site.hosts.create(host=self.own.host)
        self.frames = OwnPages()
        self.addCleanup(self.frames.stop)

    def rule(self, language: Any, **fields: Any) -> None:
        """A rule, and a tag that knows of it."""
        content = {"name": "it", "category": "lead", "counting": "every", "value": None, **fields}
        services.make_rule(self.site, services.RuleContent(rule=language, **content), None)
        self.renewed()

    def tag(self, attributes: str = "") -> str:
        return f'{EARLY}<script async src="{self.clabo}/tag/{self.site.key}.js" {attributes}></script>'

    def publish(self, path: str, body: str = "", head: str = "") -> None:
        self.own.pages[path] = f"<!doctype html><title>Page {path}</title>{self.tag()}{head}<body>{body}"

    def open(self, path: str, **options: Any) -> Page:
        page = self.window(**options)
        page.goto(self.own.url + path, wait_until="networkidle")
        page.wait_for_function("window.clabo && window.clabo.on")
        return page

    def heard(self, *kinds: Kind, least: int = 0) -> list[Event]:
        """Everything but views, or what is of these kinds, once so many are there and nothing more comes."""
        rows = Event.objects.exclude(kind=Kind.VIEW)
        if kinds:
            rows = rows.filter(kind__in=kinds)
        self.until(lambda: rows.count() >= least, f"{least} events")
        self.quiet()
        return list(rows.order_by("time", "id").select_related("element", "visit"))

    def quiet(self) -> None:
        """Return when no event has arrived for half a second."""
        count, since = -1, time.monotonic()
        while time.monotonic() - since < 0.6:
            now = Event.objects.count()
            if now != count:
                count, since = now, time.monotonic()
            time.sleep(0.05)

    def forms(self, least: int = 0) -> list[tuple[str, str]]:
        return [
            (e.get_kind_display().lower(), e.element.traits.get("id") or e.element.traits.get("name", ""))
            for e in self.heard(Kind.FORM, Kind.TRIED, least=least)
            if e.element
        ]


class Forms(ListeningCase):
    def test_two_forms_on_a_page_are_told_apart_and_no_value_is_read(self) -> None:
        self.publish("/contact", TWO_FORMS)
        self.publish("/booked")
        self.publish("/letter")
        page = self.open("/contact")
        page.evaluate("document.forms[0].checkValidity()")  # A page that looks at its fields is no attempt.
        page.wait_for_timeout(400)
        page.click("text=Book")  # The e-mail address is missing: the browser itself refuses.
        self.assertEqual(self.forms(1), [("tried", "booking")])
        page.fill("[name=email]", "private@shop.example")
        page.click("text=Book")
        page.wait_for_url("**/booked**")
        self.assertEqual(self.forms(2), [("tried", "booking"), ("form", "booking")])
        page.goto(self.own.url + "/contact")
        page.click("text=Send me letters")
        page.wait_for_url("**/letter**")
        self.assertEqual(self.forms(3)[1:], [("form", "booking"), ("form", "newsletter")])
        sent = Element.objects.get(kind=Kind.FORM, traits__id="booking").traits
        self.assertEqual(sent["fields"], ["email", "name"])
        self.assertEqual(sent["action"], self.own.url + "/booked")
        everything = str(list(Element.objects.values_list("traits"))) + str(
            list(Event.objects.exclude(kind=Kind.VIEW).values_list("properties", "name"))
        )
        for private in ("Ines", "secret@", "private@"):
            self.assertNotIn(private, everything)

    def test_a_page_that_sends_by_script_and_does_not_lead_on(self) -> None:
        form = "<form id={id} onsubmit='event.preventDefault(); {then}'><input name=q value=x><button>{id}</button></form>"
        self.publish(
            "/app",
            "".join(
                form.format(id=name, then=then)
                for name, then in (
                    ("hidden", "setTimeout(() => this.hidden = true, 300)"),
                    ("removed", "setTimeout(() => this.remove(), 300)"),
                    ("emptied", "setTimeout(() => this.reset(), 300)"),
                    ("stopped", "event.stopImmediatePropagation(); this.hidden = true"),
                    ("moved", 'history.pushState({}, "", "/app/done")'),
                    ("refused", 'setTimeout(() => this.q.setAttribute("aria-invalid", "true"), 300)'),
                )
            )
            + "<form id=bare onsubmit='return false'><input name=q required><button formnovalidate>bare</button></form>"
            + "<form id=shadowed action=/done><input name=id value=1><input name=action value=2>"
            + "<button type=button onclick='this.form.submit()'>shadowed</button></form>"
            + "<dialog open><form id=closing method=dialog><button>closing</button></form></dialog>",
        )
        self.publish("/done")
        page = self.open("/app")
        for name in ("hidden", "removed", "emptied", "stopped", "refused", "bare", "closing", "moved"):
            page.click(f"button:text-is('{name}')")
            page.wait_for_timeout(800)
        page.click("button:text-is('shadowed')")
        page.wait_for_url("**/done**")
        found = self.forms(8)
        self.assertEqual(
            sorted(found),
            sorted(
                [("form", n) for n in ("hidden", "removed", "emptied", "stopped", "moved", "shadowed")]
                + [("tried", "refused"), ("tried", "bare")]
            ),
        )
        self.assertEqual(Element.objects.get(traits__id="shadowed").traits["action"], self.own.url + "/done")

    def test_pages_without_a_form_carry_no_code_for_them(self) -> None:
        self.publish("/plain", "<p>Words</p><button>Press</button>")
        self.publish("/form", TWO_FORMS)
        asked: list[str] = []
        page = self.window()
        page.on("request", lambda r: asked.append(r.url.removeprefix(self.clabo)))
        page.goto(self.own.url + "/plain", wait_until="networkidle")
        page.click("text=Press")
        self.quiet()
        parts = {f"/tag/{self.site.key}.js", "/tag/part/clicks.js"}
        self.assertEqual({a for a in asked if a.startswith("/tag/")}, parts)
        page.goto(self.own.url + "/form", wait_until="networkidle")
        self.assertNotIn("/tag/part/forms.js", asked, "nobody has touched the page yet")
        page.mouse.move(20, 20)
        page.wait_for_timeout(300)
        self.assertIn("/tag/part/forms.js", asked)

    def test_a_form_sent_before_its_code_has_come(self) -> None:
        """The part is held back: what was done meanwhile is judged when it comes, or told as the page is left."""
        self.publish(
            "/quick",
            "<form id=hidden onsubmit='event.preventDefault(); this.remove()'><button>hidden</button></form>"
            "<form id=kept onsubmit='return false'><input name=q aria-invalid=true><button>kept</button></form>"
            "<form id=empty><input name=q required><button>empty</button></form>"
            "<form id=closing method=dialog><button>closing</button></form>"
            "<form id=secret data-clabo-ignore onsubmit='return false'><button>secret</button></form>"
            "<form id=leaving action=/left><button>leaving</button></form>",
        )
        self.publish("/left")
        page = self.window()
        held: list[Route] = []
        page.route("**/tag/part/forms.js", lambda route: held.append(route))
        page.goto(self.own.url + "/quick", wait_until="networkidle")
        for name in ("hidden", "kept", "empty", "closing", "secret"):
            page.click(f"text={name}")
        self.assertEqual(self.forms(), [])
        held.pop().continue_()
        page.wait_for_timeout(500)
        self.assertEqual(sorted(self.forms(3)), [("form", "hidden"), ("tried", "empty"), ("tried", "kept")])
        page.goto(self.own.url + "/quick", wait_until="networkidle")
        page.click("text=leaving")
        page.wait_for_url("**/left**")
        self.assertEqual(self.forms(4)[-1], ("form", "leaving"))
        self.assertEqual(len(self.forms()), 4)
        page.unroute_all(behavior="ignoreErrors")

    def test_what_is_begun_and_where_it_is_left(self) -> None:
        ask = "<form id={id} {more} action=/sent><input name=mail><input id=who><textarea name=words></textarea><button>{id}</button></form>"
        self.publish(
            "/ask",
            ask.format(id="ask", more="")
            + ask.format(id="secret", more="data-clabo-ignore")
            + ask.format(id="script", more="")
            + "<div id=host></div><script>host.attachShadow({mode: 'open'}).innerHTML = '<form id=shade><input name=q></form>';"
            "addEventListener('load', () => { const f = document.forms.script.mail; f.value = 'x';"
            "f.dispatchEvent(new Event('input', {bubbles: true, composed: true})) })</script>",
        )
        self.publish("/sent")
        page = self.open("/ask")
        page.locator("#ask [name=mail]").press_sequentially("private@shop.example")
        page.locator("#ask #who").press_sequentially("Ines")
        page.locator("#secret #who").press_sequentially("Ines")
        page.locator("#shade input").press_sequentially("bees")
        typed = Event.objects.aggregate(last=Max("time"))["last"]
        page.wait_for_timeout(5000)
        page.goto(self.own.url + "/ask")
        told = [
            (e.get_kind_display().lower(), (e.element.traits if e.element else {}).get("id"), e.properties)
            for e in self.heard(Kind.BEGUN, Kind.LEFT, least=4)
        ]
        self.assertCountEqual(
            told,
            [
                ("begun", "ask", None),
                ("left", "ask", {"field": "who"}),
                ("begun", "shade", None),
                ("left", "shade", {"field": "q"}),
            ],
        )
        # Said when the page was left, of the moment of the last entry.
        left = Event.objects.filter(kind=Kind.LEFT).order_by("time")[0]
        self.assertLess(left.time - typed, timedelta(seconds=4))
        # What is sent is not left.
        page.locator("#ask [name=words]").press_sequentially("How?")
        page.click("text=ask")
        page.wait_for_url("**/sent**")
        kinds = [e.kind for e in self.heard(Kind.BEGUN, Kind.LEFT, Kind.FORM, least=6)]
        self.assertEqual((kinds.count(Kind.BEGUN), kinds.count(Kind.LEFT), kinds[-1]), (3, 2, Kind.FORM))
        rows = Event.objects.exclude(kind=Kind.VIEW).values_list("properties", "name", "element__traits")
        for private in ("Ines", "private@", "bees", "How?"):
            self.assertNotIn(private, str(list(rows)))

    def test_a_single_page_site_takes_the_form_away(self) -> None:
        self.publish(
            "/app",
            '<form id=ask><input name=mail><input name=who></form><button onclick=\'history.pushState({}, "", "/app/on");'
            "document.forms.ask.remove()'>On</button>",
        )
        page = self.open("/app")
        page.locator("[name=mail]").press_sequentially("abc")
        page.click("text=On")
        self.heard(Kind.BEGUN, Kind.LEFT, least=2)
        left = Event.objects.get(kind=Kind.LEFT)
        self.assertEqual((left.page.path, left.properties), ("/app", {"field": "mail"}))


class Speed(ListeningCase):
    @override_settings(CLABO_MEASURED=1)
    def test_how_long_a_page_took(self) -> None:
        self.renewed()
        self.own.pages["/late"] = (
            f"<!doctype html><title>Late</title>{self.tag()}<body><p>Words</p>"
            "<script>setTimeout(() => document.body.insertAdjacentHTML('beforeend',"
            " '<h1 style=\"font-size:90px\">The largest part of this page</h1>'), 1200)</script>"
        )
        page = self.open("/late")
        page.wait_for_timeout(1500)
        page.mouse.move(9, 9)
        page.wait_for_timeout(400)
        page.goto("about:blank")
        [told] = self.heard(Kind.LOADED, least=1)
        assert told.properties
        self.assertEqual(told.page.path, "/late")
        self.assertGreater(told.properties["load"], 0)
        self.assertGreater(told.properties["largest"], 1000)
        self.assertLess(told.properties["largest"], 4000)
        # It says nothing of what somebody did.
        self.assertEqual((told.visit.interacted, told.visit.views), (False, 1))


class Clicks(ListeningCase):
    def test_each_kind_with_its_words_and_target(self) -> None:
        self.rule({"click": {"selector": ".hero .cta"}})
        self.publish(
            "/",
            "<a href='tel:+00 123?x'>Ring us</a><a href='mailto:hive@shop.example?subject=secret'>Write</a>"
            "<a href='https://partner.example/suits?ref=77#x'>Suits</a><a href='/guide.pdf'>Guide</a>"
            "<a href='/next?step=2'>Next</a><button aria-label='Open menu'>≡</button>"
            "<div class=hero><span class=cta data-clabo-click='big call'>Go</span></div><p>nothing</p>"
            "<div data-clabo-ignore><button>unheard</button></div>",
            head="<script>addEventListener('click', e => e.preventDefault())</script>",
        )
        page = self.open("/")
        for words in ("Ring us", "Write", "Suits", "Guide", "Next", "≡", "Go", "nothing", "unheard"):
            page.click(f"text={words}")
        traits = [e.element.traits for e in self.heard(least=7) if e.element]
        # Clicks of the same millisecond have no order.
        self.assertCountEqual(
            [(t["what"], t.get("text"), t.get("to", "")) for t in traits],
            [
                ("phone", "Ring us", "tel:+00 123"),
                ("mail", "Write", "mailto:hive@shop.example"),
                ("outbound", "Suits", "partner.example/suits"),
                ("file", "Guide", self.own.host + "/guide.pdf"),
                ("link", "Next", self.own.host + "/next"),
                ("button", "Open menu", ""),
                ("button", "big call", ""),
            ],
        )
        self.assertEqual([t["fits"] for t in traits if "fits" in t], [[".hero .cta"]])
        self.until(lambda: Conversion.objects.count() == 1, "the call to action counts, the others do not")


class Frames(ListeningCase):
    def test_a_vendors_own_message_is_captured_without_values_and_counts_by_origin(self) -> None:
        self.frames.pages["/booking"] = (
            "<script>onmessage = e => parent.postMessage(e.data, '*');"
            "setTimeout(() => parent.postMessage({type: 'ready', height: 400}, '*'), 500)</script>"
        )
        self.frames.pages["/elsewhere"] = self.frames.pages["/booking"]
        self.publish("/workshops", f"<iframe src='{self.frames.url}/booking'></iframe>")
        sent = "{type: 'form.sent', data: {formId: 'wk-1', name: 'Ines Private', mail: 'ines@shop.example', n: 7}}"
        page = self.open("/workshops")
        self.until(lambda: Element.objects.filter(kind=Kind.MESSAGE).exists(), "the frame is ready")
        page.evaluate(f"document.querySelector('iframe').contentWindow.postMessage({sent}, '*')")
        heard = [e.element.traits for e in self.heard(least=2) if e.element]
        self.assertEqual(heard[0]["values"], {"type": "ready"})
        self.assertEqual(heard[1]["values"], {"type": "form.sent", "data.formId": "wk-1"})
        self.assertEqual(
            heard[1]["keys"],
            {
                "type": "string",
                "data.formId": "string",
                "data.name": "string",
                "data.mail": "string",
                "data.n": "number",
            },
        )
        self.assertNotIn("Ines", str(heard))
        # What was recorded before the rule was made counts too; the same message from elsewhere never does.
        language = {"message": {"origin": self.frames.url, "at": "type", "value": "form.sent"}}
        self.rule(language)
        self.until(lambda: Conversion.objects.count() == 1, "counted back")
        page = self.open("/workshops")
        for _ in range(2):
            page.evaluate(f"document.querySelector('iframe').contentWindow.postMessage({sent}, '*')")
        self.until(lambda: Conversion.objects.count() == 3, "each one counts")
        page.evaluate(f"postMessage({sent}, '*')")
        page.evaluate(
            "window.other = Object.assign(document.createElement('iframe'), {srcdoc: "
            f"`<script>parent.postMessage({sent}, '*')</script>`}}); document.body.append(other)"
        )
        self.quiet()
        self.assertEqual(Conversion.objects.count(), 3)

    def test_the_helper_inside_the_frame(self) -> None:
        key = self.site.key
        self.frames.pages["/form"] = (
            f"<script async src='{self.clabo}/tag/{key}.js' data-clabo-frame></script>"
            "<form id=booking action=/sent target=sink><input name=email value=private@shop.example><button>Book"
            "</button></form><iframe name=sink></iframe>"
        )
        self.publish("/workshops", f"<iframe src='{self.frames.url}/form'></iframe>")
        page = self.open("/workshops")
        page.frame_locator("iframe").first.locator("button").click()
        self.assertEqual(self.heard(Kind.FORM), [])  # An origin that nobody has allowed.
        self.site.frame_origins = [self.frames.url]
        self.site.save()
        self.renewed()
        page = self.open("/workshops")
        page.frame_locator("iframe").first.locator("button").click()
        [form] = self.heard(Kind.FORM, least=1)
        assert form.element
        self.assertEqual(
            {k: form.element.traits[k] for k in ("id", "fields", "origin")},
            {"id": "booking", "fields": ["email"], "origin": self.frames.url},
        )
        self.assertEqual(Visitor.objects.count(), 2)  # One for each time, none for the frame.
        self.assertEqual([c["domain"] for c in page.context.cookies()], ["127.0.0.1"])

    def test_a_frame_that_floods_is_not_listened_to_for_long(self) -> None:
        self.frames.pages["/flood"] = (
            "<script>let n = 0; setInterval(() => { for (let i = 0; i < 500; i++) "
            "parent.postMessage({type: 'a' + n++, ['k' + n]: '<img src=x onerror=alert(1)>'}, '*') }, 50)</script>"
        )
        self.publish("/", f"<iframe src='{self.frames.url}/flood'></iframe>")
        self.open("/")
        self.assertLessEqual(len(self.heard()), 10)


class Watching(ListeningCase):
    def test_a_thank_you_that_appears_in_place(self) -> None:
        self.rule(
            {
                "any": [
                    {"shown": {"selector": "#thanks"}},
                    {
                        "all": [
                            {"shown": {"text": "on its way"}},
                            {"on": {"match": "equals", "value": "/pop"}},
                        ]
                    },
                ]
            }
        )
        self.publish("/pop", "<div id=box hidden><p>Your guide is on its way.</p></div>")
        self.publish("/there", "<div id=thanks>Thank you</div>")
        self.publish("/other", "<div id=box hidden>Your guide is on its way.</div>")
        page = self.open("/pop")
        page.evaluate("document.querySelector('#box').hidden = false")
        self.until(lambda: Conversion.objects.count() == 1, "the pop-up counts")
        page.goto(self.own.url + "/there", wait_until="networkidle")
        page.wait_for_timeout(500)
        page.goto(self.own.url + "/other", wait_until="networkidle")
        page.evaluate("document.querySelector('#box').hidden = false")
        page.wait_for_timeout(500)
        page.evaluate("document.body.insertAdjacentHTML('beforeend', '<p id=thanks>Thanks</p>')")
        self.until(lambda: Conversion.objects.count() == 2, "and so does the element")
        self.assertEqual(
            [e.element.traits for e in self.heard(least=2) if e.element][1], {"selector": "#thanks"}
        )

    def test_time_and_depth_are_told_only_when_asked_for(self) -> None:
        self.publish("/long", "<div style='height: 4000px'>Words</div>")
        page = self.open("/long")
        page.mouse.wheel(0, 4000)
        page.wait_for_timeout(1200)
        self.assertEqual(self.heard(), [])
        self.rule({"any": [{"stay": {"seconds": 1}}, {"scroll": {"percent": 60}}]})
        page = self.open("/long")
        page.wait_for_timeout(1500)
        self.assertEqual([(e.kind, e.properties) for e in self.heard(least=1)], [(Kind.STAY, {"reached": 1})])
        page.evaluate("scrollTo(0, 3000)")
        self.until(lambda: Conversion.objects.count() == 2, "scrolled")
        self.assertEqual(len(self.heard(least=2)), 2)


class PagesAndEvents(ListeningCase):
    def counted(self, *expected: str) -> None:
        """All that has counted, in the order of the pages opened, is what is expected, and stays so."""

        def names() -> list[str]:
            rows = Conversion.objects.order_by("time", "rule__name")
            return list(rows.values_list("rule__name", flat=True))

        self.until(lambda: names() == list(expected), f"{expected}")
        self.quiet()
        self.assertEqual(names(), list(expected))

    def test_each_fires_where_it_is_met_and_stays_silent_next_to_it(self) -> None:
        """Addresses with and without parameters and their look-alikes; events by their properties; pages seen."""
        self.rule({"page": {"match": "equals", "value": "/thanks"}}, name="thanks")
        paid = {"parameter": {"name": "paid", "value": "1"}}
        self.rule({"all": [{"page": {"match": "equals", "value": "/thanks"}}, paid]}, name="paid")
        dear = {"property": "value", "comparison": "at_least", "value": 50}
        self.rule({"event": {"name": "order", "where": [dear]}}, name="dear_order")
        self.rule({"seen": {"pages": 3}}, name="three_pages", counting="visit")
        for path in ("/thanks", "/thanks/", "/thanks-to-all", "/journal/thanks"):
            self.publish(path)
        self.publish(
            "/shop",
            "<button onclick=\"clabo.mark('order', {value: 49.99})\">Cheap</button>"
            "<button onclick=\"clabo.mark('order', {value: 50, currency: 'EUR'})\">Dear</button>"
            "<button onclick=\"clabo.mark('order', {value: 'fifty'})\">Wrong</button>"
            "<button onclick=\"clabo.mark('orders', {value: 99})\">Other</button>",
        )
        page = self.open("/thanks-to-all")
        page.goto(self.own.url + "/journal/thanks", wait_until="networkidle")
        self.counted()
        page.goto(self.own.url + "/thanks/?unpaid=1&paid=10", wait_until="networkidle")
        self.counted("thanks", "three_pages")
        page = self.open("/thanks?paid=1&utm_campaign=x")
        self.counted("thanks", "three_pages", "paid", "thanks")
        page = self.open("/shop")
        for label in ("Cheap", "Wrong", "Other"):
            page.click(f"text={label}")
        self.counted("thanks", "three_pages", "paid", "thanks")
        page.click("text=Dear")
        self.counted("thanks", "three_pages", "paid", "thanks", "dear_order")


class WhoIsCounted(ListeningCase):
    def test_own_visits_are_shown_and_counted_nowhere(self) -> None:
        self.publish("/")
        page = self.open("/?clabo=own")
        page.get_by_text("now marked as your own").wait_for()
        page.goto(self.own.url + "/", wait_until="networkidle")
        self.quiet()
        self.assertEqual(
            set(Event.objects.values_list("visit__traffic_class", flat=True)), {TrafficClass.OWN.value}
        )
        self.assertFalse(TrafficDay.objects.exists())
        page.goto(self.own.url + "/?clabo=not-own", wait_until="networkidle")
        self.until(TrafficDay.objects.exists, "counted again")
        self.assertEqual(Visitor.objects.count(), 2)

    def test_a_network_of_ones_own(self) -> None:
        self.site.own_networks = ["127.0.0.0/8", "::1/128"]
        self.site.save()
        self.renewed()
        self.publish("/")
        self.open("/")
        self.until(Event.objects.exists, "the hit")
        self.assertEqual(Event.objects.select_related("visit").get().visit.traffic_class, TrafficClass.OWN)

    def test_nothing_before_consent_and_nothing_after_a_refusal(self) -> None:
        self.site.consent = "ask"
        self.site.save()
        self.renewed()
        self.publish("/a", head="<script>clabo.mark('early')</script>")
        page = self.open("/a?utm_source=meadow")
        self.quiet()
        self.assertEqual((Event.objects.count(), page.context.cookies()), (0, []))
        self.assertEqual(page.evaluate("Object.keys(localStorage)"), [])
        page.evaluate("clabo.consent(true)")
        self.until(lambda: Event.objects.count() == 2, "what was held back")
        page.goto(self.own.url + "/a", wait_until="networkidle")
        self.until(lambda: Event.objects.count() == 4, "the next page needs no asking")
        page.evaluate("clabo.consent(false)")
        page.evaluate("clabo.mark('late')")
        page.goto(self.own.url + "/a", wait_until="networkidle")
        self.quiet()
        self.assertEqual((Event.objects.count(), page.context.cookies()), (4, []))
        # Told once, so that whoever had their hashed identity is told to take it out.
        self.assertEqual(Withdrawal.objects.get().visitor, Visitor.objects.get())
        other = self.open("/a")
        other.evaluate("clabo.consent(false)")
        self.quiet()
        self.assertEqual(Event.objects.count(), 4)
        # Taken back before anything was sent: nobody is looked up, and nothing is left behind.
        other.evaluate("clabo.consent(true); clabo.mark('hasty'); clabo.consent(false)")
        self.quiet()
        self.assertEqual((Event.objects.count(), other.context.cookies()), (4, []))
        self.assertEqual(other.evaluate("Object.keys(localStorage)"), ["clabo_consent"])

    def test_without_a_stored_id_a_visit_holds_together(self) -> None:
        self.site.consent = "nameless"
        self.site.save()
        self.renewed()
        self.publish("/a", "<a href=/b>on</a>")
        self.publish("/b")
        page = self.open("/a")
        page.click("a")
        self.until(lambda: Event.objects.filter(kind=Kind.VIEW).count() == 2, "two views")
        self.assertEqual((Visitor.objects.count(), page.context.cookies()), (1, []))
        self.assertEqual(page.evaluate("localStorage.length + sessionStorage.length"), 0)
        self.open("/a", user_agent=BROWSER.replace("126", "125"))
        self.until(lambda: Visitor.objects.count() == 2, "another browser is another visitor")


class Hostile(ListeningCase):
    def test_pages_that_break_everything_are_not_broken_by_the_tag(self) -> None:
        """And send little: the page's own errors are its own, the tag adds none."""
        self.publish(
            "/hostile",
            "<form id=f onsubmit='event.preventDefault()'><input name=q><button>Go</button></form><p id=p>fine</p>",
            head="""<script>
              history.pushState = history.replaceState = null;
              Object.freeze(history); Object.freeze(HTMLFormElement.prototype); Object.freeze(Event.prototype);
              window.fetch = () => { throw new Error('page: fetch') };
              JSON.parse = () => { throw new Error('page: parse') };
              Storage.prototype.setItem = () => { throw new Error('page: storage') };
              addEventListener('submit', () => { throw new Error('page: submit') });
              setInterval(() => { for (let i = 0; i < 200; i++) { f.requestSubmit(); clabo.mark('m' + i) } }, 200);
            </script>""",
        )
        context = self.browser.new_context(user_agent=BROWSER)
        self.addCleanup(context.close)
        page = context.new_page()
        errors: list[str] = []
        page.on("pageerror", lambda error: errors.append(str(error)))
        begun = time.monotonic()
        page.goto(self.own.url + "/hostile")
        page.wait_for_timeout(2500)
        self.assertEqual(page.text_content("#p"), "fine")
        self.assertEqual({e for e in errors if "page: " not in e}, set())
        context.close()
        seconds = time.monotonic() - begun
        self.quiet()
        # A hundred at once and one a second from then on, however long a busy machine took; the page itself, and some.
        self.assertLessEqual(Event.objects.count(), 107 + seconds)

    def test_markup_in_titles_names_and_keys_stays_text(self) -> None:
        evil = "<img src=x onerror=alert(1)>"
        self.frames.pages["/f"] = f"<script>parent.postMessage({{type: 'x', ['{evil}']: 1}}, '*')</script>"
        self.publish(
            "/evil",
            f"<form id='{evil}' action=/evil target=sink><input name='{evil}'><button>{evil[1:-1]}</button></form>"
            f"<iframe name=sink></iframe><iframe src='{self.frames.url}/f'></iframe>",
            head=f"<script>document.title = {evil!r}; clabo.mark({evil!r}, {{[{evil!r}]: {evil!r}}})</script>",
        )
        page = self.open("/evil")
        page.click("button")
        self.assertEqual(
            {e.get_kind_display() for e in self.heard(least=4)}, {"Mark", "Form", "Click", "Message"}
        )
        make_user(self.site, Role.OWNER, "owner@shop.example")
        looking = self.window()
        looking.on("dialog", lambda dialog: self.fail("markup was run"))
        self.sign_in(looking, "owner@shop.example", "elpmaxe.pohs@renwo")
        for place in ("live", "conversions", "pixel", "pages"):
            looking.goto(f"{self.clabo}/s/{self.site.pk}/{place}", wait_until="networkidle")
            self.assertEqual(looking.locator("img[src=x]").count(), 0, place)
