"""Unit tests of what is written in TypeScript, where no browser is needed: one result for each of Vitest's."""

from __future__ import annotations

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

from django.conf import settings


class Units(unittest.TestCase):
    def run_in(self, folder: str, least: int) -> None:
        with tempfile.TemporaryDirectory() as place:
            result = Path(place) / "result.json"
            done = subprocess.run(
                ["node_modules/.bin/vitest", "run", "--reporter=json", f"--outputFile={result}"],
                cwd=settings.BASE_DIR / folder,
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertTrue(result.exists(), done.stdout + done.stderr)
            told = json.loads(result.read_text())
        for file in told["testResults"]:
            self.assertTrue(file["assertionResults"], f"{file['name']}: {file['message']}")
            for one in file["assertionResults"]:
                with self.subTest(one["fullName"]):
                    self.assertEqual(one["status"], "passed", "\n".join(one["failureMessages"]))
        self.assertGreaterEqual(told["numPassedTests"], least)

    def test_the_tag(self) -> None:
        self.run_in("tag", 20)

    def test_the_interface(self) -> None:
        self.run_in("web", 30)
