"""Pictures of real pages, by a real browser."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from io import BytesIO

from django.conf import settings
from django.test import TestCase, override_settings
from PIL import Image

from clabo.collect.events.models import Event, Page
from clabo.collect.pictures import taking
from clabo.collect.pictures.taking import SMALL_BYTES, Taken, take, tiles_of
from clabo.setup.sites.services import set_hosts
from clabo.testing.browsing import OwnPages
from clabo.testing.traffic import make_site

NOW = datetime(2026, 11, 20, 12, tzinfo=UTC)
HTML = """<!doctype html><meta name=viewport content="width=device-width"><title>Hives</title>
<body style="margin:0;background:#123456"><h1 style="color:#fff">Hives</h1><div style="height:2400px"></div>"""


class Taking(TestCase):
    def setUp(self) -> None:
        self.own, self.inner = OwnPages(), OwnPages()
        self.addCleanup(self.own.stop)
        self.addCleanup(self.inner.stop)
        self.site = make_site(is_demo=True)
        set_hosts(self.site, [(self.own.host, "")])
        local = override_settings(CLABO_LOCAL_ORIGINS=[self.own.url])
        local.enable()
        self.addCleanup(local.disable)

    def take(self, html: str, path: str = "/") -> Taken:
        self.own.pages[path] = html
        page = Page(site=self.site, host=self.own.host, path=path, first_at=NOW, last_at=NOW)
        return take(self.site, page)

    def test_the_whole_page_at_both_widths(self) -> None:
        found = self.take(HTML)
        self.assertEqual((found.reason, [s.width for s in found.shots]), ("", ["desktop", "phone"]))
        for shot, wide in zip(found.shots, (1280, 390), strict=True):
            whole = Image.open(BytesIO(shot.whole)).convert("RGB")
            self.assertEqual(whole.size, (wide, shot.height))
            self.assertGreater(shot.height, 2400)
            self.assertFalse(shot.cut)
            self.assertLessEqual(len(shot.small), SMALL_BYTES)
            red, green, blue = whole.getpixel((wide - 2, shot.height - 2))  # type: ignore[misc]
            self.assertLess(max(abs(red - 0x12), abs(green - 0x34), abs(blue - 0x56)), 6)

    def test_what_is_not_the_sites_is_left_out_and_the_tag_is_not_loaded(self) -> None:
        self.inner.pages["/secret"] = "<script>document.title='reached'</script>"
        with override_settings(CLABO_COLLECT_URL=self.own.url):
            found = self.take(
                f"""<title>x</title><iframe src="{self.inner.url}/secret"></iframe><img src="{self.inner.url}/i.png">
                <script src="{self.own.url}/tag/abc.js"></script>"""
            )
        # Served from the site's own host, the tag is not asked for either; so the whole page is not.
        self.assertEqual(found.reason, "broke_off")
        found = self.take(f'<iframe src="{self.inner.url}/secret"></iframe>')
        self.assertEqual((found.reason, found.left_out), ("", [self.inner.host]))
        self.assertEqual(Event.objects.count(), 0)

    def test_pages_that_are_none(self) -> None:
        moved = f'<script>location.replace("{self.inner.url}/secret")</script>'
        self.assertEqual(self.take(moved).reason, "elsewhere")
        page = Page(site=self.site, host=self.own.host, path="/none", first_at=NOW, last_at=NOW)
        self.assertEqual((take(self.site, page).reason, take(self.site, page).more), ("status", "404"))
        page.host = "gone.example"
        self.assertEqual(take(self.site, page).reason, "elsewhere")
        with override_settings(CLABO_CHROMIUM="/nowhere/chromium"):
            self.assertEqual(self.take(HTML).reason, "no_browser")

    def test_hostile_pages(self) -> None:
        found = self.take("<body style='height:900000px'><script>alert(1); open('/'); print()</script>tall")
        self.assertEqual((found.reason, found.shots[0].height, found.shots[0].cut), ("", 8000, True))
        with self.settings(), override_settings():
            taking.MOST_SECONDS, usual = 4, taking.MOST_SECONDS
            try:
                begun = datetime.now(UTC)
                self.assertEqual(self.take("<script>for(;;);</script>").reason, "too_slow")
                self.assertLess(datetime.now(UTC) - begun, timedelta(seconds=15))
            finally:
                taking.MOST_SECONDS = usual

    def test_tiles(self) -> None:
        image = Image.new("RGB", (700, 200), (10, 20, 30))
        tiles = tiles_of(image)
        self.assertEqual([len(row) for row in tiles], [3, 3])
        self.assertTrue(all(t.bits == 0 and t.colour == (10, 20, 30) for row in tiles for t in row))
        self.assertTrue(settings.CLABO_CHROMIUM)
