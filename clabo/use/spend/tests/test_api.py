"""A spend file through the API: looked at, read otherwise, taken in, out again."""

from __future__ import annotations

from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from clabo.testing.asking import Member
from clabo.testing.traffic import START, make_site, receive, walk
from clabo.testing.uploads import own_uploads


class OverTheApi(TestCase):
    def setUp(self) -> None:
        own_uploads(self)
        self.site = make_site()
        self.member = Member(self.site)

    def upload(self, content: str, status: int = 200) -> Any:
        file = SimpleUploadedFile("../../odd name.csv", content.encode())
        answer = self.member.client.post(f"{self.member.base}/spend/files", {"file": file})
        self.assertEqual(answer.status_code, status, answer.content)
        return Member.read(answer)

    def test_from_upload_to_undo(self) -> None:
        receive(walk(self.site, 1, START, "/a?utm_source=meadow&utm_medium=cpc&utm_campaign=autumn"))
        check = self.upload("Datum;Kampagne;Kosten\n05.10.2026;autumn;12,50\n06.10.2026;autumn;x\n")
        self.assertEqual((check["good"], check["bad_count"], check["importable"]), (0, 2, False))
        reading = {**check["reading"], "source": "meadow"}
        path = f"/spend/files/{check['id']}"
        again = self.member.ask("POST", path + "/check", reading)
        self.assertEqual([(b["line"], b["field"]) for b in again["bad"]], [(3, "cost")])
        refused = self.member.ask("POST", path + "/import", reading, status=422)
        self.assertEqual(refused["field"], "rows")
        self.assertEqual(self.member.ask("GET", "/spend")["imports"], [])

        check = self.upload("Datum;Kampagne;Kosten\n05.10.2026;autumn;12,50\n")
        path = f"/spend/files/{check['id']}"
        done = self.member.ask("POST", path + "/import", {**check["reading"], "source": "meadow"})
        self.assertEqual((done["rows"], float(done["cost"]), done["state"]), (1, 12.5, "done"))
        self.member.ask("POST", path + "/undo", status=204)
        self.assertEqual(self.member.ask("GET", "/spend")["imports"][0]["state"], "undone")

    def test_what_is_no_table_is_a_problem_of_the_file(self) -> None:
        self.assertEqual(self.upload("just a letter", status=422)["field"], "file")
