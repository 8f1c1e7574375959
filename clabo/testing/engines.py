"""Real engines driven through pages step by step, by tag/tests/drive.mjs."""

from __future__ import annotations

import json
import subprocess
from typing import Any

from django.conf import settings

from clabo.testing.traffic import BROWSER

ENGINES = {"chrome": "/usr/bin/chromium", "firefox": "/usr/bin/firefox-esr"}


def drive(engine: str, cases: list[dict[str, Any]], at_once: int = 1) -> dict[str, list[str]]:
    """What the pages of each case threw: cases have `name`, `url`, `steps` and `hold` (milliseconds at the end)."""
    what = {
        "engine": engine,
        "executable": ENGINES[engine],
        "agent": BROWSER,
        "at_once": at_once,
        "cases": cases,
    }
    done = subprocess.run(
        ["node", "tests/drive.mjs"],
        cwd=settings.BASE_DIR / "tag",
        input=json.dumps(what),
        capture_output=True,
        text=True,
        timeout=400,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    results = [json.loads(row) for row in done.stdout.splitlines() if row.startswith("{")]
    return {r["name"]: r["errors"] for r in results}
