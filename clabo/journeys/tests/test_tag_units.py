"""The tag's own unit tests, where no browser is needed: one result for each of Vitest's."""

from __future__ import annotations

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

from django.conf import settings

TAG = settings.BASE_DIR / "tag"


class TagUnits(unittest.TestCase):
    def test_all_of_them(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            result = Path(folder) / "result.json"
            done = subprocess.run(
                ["node_modules/.bin/vitest", "run", "--reporter=json", f"--outputFile={result}"],
                cwd=TAG,
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
        self.assertGreaterEqual(told["numPassedTests"], 20)
