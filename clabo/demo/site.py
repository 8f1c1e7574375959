"""Brackenhive's pages, live on their own origin, with the tag. An ASGI application of its own."""

from __future__ import annotations

import html
import os
from dataclasses import dataclass
from typing import Any
from zlib import crc32

from clabo.demo.scenario import BRIDGE, BY_PATH, TESTS, DemoPage

_CONTROLS = {t.control for t in TESTS if t.ended_days_ago is None}
_NAV = [
    "/",
    "/starter-hive",
    "/configure",
    "/workshops",
    "/first-season-guide",
    "/suits",
    "/contact",
    "/journal/first-swarm",
    "/journal/thank-you-to-our-keepers",
    "/stockists",
]
_FORMS = {
    "/starter-hive": ("/order", "Order the starter kit", ""),
    "/starter-hive-b": ("/order", "Order it now", ""),
    "/configure": ("/order", "Order this kit", ""),
    "/winter-kit": ("/order", "Order the winter kit", ""),
    "/gift-card": ("/order", "Give a hive", ""),
    "/order": ("/order/thank-you", "Pay 59 €", ""),
    "/first-season-guide": ("/guide/thank-you", "Send me the guide", "E-mail"),
    "/first-season-guide-b": ("/guide/thank-you", "Send the beginner's guide", "E-mail"),
    "/workshops": ("/workshops/thank-you", "Book a place", "Name"),
    "/workshops-b": ("/workshops/thank-you", "Book a place near you", "Name"),
}
_STYLE = """body{margin:0;font:17px/1.6 Georgia,serif;color:#2b2a24;background:#fffdf7}header,main,footer{max-width:44rem;
margin:auto;padding:1rem}header{border-bottom:2px solid #e3b23c}nav a{margin-right:1rem;color:#5b4a12}h1{font-size:2rem}
button{font:inherit;padding:.5rem 1.2rem;background:#e3b23c;border:0}input{font:inherit;padding:.4rem}footer{color:#6b6a60;font-size:.9rem}"""


_SCRIPTS = {
    # The vendor tells the page that a booking is done; the page leads on.
    "/workshops": """<script>addEventListener("message", (e) => { if (String(e.data).includes("booking.done"))
setTimeout(() => location.assign("/workshops/thank-you"), 1500) })</script>""",
    # A single-page configurator: a change of address is a page, and the code says when it is done.
    "/configure": """<section id="kit"><p>How many frames? <select id="frames"><option>5<option selected>10<option>12</select>
<button type="button" id="next">Go on</button></p></section><script>
const steps = ["/configure", "/configure/frame", "/configure/finish"];
next.onclick = () => { const at = steps.indexOf(location.pathname) + 1;
if (!steps[at]) return location.assign("/order");
history.pushState({}, "", steps[at]); document.title = "Build your kit, step " + (at + 1);
if (at === 2) { clabo.mark("kit_configured", { frames: Number(document.getElementById("frames").value), colour: "oak" }); next.textContent = "Order it" } };
</script>""",
    "/contact": """<form id="contact" novalidate><label>Name <input id="contact-name" name="name"></label>
<label>E-mail <input id="contact-mail" name="mail" type="email"></label><label>Question <input name="question"></label>
<button>Ask</button><p id="contact-thanks" hidden>Thank you. A keeper will write to you.</p></form>
<form id="letter"><label>E-mail <input id="letter-mail" name="mail" type="email" required></label>
<button>Send me the monthly letter</button></form>
<dialog id="letter-thanks">The letter is on its way. <button onclick="this.parentElement.close()">Good</button></dialog><script>
contact.onsubmit = (e) => { e.preventDefault(); const form = e.target;
const missing = ["name", "mail"].filter((n) => !form.elements[n].value);
for (const field of form.elements) field.setAttribute("aria-invalid", missing.includes(field.name));
if (!missing.length) setTimeout(() => { form.reset(); document.getElementById("contact-thanks").hidden = false }, 300) };
letter.onsubmit = (e) => { e.preventDefault(); e.target.reset(); document.getElementById("letter-thanks").showModal() };
</script>""",
}


def _more(path: str, links: Links) -> str:
    """What a page has besides its words and its form."""
    if path in ("/workshops", "/workshops-b") and links.forms:
        return (
            f'<iframe title="Booking" src="{links.forms}/booking" width="420" height="190"></iframe>'
            + _SCRIPTS["/workshops"]
        )
    if path == "/suits" and links.bridge:
        return (
            f'<p><a href="{links.bridge}?sub1=in-text">Protective suits from our partner</a></p>'
            f'<p><a href="{links.bridge}?sub1=price-button">What they cost</a></p>'
        )
    if path == "/":
        # It was taken off the site, and this page forgotten.
        return '<p><a href="/winter-feeding">How to feed in winter</a></p>'
    if path.startswith("/configure"):
        return _SCRIPTS["/configure"]
    return _SCRIPTS.get(path, "")


@dataclass(frozen=True, slots=True)
class Links:
    """Where the pages lead: the tag, the form vendor's origin, and the bridge link to the partner."""

    tag: str
    forms: str = ""
    bridge: str = ""


_LEAD = "Bees for people who have never kept any. A hive, a suit, a smoker and a patient teacher."


