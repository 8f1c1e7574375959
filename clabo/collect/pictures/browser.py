"""Takes one page's pictures, in a process of its own: what a page does in a browser must harm nobody but itself.

Reads what is wanted (taking.Wanted) as JSON from its input, writes what it has found (taking.Found) to its output and
the pictures as PNG files into a folder. Knows no Django, and is ended by force when it takes too long.
"""

from __future__ import annotations

import asyncio
import json
import os
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from playwright.async_api import Browser, Error, Page, Route, TimeoutError, async_playwright

from clabo.collect.pictures.proxy import GuardedProxy
from clabo.platform.chromium import ARGUMENTS

# Says what it is, so that a page's own statistics can leave it out; and is a bot to Clabo (events.parsing).
_AGENT = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36 ClaboPictureBot/1.0"
MOST_HEIGHT = 8000
WIDTHS = {"desktop": (1280, 800), "phone": (390, 844)}
_ARGUMENTS = (
    *ARGUMENTS,
    "--disable-dev-shm-usage",
    # Scripts may not go around the proxy by peer-to-peer connections.
    *(
        "--force-webrtc-ip-handling-policy=disable_non_proxied_udp",
        "--webrtc-ip-handling-policy=disable_non_proxied_udp",
    ),
    *("--js-flags=--max-old-space-size=256", "--hide-scrollbars", "--mute-audio"),
)
_LOAD_MS, _QUIET_MS = 12_000, 2_500
# Has what comes into sight only by scrolling come, and back to the top.
_SCROLL = """async (most) => { const high = Math.min(most, document.documentElement.scrollHeight);
for (let y = 0; y < high; y += 700) { scrollTo(0, y); await new Promise((go) => setTimeout(go, 40)) }
scrollTo(0, 0); await new Promise((go) => setTimeout(go, 80)); return document.documentElement.scrollHeight }"""
_LINKS = "(all) => [...new Set(all.map((a) => a.href.split('#')[0]))].slice(0, 400)"
# Whether there is an element for each selector, or for the one to be asked in its place.
_MET = """(several) => { const reached = (s) => s.split(" >> ").reduce((roots, step, n) => (n ? roots.flatMap((e) =>
e.shadowRoot ?? []) : roots).flatMap((root) => [...root.querySelectorAll(step)]), [document]);
const one = (s) => { try { return !!s && !!reached(s)[0] } catch { return false } };
return several.map(([selector, fallback]) => one(selector) || one(fallback)) }"""
_STILL = "*, *::before, *::after { scroll-behavior: auto !important } :focus { outline: none !important }"


async def _main(wanted: dict[str, Any]) -> dict[str, Any]:
    proxy = GuardedProxy(wanted["hosts"], wanted["local"])
    port = await proxy.start()
    playwright = await async_playwright().start()
    try:
        browser = await playwright.chromium.launch(
            executable_path=wanted["chromium"],
            chromium_sandbox=os.geteuid() != 0,
            args=list(_ARGUMENTS),
            proxy={"server": f"http://127.0.0.1:{port}", "bypass": "<-loopback>"},
        )
    except Error as error:
        return {"reason": "no_browser", "more": error.message.splitlines()[0][:200], "shots": []}
    found: dict[str, Any] = {"reason": "", "more": "", "shots": []}
    asked: set[str] = set()
    links: set[str] = set()
    try:
        shots = (_shoot(browser, wanted, proxy, asked, links, name, *size) for name, size in WIDTHS.items())
        found["shots"] = await asyncio.gather(*shots)
    except _NotHadError as why:
        found.update(reason=why.args[0], more=why.args[1], shots=[])
    except Error as error:
        found.update(reason=_why(error), more=error.message.splitlines()[0][:200], shots=[])
    return {**found, "left_out": sorted(proxy.left_out & asked)[:20], "links": sorted(links)}


async def _answer() -> None:
    print(json.dumps(await _main(json.load(sys.stdin))), flush=True)
    # Whoever asked ends the browser: closing it in good order takes longer than the pictures.
    os._exit(0)


def _why(error: Error) -> str:
    if isinstance(error, TimeoutError):
        return "too_slow"
    # The proxy refuses what is not the site's; with encryption the browser learns no more than that.
    return "elsewhere" if "ERR_TUNNEL_CONNECTION_FAILED" in error.message else "broke_off"


class _NotHadError(Exception):
    """There is no picture: a code, and more."""


async def _shoot(
    browser: Browser,
    wanted: dict[str, Any],
    proxy: GuardedProxy,
    asked: set[str],
    links: set[str],
    name: str,
    width: int,
    height: int,
) -> dict[str, Any]:
    context = await browser.new_context(
        viewport={"width": width, "height": height},
        user_agent=_AGENT,
        is_mobile=name == "phone",
        has_touch=name == "phone",
        reduced_motion="reduce",
        service_workers="block",
        accept_downloads=False,
        locale=wanted["locale"],
        timezone_id=wanted["zone"],
    )
    page = await context.new_page()
    # What the browser fetches for itself is none of the page's.
    page.on("request", lambda request: asked.add(urlsplit(request.url).netloc))
    context.on("page", lambda other: other.close() if other is not page else None)
    await context.route(lambda url: url.startswith(wanted["tag_origin"] + "/"), lambda route: route.abort())
    if wanted["html"] is not None:
        await context.route(wanted["url"], lambda route: _from_hand(route, wanted["html"]))
    answer = await page.goto(wanted["url"], wait_until="load", timeout=_LOAD_MS)
    if answer is not None and urlsplit(answer.url).netloc not in wanted["hosts"]:
        raise _NotHadError("elsewhere", urlsplit(answer.url).netloc)
    if answer is not None and answer.status == 502 and urlsplit(answer.url).netloc in proxy.not_reached:
        raise _NotHadError("broke_off", "")
    if answer is None or answer.status >= 400:
        raise _NotHadError("status", str(answer.status if answer else ""))
    await _quiet(page)
    full = int(await page.evaluate(_SCROLL, MOST_HEIGHT))
    await _quiet(page)
    # A script may have led on since.
    if urlsplit(page.url).netloc not in wanted["hosts"]:
        raise _NotHadError("elsewhere", urlsplit(page.url).hostname or "")
    met = await page.evaluate(_MET, wanted["selectors"])
    if not wanted["pictures"]:
        await context.close()
        return {"width": name, "met": met}
    await page.add_style_tag(content=_STILL)
    if name == "desktop":
        found = await page.eval_on_selector_all("a[href]", _LINKS)
        links.update(a for a in found if urlsplit(a).netloc in wanted["hosts"] and len(a) <= 2000)
    shown = max(height, min(full, MOST_HEIGHT))
    file = str(Path(wanted["folder"]) / f"{name}.png")
    await page.screenshot(
        path=file,
        full_page=True,
        animations="disabled",
        clip={"x": 0, "y": 0, "width": width, "height": shown},
        timeout=_LOAD_MS,
    )
    await context.close()
    return {"width": name, "height": shown, "cut": full > MOST_HEIGHT, "file": file}


async def _from_hand(route: Route, html: str) -> None:
    await route.fulfill(body=html, content_type="text/html; charset=utf-8")


async def _quiet(page: Page) -> None:
    """Wait until nothing is fetched, or for so long: some pages never rest."""
    with suppress(Error):
        await page.wait_for_load_state("networkidle", timeout=_QUIET_MS)


if __name__ == "__main__":
    asyncio.run(_answer())
