"""Brackenhive's pages, live on their own origin, with the tag. An ASGI application of its own."""

from __future__ import annotations

import html
import os
from typing import Any

from clabo.demo.scenario import BY_PATH, TESTS, DemoPage

_CONTROLS = {t.control for t in TESTS if t.ended_days_ago is None}
_NAV = [
    "/",
    "/starter-hive",
    "/configure",
    "/workshops",
    "/first-season-guide",
    "/suits",
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


def page_html(page: DemoPage, tag_url: str) -> str:
    """One page. A split test's control page lets the tag decide before it is painted."""
    hold = ' blocking="render"' if page.path in _CONTROLS else ""
    line = (
        "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)}}</script>"
        f'<script async{hold} src="{html.escape(tag_url)}"></script>'
    )
    nav = "".join(f'<a href="{p}">{html.escape(BY_PATH[p].title)}</a>' for p in _NAV)
    form = ""
    if page.path in _FORMS:
        action, label, field = _FORMS[page.path]
        box = f'<label>{field} <input name="{field.lower()}" required></label> ' if field else ""
        form = f'<form action="{action}" method="get">{box}<button>{label}</button></form>'
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{html.escape(page.title)}</title>'
        f'<meta name="viewport" content="width=device-width"><link rel="icon" href="data:,">{line * page.tags}<style>{_STYLE}</style></head>'
        f"<body><header><strong>Brackenhive</strong><nav>{nav}</nav></header><main><h1>{html.escape(page.title)}</h1>"
        "<p>Bees for people who have never kept any. A hive, a suit, a smoker and a patient teacher.</p>"
        f"{form}</main><footer>A made-up company. These pages carry Clabo’s tag, so your clicks show up in Live.</footer></body></html>"
    )


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Serves the pages; CLABO_DEMO_TAG is the address of the tag."""
    if scope["type"] != "http":
        return
    path = scope["path"].rstrip("/") or "/"
    page = BY_PATH.get(path)
    body = page_html(page, os.environ.get("CLABO_DEMO_TAG", "")) if page else "Not here."
    headers = [(b"content-type", b"text/html; charset=utf-8"), (b"cache-control", b"no-store")]
    await send({"type": "http.response.start", "status": 200 if page else 404, "headers": headers})
    await send({"type": "http.response.body", "body": body.encode()})
