"""What is kept of looks at pages, when they are due, and who may see them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.collect.pictures import services
from clabo.collect.pictures.models import PageLook, PagePicture
from clabo.collect.pictures.queries import due, looks_of, pictures_of
from clabo.collect.pictures.services import look, store_look, tiles_in
from clabo.collect.pictures.taking import Shot, Taken
from clabo.core.pages.picture_change import Tile
from clabo.judge.notes.services import notes_of
from clabo.platform.accounts.models import Role
from clabo.testing.traffic import START, beacon, event, hit, make_site, make_user, receive

DAY = timedelta(days=1)


def taken(*bits: int) -> Taken:
    """A look at both widths, whose tiles have these hashes."""
    row = [Tile(b, (200, 200, 200)) for b in bits]
    return Taken([Shot(w, 160, False, b"RIFF" + w.encode(), b"RIFFs", [row]) for w in ("desktop", "phone")])


class Looks(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        receive([hit(self.site, START, beacon(v, event("/a"))) for v in (1, 2)])
        receive([hit(self.site, START, beacon(3, event("/b")))])
        self.a, self.b = Page.objects.get(path="/a"), Page.objects.get(path="/b")

    def seen(self, page: Page, days: float, *takes: Taken) -> None:
        left: Sequence[Taken] = list(takes)
        with patch.object(services, "take", side_effect=left) as asked:
            look(self.site, page, START + DAY * days)
        self.assertEqual(asked.call_count, len(takes))

    def test_the_same_page_is_kept_once_and_a_change_beside_it(self) -> None:
        self.seen(self.a, 0, taken(0, 0))
        self.seen(self.a, 1, taken(0, 1))
        [desktop, _] = pictures_of(self.site, self.a.pk)
        self.assertEqual((desktop.taken_at, desktop.seen_at, desktop.changed), (START, START + DAY, None))
        new = 2**40 - 1
        self.seen(self.a, 2, taken(0, new), taken(0, new))
        self.assertEqual(
            [(p.width, p.taken_at, p.changed) for p in pictures_of(self.site, self.a.pk)],
            [(w, START + DAY * 2, [[0, 1]]) for w in ("desktop", "phone")]
            + [(w, START, None) for w in ("desktop", "phone")],
        )
        [looks] = looks_of(self.site)
        self.assertEqual((looks.page_id, looks.changed_at), (self.a.pk, START + DAY * 2))
        day = (START + DAY * 2).astimezone(self.site.zone).date()
        self.assertEqual([(n.kind, n.page_id) for n in notes_of(self.site, day, day)], [("page", self.a.pk)])
        self.assertEqual(notes_of(self.site, day, day, [self.b.pk]), [])

    def test_what_moves_by_itself_is_no_change(self) -> None:
        clock = 2**60 - 1
        self.seen(self.a, 0, taken(0, 0))
        self.seen(self.a, 1, taken(0, clock), taken(0, clock << 90))
        self.assertEqual(PagePicture.objects.count(), 2)
        self.seen(self.a, 2, taken(clock, clock), taken(clock, clock << 90))
        self.assertEqual(pictures_of(self.site, self.a.pk)[0].changed, [[0, 0]])

    def test_a_failed_look_leaves_the_last_picture(self) -> None:
        self.seen(self.a, 0, taken(0))
        self.seen(self.a, 1, Taken(reason="status", more="503", left_out=["x.example"]))
        [looks] = looks_of(self.site)
        self.assertEqual((looks.look.reason, looks.look.more), ("status", "503"))
        assert looks.desktop
        self.assertEqual(looks.desktop.seen_at, START)

    def test_a_change_is_none_without_a_second_look(self) -> None:
        self.seen(self.a, 0, taken(0))
        self.seen(self.a, 1, taken(2**40 - 1), Taken(reason="too_slow"))
        self.assertEqual([p.taken_at for p in pictures_of(self.site, self.a.pk)], [START] * 2)
        self.assertEqual(PageLook.objects.get(page=self.a).reason, "too_slow")

    def test_old_pictures_go(self) -> None:
        with patch.object(services, "MOST_KEPT", 3):
            for n in range(5):
                store_look(self.site, self.a, taken(2 ** (20 * n + 20) - 1), START + DAY * n)
        self.assertEqual(
            [p.taken_at for p in pictures_of(self.site, self.a.pk) if p.width == "phone"],
            [START + DAY * n for n in (4, 3, 2)],
        )
        self.assertEqual(tiles_in([[["ff", 1, 2, 3]]]), [[Tile(255, (1, 2, 3))]])

    def test_when_pages_are_due(self) -> None:
        now = START + DAY

        def paths(at: datetime) -> list[str]:
            return [p.path for p in due(self.site, at)]

        self.assertEqual(paths(now), ["/a", "/b"])
        store_look(self.site, self.a, taken(0), now)
        store_look(self.site, self.b, Taken(reason="status", more="500"), now)
        self.assertEqual(paths(now + timedelta(hours=5)), [])
        self.assertEqual(paths(now + timedelta(hours=7)), ["/b"])
        self.assertEqual(paths(now + DAY), ["/a", "/b"])
        PageLook.objects.filter(page=self.b).update(reason="")
        with patch("clabo.collect.pictures.queries._BUSY", 1):
            self.assertEqual(paths(now + DAY), ["/a"])
            self.assertEqual(paths(now + DAY * 7), ["/a", "/b"])

    def test_the_pictures_themselves(self) -> None:
        store_look(self.site, self.a, taken(0), datetime.now(UTC))
        self.client.force_login(make_user(self.site, Role.VIEWER, "v@shop.example"))
        [found] = self.client.get(f"/api/sites/{self.site.pk}/pictures").json()
        here = f"/api/sites/{self.site.pk}/pictures/{found['desktop']['id']}"
        whole, small = self.client.get(here), self.client.get(here + "?small=true")
        self.assertEqual((whole.content, small.content), (b"RIFFdesktop", b"RIFFs"))
        self.assertEqual(whole["content-type"], "image/webp")
        self.assertIn("private", whole["cache-control"])
        self.client.force_login(make_user(make_site(), Role.OWNER, "o@other.example"))
        self.assertEqual(self.client.get(here).status_code, 404)
