"""The examples in the core's docstrings run, and give what they say."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest

from clabo import core


def modules() -> list[str]:
    found = pkgutil.walk_packages(core.__path__, "clabo.core.")
    return sorted(m.name for m in found if ".tests" not in m.name)


class Examples(unittest.TestCase):
    """One test case for all of them: a suite of doctests holds modules, and cannot be sent to another process."""

    def test_they_run_and_give_what_they_say(self) -> None:
        tried = 0
        for name in modules():
            module = importlib.import_module(name)
            own = {**vars(importlib.import_module("clabo.core.evidence")), **vars(module)}
            for example in doctest.DocTestFinder().find(module, globs=own):
                said: list[str] = []
                result = doctest.DocTestRunner().run(example, out=said.append)
                tried += result.attempted
                with self.subTest(example.name):
                    self.assertEqual(result.failed, 0, "".join(said))
        self.assertGreater(tried, 60)

    def test_there_are_examples_for_every_public_function_of_evidence(self) -> None:
        evidence = importlib.import_module("clabo.core.evidence")
        functions = [getattr(evidence, n) for n in evidence.__all__ if callable(getattr(evidence, n))]
        without = [
            f.__name__ for f in functions if not isinstance(f, type) and ">>> " not in (f.__doc__ or "")
        ]
        self.assertEqual(without, [])
