"""Pictures that are kept for variants: drawn anew, given to everybody, and what is none refused."""

from __future__ import annotations

import random
from io import BytesIO
from unittest.mock import patch
from urllib.parse import urlsplit

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from clabo.judge.splits import services
from clabo.judge.splits.editor import images
from clabo.judge.splits.editor.images import MOST_BYTES
from clabo.judge.splits.editor.sessions import edit_address, open_session
from clabo.judge.splits.models import KeptPicture, SplitTest
from clabo.judge.splits.tests.test_content import ContentCase
from clabo.judge.splits.tests.test_editing import ORIGIN
from clabo.platform.accounts.models import Role
from clabo.platform.problems import Problem
from clabo.testing.asking import Member
from clabo.testing.traffic import make_user


def picture(size: tuple[int, int] = (30, 20), kind: str = "PNG", **more: object) -> bytes:
    out = BytesIO()
    Image.new("RGB", size, "#5b2a66").save(out, kind, **more)
    return out.getvalue()


class Kept(ContentCase):
    def setUp(self) -> None:
        super().setUp()
        self.editor = make_user(self.site, Role.EDITOR, "ed@shop.example")

    def sent(self, data: bytes) -> tuple[int, dict[str, str]]:
        client = Client()
        client.force_login(self.editor, backend="allauth.account.auth_backends.AuthenticationBackend")
        file = SimpleUploadedFile("hive.png", data)
        answer = client.post(f"/api/sites/{self.site.pk}/tests/pictures", {"picture": file})
        return answer.status_code, answer.json()

    def test_it_is_drawn_anew_and_given_to_everybody(self) -> None:
        # Where it was taken stays with whoever took it.
        exif = Image.Exif()
        exif[0x010E] = "taken in the garden"
        status, said = self.sent(picture((3000, 30), "JPEG", exif=exif))
        self.assertEqual(status, 200, said)
        answer = Client().get(urlsplit(said["address"]).path)
        self.assertEqual((answer.status_code, answer["content-type"]), (200, "image/webp"))
        self.assertIn("immutable", answer["cache-control"])
        self.assertNotIn(b"garden", answer.content)
        with Image.open(BytesIO(answer.content)) as shown:
            self.assertEqual((shown.format, shown.size), ("WEBP", (2400, 24)))
        # The same once more is the same.
        self.assertEqual(self.sent(picture((3000, 30), "JPEG", exif=exif))[1], said)
        self.assertEqual(KeptPicture.objects.count(), 1)
        change = {"picture": {"selector": "img", "address": said["address"]}}
        services.save_test(self.site, self.drafted(changes=[[], [change]]))

    def test_what_is_no_picture(self) -> None:
        gif = picture((10, 10), "GIF")
        svg = b"<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>"
        for data, status in (
            (b"", 415),
            (svg, 415),
            (picture()[:60], 415),
            (b"GIF89a" + b"\0" * 40, 415),
            (picture((5000, 4000)), 413),
            # Its head says so, and nothing of it has to be decoded.
            (gif[:6] + (30_000).to_bytes(2, "little") * 2 + gif[10:], 413),
            (picture((9000, 8000), "JPEG"), 413),
            (b"\x89PNG" + b"x" * MOST_BYTES, 413),
        ):
            found, said = self.sent(data)
            self.assertEqual((found, said["field"]), (status, "picture"), data[:20])
        for path in ("/kept/x.webp", f"/kept/{'0' * 64}.webp"):
            self.assertEqual(Client().get(path).status_code, 404)
        self.assertFalse(KeptPicture.objects.exists())

    def opened(self, test: SplitTest) -> Client:
        """What the editor of B is on the page."""
        ticket = edit_address(test, "B", self.editor).partition("#clabo=edit-")[2]
        token = open_session(ticket, ORIGIN)[0]
        return Client(headers={"origin": ORIGIN, "authorization": f"Bearer {token}"})

    def test_a_photo_of_a_phone(self) -> None:
        status, said = self.sent(picture((8000, 6000), "JPEG"))
        self.assertEqual(status, 200, said)
        with Image.open(BytesIO(KeptPicture.objects.get().data)) as shown:
            self.assertEqual(shown.size, (2400, 1800))

    def test_what_decodes_for_ever_is_ended(self) -> None:
        with (
            patch.object(images, "MOST_SECONDS", 0.01),
            self.assertRaises(Problem) as caught,
        ):
            images.store_image(self.site, picture())
        self.assertEqual((caught.exception.status, KeptPicture.objects.count()), (413, 0))

    def test_the_editor_sends_one_by_its_link(self) -> None:
        test = services.save_test(self.site, self.drafted())
        editor = self.opened(test)
        answer = editor.post("/edit/picture", picture(), "text/plain")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(answer["access-control-allow-origin"], "*")
        self.assertEqual(Client().get(urlsplit(answer.json()["address"]).path).status_code, 200)
        self.assertEqual(editor.get("/edit/picture").status_code, 405)
        forged = Client(headers={"origin": ORIGIN, "authorization": "Bearer " + "0" * 43})
        self.assertEqual(forged.post("/edit/picture", picture(), "text/plain").status_code, 404)
        self.assertEqual(KeptPicture.objects.count(), 1)

    def test_one_of_several_megabytes(self) -> None:
        # Noise, so that nothing makes it small.
        large = BytesIO()
        Image.frombytes("RGB", (900, 900), random.Random(3).randbytes(900 * 900 * 3)).save(large, "PNG")
        self.assertGreater(len(large.getvalue()), 2 << 20)
        self.assertEqual(self.sent(large.getvalue())[0], 200)
        test = services.save_test(self.site, self.drafted())
        editor = self.opened(test)
        answer = editor.post("/edit/picture", large.getvalue(), "text/plain")
        self.assertEqual(answer.status_code, 200, answer.content)
        answer = editor.post("/edit/picture", b"x" * (MOST_BYTES + 1), "text/plain")
        self.assertEqual((answer.status_code, answer.json()["field"]), (413, "picture"))

    def test_markup_and_rules_come_back_as_they_were_written(self) -> None:
        markup = {"html": {"selector": "h1", "place": "after", "html": "<p>New</p>"}}
        sheet = {"sheet": {"css": "h1 { color: red }"}}
        test = services.save_test(self.site, self.drafted(changes=[[], [markup, sheet]]))
        editor = self.opened(test)
        told = editor.post("/edit/draft", [markup, sheet], "application/json").json()["changes"]
        self.assertEqual(told[0]["html"]["nodes"], [["p", {}, ["New"]]])
        self.assertEqual(told[1]["sheet"]["rules"], ["h1{color:red;}"])
        answer = editor.post("/edit/draft", told, "application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(test.variants.get(letter="B").changes, [markup, sheet])
        said = Member(self.site).ask("GET", f"/tests/{test.pk}")["test"]["variants"][1]["says"]
        self.assertEqual(said, ["markup of its own stands after h1", "a style sheet of its own for h1"])
