"""Five hundred pages as pictures, scrolled through in headless Chromium: the time between frames."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.test import Client
from PIL import Image
from playwright.sync_api import sync_playwright

from bench.common import fresh_site, machine, table
from bench.speed.collector import serve
from clabo.collect.events.models import Origin, Page, TrafficDay
from clabo.collect.pictures.models import PagePicture
from clabo.collect.pictures.taking import SMALL, SMALL_BYTES, small_of
from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import Site
from clabo.testing.browsing import CHROMIUM
from clabo.testing.traffic import make_user

PAGES, DAYS = 500, 28

# Sixty pixels in every frame, a fast turn of the wheel, until the end; every frame's time, in ms.
SCROLL = """async () => {
  const times = [];
  let at = performance.now(), drawn = 0;
  while (scrollY + innerHeight < document.documentElement.scrollHeight - 2) {
    scrollBy(0, 60);
    await new Promise(requestAnimationFrame);
    const now = performance.now();
    times.push(now - at);
    at = now;
    drawn = Math.max(drawn, document.querySelectorAll("[data-card]").length);
  }
  return { times, drawn };
}"""


def fill(site: Site) -> int:
    """Pages with entries every day and a picture each; the bytes of the largest picture."""
    chance = np.random.default_rng(5)
    now = datetime.now(UTC)
    pages = Page.objects.bulk_create(
        Page(
            site=site, host="shop.example", path=f"/page-{i}", first_at=now - timedelta(days=90), last_at=now
        )
        for i in range(PAGES)
    )
    origin = Origin.objects.create(
        site=site, channel="paid", source="meadow", campaign="autumn", fingerprint="0" * 32
    )
    TrafficDay.objects.bulk_create(
        TrafficDay(
            site=site,
            day=(now - timedelta(days=back)).date(),
            page=page,
            origin=origin,
            device=1,
            entries=(n := int(chance.integers(50, 900))),
            views=2 * n,
            begun_views=2 * n,
            bounces=n // 2,
            exits=n,
        )
        for page in pages
        for back in range(DAYS)
    )
    pictures = []
    for page in pages:
        # Coarse noise: no picture of a page is harder to make small.
        noise = Image.fromarray(chance.integers(0, 255, (100, 160, 3), dtype=np.uint8))
        small = small_of(noise.resize((1280, 800)))
        pictures.append(
            PagePicture(
                site=site,
                page=page,
                width="desktop",
                taken_at=now,
                seen_at=now,
                height=800,
                whole=small,
                small=small,
                tiles=[],
            )
        )
    PagePicture.objects.bulk_create(pictures)
    return max(len(p.small) for p in pictures)


def main() -> None:
    print(machine())
    site = fresh_site()
    call_command("createcachetable")
    largest = fill(site)
    assert largest <= SMALL_BYTES
    client = Client()
    user = make_user(site, Role.VIEWER, f"bench-{site.pk}@shop.example")
    client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")
    cookie = client.cookies[settings.SESSION_COOKIE_NAME].value
    connection.close()
    process, port = serve("clabo.platform.config.asgi:application")
    rows: list[list[object]] = []
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            for name, width, height in (("1280 × 800", 1280, 800), ("390 × 844", 390, 844)):
                context = browser.new_context(viewport={"width": width, "height": height})
                context.add_cookies(
                    [
                        {
                            "name": settings.SESSION_COOKIE_NAME,
                            "value": cookie,
                            "url": f"http://localhost:{port}",
                        }
                    ]
                )
                page = context.new_page()
                page.goto(f"http://localhost:{port}/s/{site.pk}/pages?as=wall")
                page.get_by_role("button", name="Show them all the same").click()
                page.locator("[data-card]").first.wait_for()
                page.wait_for_load_state("networkidle")
                found = page.evaluate(SCROLL)
                times = sorted(found["times"])
                rows.append(
                    [
                        name,
                        len(times),
                        found["drawn"],
                        f"{times[len(times) // 2]:.1f}",
                        f"{times[len(times) * 99 // 100]:.1f}",
                        f"{times[-1]:.1f}",
                        sum(t > 50 for t in times),
                    ]
                )
                context.close()
            browser.close()
    finally:
        process.terminate()
        process.wait()
    print(f"{PAGES} pages, pictures of {SMALL[0]} × {SMALL[1]}, the largest {largest:,} bytes")
    table(
        ["window", "frames", "cards drawn at most", "median ms", "99th ms", "worst ms", "longer than 50 ms"],
        rows,
    )


if __name__ == "__main__":
    main()
