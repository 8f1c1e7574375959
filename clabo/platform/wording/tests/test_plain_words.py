"""How Clabo speaks: what is shown to people has no word that has to be guessed."""

from __future__ import annotations

import ast
import re
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).parents[4]
BANNED = (
    *(
        "take out",
        "take it out",
        "taken out",
        "put away",
        "let it rest",
        "throw away",
        "throw it away",
        "taken over",
    ),
    *("take a variant over", "back into the list", "let it go on so", "set aside", "ask again in a week"),
    *("made up", "made-up", "background work", "look again", "tired of it", "cut to size", "each saw it"),
    *("told apart", "cost of one", "cost for one", "by lot", "at nought", "whoever", "take back"),
)
_BANNED = re.compile(r"\b(" + "|".join(map(re.escape, BANNED)) + r")\b", re.IGNORECASE)
# "Leave it" is a button's only where nothing follows.
_BUTTON = re.compile(r"[>\"]Leave it[<\"]")


def without_comments(script: str) -> str:
    script = re.sub(r"/\*.*?\*/", "", script, flags=re.DOTALL)
    return re.sub(r"(^|[\s{;(])//[^\n]*", r"\1", script)


def shown_by(tree: ast.Module) -> list[str]:
    """Strings of Python that are no docstrings."""
    docs = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    found = (n for n in ast.walk(tree) if isinstance(n, ast.Constant) and id(n) not in docs)
    return [n.value for n in found if isinstance(n.value, str)]


class Plain(TestCase):
    def test_the_interface(self) -> None:
        scripts = [*ROOT.glob("web/src/**/*.ts*"), *ROOT.glob("tag/src/**/*.ts")]
        self.assertGreater(len(scripts), 150)
        for path in scripts:
            if ".gen." in path.name:
                continue
            script = without_comments(path.read_text())
            found = [m.group() for m in (*_BANNED.finditer(script), *_BUTTON.finditer(script))]
            self.assertEqual(found, [], path.name)

    def test_what_the_server_says(self) -> None:
        """Errors, mails, findings, headings of exports."""
        modules = [*ROOT.glob("clabo/platform/wording/*.py"), *ROOT.glob("clabo/platform/outputs/*.py")]
        modules += [p for p in ROOT.glob("clabo/**/*.py") if "Problem(" in p.read_text()]
        modules = [p for p in modules if "tests" not in p.parts]
        self.assertGreater(len(modules), 60)
        for path in modules:
            for text in shown_by(ast.parse(path.read_text())):
                self.assertIsNone(_BANNED.search(text), f"{path.name}: {text}")

    def test_it_can_fail(self) -> None:
        self.assertTrue(_BANNED.search("Take out this line"))
        self.assertTrue(_BUTTON.search("<Button>Leave it</Button>"))
        self.assertNotIn("whoever", without_comments("/* whoever */ let a = 1; // whoever"))
        self.assertEqual(shown_by(ast.parse('def f():\n  """whoever"""\n  return "x"')), ["x"])
