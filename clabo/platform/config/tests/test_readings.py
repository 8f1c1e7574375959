"""Whoever reads an address that somebody has written says by which site's settings."""

from __future__ import annotations

import ast
from pathlib import Path
from unittest import TestCase

import clabo

ROOT = Path(clabo.__file__).parent
READERS = {"parse", "read_what", "part_of"}
FROM = {"rules", "audiences", ""}
# Words for what was read already: their rules are in the form that the site's pages have.
FREE = {"platform/wording/rules/language.py", "platform/wording/rules/rehearsals.py"}
# Only the shape of a definition is asked for, none of its addresses.
SHAPES = {"use/plans/content.py"}


def careless(source: str) -> list[int]:
    """Lines on which a rule, a definition or a step is read without saying how."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.Call) or len(node.args) + len(node.keywords) != 1:
            continue
        called = node.func
        if isinstance(called, ast.Attribute) and isinstance(called.value, ast.Name):
            name, of = called.attr, called.value.id
        else:
            name, of = (called.id, "") if isinstance(called, ast.Name) else ("", "")
        if name in READERS and of in FROM and (name, of) != ("parse", ""):
            found.append(node.lineno)
    return found


class Readings(TestCase):
    def test_every_reader_is_given_the_sites_reading(self) -> None:
        looked_at = 0
        for path in ROOT.rglob("*.py"):
            place = path.relative_to(ROOT).as_posix()
            if "/tests/" in place or place.startswith(("core/", "network/")) or place in FREE | SHAPES:
                continue
            looked_at += 1
            self.assertEqual(careless(path.read_text()), [], place)
        self.assertGreater(looked_at, 200)

    def test_it_sees_one_that_forgets(self) -> None:
        self.assertEqual(careless("x = rules.parse(a)\ny = rules.parse(a, b)\nz = read_what(c)"), [1, 3])
