"""Pages on real frameworks, what a variant changes on them, and how both halves must look after they were used.

In HTML, changes and steps `{base}` stands for the case's path and `{lib}` for where the libraries lie. `a` and `b` are JavaScript that
throws where the page is not as it should be; `must`, `one`, `text` and `shown` are there for it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from clabo.journeys.cases import Step

CHECKS = """
const one = (s) => document.querySelector(s);
const text = (s) => one(s)?.textContent.trim();
const blocks = (s) => document.querySelectorAll(`[data-clabo-block${s ? "=" + s : ""}]`).length;
const shown = (s) => !!one(s)?.getClientRects().length;
const order = (s) => [...document.querySelectorAll(s)].filter((e) => e.getClientRects().length)
  .sort((x, y) => x.getBoundingClientRect().top - y.getBoundingClientRect().top).map((e) => e.textContent.trim()).join("");
const must = (what, got, wanted) => {
  if (JSON.stringify(got) !== JSON.stringify(wanted)) throw new Error(`${what}: ${JSON.stringify(got)}`);
};
"""


@dataclass(frozen=True, slots=True)
class ContentCase:
    """`exposed`: the letters of those who are in the test; `hindered`: why some of it could not be shown."""

    name: str
    body: str
    changes: Sequence[Mapping[str, Any]]
    steps: Sequence[Step]
    a: str
    b: str
    exposed: str = "AB"
    hindered: Sequence[str] = ()
    # The tag comes so many milliseconds after the page.
    late: int = 0
    # Served under these headers.
    headers: Mapping[str, str] = field(default_factory=dict)


def words(selector: str, text: str) -> dict[str, Any]:
    return {"words": {"selector": selector, "text": text}}


def panel(selector: str) -> dict[str, Any]:
    return {"block": {"selector": selector, "place": "before", "template": "panel", "title": "New"}}


def move(selector: str, place: str, of: str) -> dict[str, Any]:
    return {"move": {"selector": selector, "place": place, "of": of}}


USED: list[Step] = [
    ("wait", 700),
    *[("click", where) for where in ("#more", "#more", "#toggle", "#toggle", "#turn")],
    ("wait", 300),
]
SHOP_CHANGES = [
    words("h1", "Hives delivered"),
    words("#hello", "Welcome back"),
    {"link": {"selector": "#kit", "to": "{base}/other"}},
    {"picture": {"selector": "#hive", "address": "/other.png"}},
    {"hide": {"selector": "#price"}},
    {"style": {"selector": "#foot", "property": "color", "value": "rgb(1, 2, 3)"}},
    panel("main > section:nth-of-type(1)"),
    {"html": {"selector": "#offer", "place": "after", "html": "<p>More <b>of it</b></p>"}},
    move("main > ul", "before", "main > nav"),
]
AS_CHANGED = """
must("h1", text("h1"), "Hives delivered"); must("hello", text("#hello"), "Welcome back");
must("blocks", [blocks("panel"), blocks("own"), blocks("copy")], [1, 1, 1]);
must("beside", [one("[data-clabo-block=panel]").nextElementSibling.id, one("[data-clabo-block=own]").previousElementSibling.id],
  ["offer", "offer"]);
