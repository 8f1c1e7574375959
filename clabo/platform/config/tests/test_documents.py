"""Documents name files and benches that exist."""

from __future__ import annotations

import re
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).parents[4]
DOCUMENTS = [*ROOT.glob("docs/*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md"]
WITHIN = ("", "clabo", "clabo/core", "web", "web/src", "tag", "tag/src", "docs", "deploy", "tools")
SUFFIXES = ("", ".py", ".ts", ".tsx")
_FILE = re.compile(r"`([\w.-]+/[\w./-]*|[\w-]+\.(?:py|ts|tsx|mjs|sh|toml))`")
_BENCH = re.compile(r"\./bench/run ([a-z]+(?: [a-z]+)*)`")
# What a walk through a change would make.
TO_BE_MADE = {"clabo/core/rules/conditions/language.py"}


def exists(name: str) -> bool:
    name = name.rstrip("/")
    if any((ROOT / part / (name + suffix)).exists() for part in WITHIN for suffix in SUFFIXES):
        return True
    return any(
        next((ROOT / part).rglob(name), None)
        for part in ("clabo", "practice_network", "web/src", "tag/src", "tools")
    )


class Documents(TestCase):
    def test_files(self) -> None:
        named = [
            (path.name, name)
            for path in DOCUMENTS
            for name in _FILE.findall(path.read_text())
            # A media type is no file, and what a running Clabo keeps is not in the tree.
            if name not in TO_BE_MADE and not name.startswith((".local", "application/", "text/", "image/"))
        ]
        self.assertGreater(len(named), 100)
        self.assertEqual([(path, name) for path, name in named if not exists(name)], [])
        self.assertFalse(exists("clabo/nothing.py"))

    def test_benches(self) -> None:
        for path in DOCUMENTS:
            for words in _BENCH.findall(path.read_text()):
                for name in words.split():
                    self.assertTrue(any(ROOT.glob(f"bench/*/{name}.py")), f"{path.name}: {name}")