def drawing(path: str) -> str:
    """Honeycomb in the page's own colours, so that pages can be told apart by their pictures."""
    seed = crc32(path.encode())
    hue = seed % 360
    cells = []
    for place in range(27):
        row, column = divmod(place, 9)
        x, y = 40 + column * 80 + (row % 2) * 40, 40 + row * 66
        light = 46 + (seed >> (place % 24)) % 5 * 9
        cells.append(
            f'<path d="M{x} {y - 42}l36 21v42l-36 21l-36-21v-42z" fill="hsl({(hue + place * 3) % 360} 55% {light}%)"/>'
        )
    return f'<svg viewBox="0 0 720 240" width="100%" aria-hidden="true">{"".join(cells)}</svg>'


def page_html(page: DemoPage, links: Links) -> str:
    """One page. A split test's control page lets the tag decide before it is painted."""
    hold = ' blocking="render"' if page.path in _CONTROLS else ""
    line = (
        "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)},consent(c){this.c=c}}</script>"
        f'<script async="async"{hold} src="{html.escape(links.tag)}"></script>'
    )
    nav = "".join(f'<a href="{p}">{html.escape(BY_PATH[p].title)}</a>' for p in _NAV)
    form = ""
    if page.path in _FORMS and not (page.path.startswith("/workshops") and links.forms):
        action, label, field = _FORMS[page.path]
        box = f'<label>{field} <input name="{field.lower()}" required></label> ' if field else ""
        form = f'<form action="{action}" method="get">{box}<button>{label}</button></form>'
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{html.escape(page.title)}</title>'
        f'<meta name="viewport" content="width=device-width"><link rel="icon" href="data:,">{line * page.tags}<style>{_STYLE}</style></head>'
        f"<body><header><strong>Brackenhive</strong><nav>{nav}</nav></header><main><h1>{html.escape(page.title)}</h1>"
        f"{drawing(page.path)}<p>{_LEAD}</p>"
        f"{form}{_more(page.path, links)}</main><footer>A company that does not exist. These pages carry Clabo’s tag, so your clicks show up in Live. "
        '<a href="tel:+000 555 0140">Call us</a></footer></body></html>'
    )


BOOKING = """<!doctype html><meta charset="utf-8"><title>Hivedesk booking</title><style>body{font:16px/1.5 sans-serif}
input,button{font:inherit;margin:.2rem 0}</style><form id="booking"><label>Name <input name="name" required></label><br>
<label>E-mail <input name="mail" type="email" required></label><br><label>Seats <input name="seats" type="number" value="1"
min="1" max="9"></label> <button>Book</button></form><p id="done" hidden>Booked. See you there.</p><script>
const say = (message) => parent.postMessage(JSON.stringify({ source: "hivedesk", ...message }), "*");
say({ event: "booking.ready", height: document.body.scrollHeight });
addEventListener("load", () => setTimeout(() => say({ event: "booking.ready", height: 190 }), 1200));
booking.onsubmit = (e) => { e.preventDefault(); const f = e.target.elements;
say({ event: "booking.done", booking: { form: "workshop", seats: Number(f.seats.value) },
customer: { name: f.name.value, mail: f.mail.value } });
booking.hidden = true; done.hidden = false };
</script>"""
PARTNER = """<!doctype html><meta charset="utf-8"><title>Meadow suits</title><style>body{{font:17px/1.6 sans-serif;max-width:40rem;
margin:3rem auto}}</style><h1>Protective suits</h1><p>A page of somebody else’s: it has no tag, and knows you only by the reference
that the bridge link has passed on.</p><button id="buy">Buy a suit for 119 €</button><p id="bought" hidden>Thank you for buying.</p><script>
buy.onclick = () => {{ const ref = new URLSearchParams(location.search).get("ref");
if (ref) new Image().src = "{report}?ref=" + encodeURIComponent(ref) + "&value=119&currency=EUR&order=MS-" + Date.now();
bought.hidden = false }};
</script>"""


def _answer(path: str) -> str | None:
    """The page at `path`, by the part that this process plays (CLABO_DEMO_PART)."""
    part = os.environ.get("CLABO_DEMO_PART", "")
    tag = os.environ.get("CLABO_DEMO_TAG", "")
    base, _, key = tag.removesuffix(".js").rpartition("/tag/")
    if part == "forms":
        return BOOKING if path == "/booking" else None
    if part == "partner":
        return PARTNER.format(report=f"{base}/sale/{key}.gif") if path == "/protective-suits" else None
    page = BY_PATH.get(path)
    bridge = f"{base}/to/{key}/{BRIDGE}" if base else ""
    return page_html(page, Links(tag, os.environ.get("CLABO_DEMO_FORMS_URL", ""), bridge)) if page else None


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Serves the pages; CLABO_DEMO_TAG is the address of the tag."""
    if scope["type"] != "http":
        return
    body = _answer(scope["path"].rstrip("/") or "/")
    headers = [(b"content-type", b"text/html; charset=utf-8"), (b"cache-control", b"no-store")]
    await send({"type": "http.response.start", "status": 200 if body else 404, "headers": headers})
    await send({"type": "http.response.body", "body": (body or "Not here.").encode()})