must("picture", [one("#hive").getAttribute("src"), one("source").getAttribute("srcset")], ["/other.png", "/other.png"]);
must("price", shown("#price"), false); must("foot", getComputedStyle(one("#foot")).color, "rgb(1, 2, 3)");
must("moved", [text("[data-clabo-block=copy]"), one("[data-clabo-block=copy]").nextElementSibling.localName], ["threetwoone", "nav"]);
must("itself", [one("main > ul:not([data-clabo-block])").getClientRects().length, one("#kit").getAttribute("href")], [0, "{base}/other"]);
"""
AS_IT_IS = """
must("h1", text("h1"), "Start with one hive"); must("hello", text("#hello"), "Hello keeper%s");
must("blocks", blocks(""), 0); must("picture", one("#hive").getAttribute("src"), "/hive.png");
must("source", one("source").getAttribute("srcset"), "/wide.png"); must("price", shown("#price"), true);
must("list", order("main > ul"), "threetwoone"); must("kit", one("#kit").getAttribute("href"), "kit");
"""
ELSEWHERE = """must("h1", text("h1"), "The second page"); must("hello", text("#hello"), "Hello keeper%s"); must("blocks", blocks(""), 0);
must("price", shown("#price"), true);"""
# Through one of its items, whatever stands in for it: the page's own code hears it.
ITEM = "one(blocks('copy') ? '[data-clabo-block=copy] li' : 'main > ul li').click();"


def _checked(code: str) -> str:
    return f"(() => {{ {CHECKS} {code} }})()"


def shop(app: str, drawn: bool = False, wait: int = 120) -> ContentCase:
    """An app is used, left for a page of its own and come back to, and its changed link followed."""
    root = f"<!--shop-{app}-->" if drawn else ""
    return ContentCase(
        f"{app}-drawn-by-a-server" if drawn else app,
        f"<body data-wait={wait}><div id=root>{root}</div><script src={{lib}}/shop-{app}.js></script>",
        SHOP_CHANGES,
        [
            *USED,
            ("check", ""),
            ("run", _checked(ITEM)),
            ("click", "#second"),
            ("wait", 400),
            ("run", _checked(ELSEWHERE % 13)),
            ("run", "history.back()"),
            ("wait", 400),
            ("check", ""),
            ("click", "#kit"),
            ("wait", 400),
            ("followed", ""),
        ],
        AS_IT_IS.replace(
            'must("hello", text("#hello"), "Hello keeper%s");',
            'must("hello", /^Hello keeper1?3$/.test(text("#hello")), true);',
        ),
        AS_CHANGED,
    )


SHOPS = [
    shop("react"),
    shop("react", drawn=True),
    shop("preact"),
    shop("preact", drawn=True),
    shop("vue"),
    shop("vue", drawn=True),
    shop("svelte"),
    shop("solid"),
]


def led_on(name: str, script: str) -> ContentCase:
    """A link by which the page goes on to another without a load; `h1` is the text of the heading that both have."""
    return ContentCase(
        name,
        "<body><h1>One</h1><a id=go href=#>Go</a><script>const h1 = document.querySelector('h1').firstChild;"
        f"document.querySelector('#go').onclick = (e) => {{ e.preventDefault(); {script} }}</script>",
        [words("h1", "New")],
        [
            ("wait", 500),
            ("check", ""),
            ("click", "#go"),
            ("wait", 900),
            ("run", _checked("must('h1', text('h1'), 'Two')")),
        ],
        "must('h1', text('h1'), 'One')",
        "must('h1', text('h1'), 'New')",
    )


PLAIN = "<body><main><h1>Start <b>today</b></h1><p>one</p><p>two</p><p>three</p></main>"

CONTENT_CASES = [
    *SHOPS,
    ContentCase(
        "taken-over-too-late",
        "<body data-wait=1600><div id=root><!--shop-react--></div><script src={lib}/shop-react.js></script>",
        SHOP_CHANGES,
        [("wait", 1900), *USED, ("check", "")],
        AS_IT_IS % 3,
        AS_IT_IS % 3,
        exposed="",
        hindered=["late"],
    ),
    ContentCase(
        "tag-that-comes-late",
        PLAIN,
        [words("h1", "New headline")],
        [("wait", 2200), ("check", "")],
        "must('h1', text('h1'), 'Start today')",
        "must('h1', [text('h1'), getComputedStyle(one('h1')).visibility], ['Start today', 'visible'])",
        exposed="",
        hindered=["late"],
        late=1500,
    ),
    ContentCase(
        "a-moved-part-that-comes-and-goes",
        "<body><div id=root></div><script src={lib}/shop-react.js></script>",
        [move("#offer", "before", "main > nav"), words("#price", "49")],
        [
            *USED,
            ("check", ""),
            ("click", "#toggle"),
            ("wait", 200),
            (
                "run",
                _checked("must('gone', [blocks(''), document.querySelectorAll('#offer').length], [0, 0])"),
            ),
            ("click", "#toggle"),
            ("wait", 200),
            ("check", ""),
        ],
        "must('offer', [shown('#offer'), text('#price')], [true, '59'])",
        "must('offer', [shown('#offer'), one('#offer').parentElement.localName], [false, 'main']);"
        "must('copy', [blocks('copy'), text('[data-clabo-block=copy]'), one('[data-clabo-block=copy]').nextElementSibling.localName], [1, '49', 'nav'])",
    ),
    ContentCase(
        "in-a-shadow-tree",
        "<body><hive-shop></hive-shop><script src={lib}/shop-lit.js></script>",
        [words("hive-shop >> h1", "Hives delivered"), words("hive-shop >> #hello", "Welcome back")],
        [
            ("wait", 500),
            ("run", "document.querySelector('hive-shop').shadowRoot.querySelector('#more').click()"),
            ("wait", 300),
            ("check", ""),
        ],
        "const [h, p] = one('hive-shop').shadowRoot.querySelectorAll('h1,p'); must('words', [h.textContent, p.textContent], "
        "['Start with one hive', 'Hello keeper2'])",
        "const [h, p] = one('hive-shop').shadowRoot.querySelectorAll('h1,p'); must('words', [h.textContent, p.textContent], "
        "['Hives delivered', 'Welcome back'])",
    ),
    ContentCase(
        "a-block-on-a-page-that-never-rests",
        "<body><main><div>One</div><div>Two</div></main><p id=n></p><script>"
        "let n = 0; setInterval(() => { document.querySelector('#n').textContent = ++n; "
        "if (n % 5 === 0) { const d = document.createElement('div'); d.textContent = 'One'; document.querySelector('main > div').replaceWith(d) } }, 100);"
        "</script>",
        [panel("main > div:nth-of-type(1)"), panel("main > :nth-child(2)")],
        [("wait", 3000), ("check", "")],
        "must('blocks', blocks(''), 0)",
        "must('blocks', blocks(''), 2); must('order', text('main'), 'NewOneNewTwo')",
    ),
    ContentCase(
        "words-with-others-in-them",
        PLAIN,
        [words("h1", "New headline")],
        [("wait", 500), ("check", "")],
        "must('h1', one('h1').innerHTML, 'Start <b>today</b>')",
        "must('h1', text('h1'), 'New headline')",
    ),
    ContentCase(
        "moves-that-hang-on-each-other",
        PLAIN,
        [
            move("main > p:nth-of-type(3)", "before", "main > p:nth-of-type(1)"),
            move("main > p:nth-of-type(2)", "before", "main > p:nth-of-type(3)"),
        ],
        [
            ("run", "setInterval(() => document.body.toggleAttribute('hidden', false), 50)"),
            ("wait", 1500),
            ("check", ""),
        ],
        "must('order', order('main > p'), 'onetwothree')",
        "must('order', order('main > p'), 'twothreeone')",
    ),
    ContentCase(
        "a-move-in-a-row",
        "<body><div id=row style='display:flex;flex-direction:column'><form><input name=q></form><p>one</p><p>two</p></div>",
        [move("form", "after", "#row > p:nth-of-type(2)")],
        [
            ("wait", 500),
            ("fill", "[name=q]", "kept"),
            ("run", "document.querySelector('#row').insertAdjacentHTML('beforeend', '<p>three</p>')"),
            ("wait", 300),
            ("check", ""),
        ],
        "must('first', one('form').getBoundingClientRect().top < one('p').getBoundingClientRect().top, true)",
        "const top = (e) => e.getBoundingClientRect().top, [, two, three] = document.querySelectorAll('p');"
        "must('between', [top(two) < top(one('form')), top(one('form')) < top(three)], [true, true]);"
        "must('entered', [one('[name=q]').value, one('form').parentElement.id], ['kept', 'row'])",
    ),
    ContentCase(
        "a-form-that-cannot-be-moved",
        "<body><main><form><input name=q></form><p>one</p></main>",
        [words("p", "New"), move("form", "after", "p")],
        [("wait", 900), ("check", "")],
        "must('p', text('p'), 'one')",
        "must('form', one('main').firstElementChild.localName, 'form'); must('blocks', blocks(''), 0)",
        exposed="",
    ),
    ContentCase(
        "eighty-prices-drawn-anew-all-the-time",
        "<body><ul></ul><script>const draw = () => { document.querySelector('ul').innerHTML = '<li class=price>59</li>'.repeat(80) };"
        "draw(); setInterval(draw, 100)</script>",
        [words(".price", "49")],
        [("wait", 4000), ("check", "")],
        "must('prices', new Set([...document.querySelectorAll('li')].map((e) => e.textContent)).size, 1)",
        "must('prices', [...document.querySelectorAll('li')].map((e) => e.textContent).join(), Array(80).fill('49').join())",
    ),
    ContentCase(
        "a-page-that-writes-over-it",
        "<body><h1>0</h1><p>one</p><script>let n = 0; (function again() { document.querySelector('h1').firstChild.data = ++n; requestAnimationFrame(again) })()</script>",
        [words("h1", "New"), words("p", "Still")],
        [("wait", 2500), ("check", "")],
        "must('p', text('p'), 'one')",
        "must('p', text('p'), 'Still')",
        hindered=["overwritten"],
    ),
    ContentCase(
        "shown-and-put-back",
        "<body><h1>One</h1><p id=promise hidden>Money back</p><a id=go href=#>Go</a><script>"
        "document.querySelector('#go').onclick = (e) => { e.preventDefault(); history.pushState({}, '', '{base}/second') }</script>",
        [{"show": {"selector": "#promise"}}, words("h1", "New")],
        [
            ("wait", 500),
            ("check", ""),
            ("click", "#go"),
            ("wait", 500),
            (
                "run",
                _checked(
                    "must('put back', [text('h1'), shown('#promise'), one('#promise').hidden], ['One', false, true])"
                ),
            ),
        ],
        "must('promise', [shown('#promise'), text('h1')], [false, 'One'])",
        "must('promise', [shown('#promise'), text('h1')], [true, 'New'])",
    ),
    led_on(
        "another-page-in-the-same-heading",
        "history.pushState({}, '', '{base}/second'); setTimeout(() => { h1.data = 'Two' }, 60)",
    ),
    led_on(
        "a-heading-drawn-before-the-address-changes",
        "h1.data = 'Two'; setTimeout(() => history.pushState({}, '', '{base}/second'), 60)",
    ),
    ContentCase(
        "under-a-strict-policy",
        "<body><main><h1>One</h1><p>one</p></main>",
        [
            words("h1", "New"),
            panel("main"),
            {"sheet": {"css": "p { color: rgb(1, 2, 3) }"}},
            {"hide": {"selector": "p"}},
        ],
        [("wait", 500), ("check", "")],
        "must('h1', [text('h1'), shown('p'), blocks('')], ['One', true, 0])",
        "must('h1', [text('h1'), shown('p'), blocks('')], ['New', false, 1]); must('region', one('clabo-block').getAttribute('role'), 'region')",
        headers={
            "content-security-policy": "style-src 'self'; script-src 'self' 'unsafe-inline' 'unsafe-eval' {collector}"
        },
    ),
]
