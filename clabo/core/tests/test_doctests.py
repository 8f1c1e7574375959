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


def load_tests(
    loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None
) -> unittest.TestSuite:
    for name in modules():
        module = importlib.import_module(name)
        own = {**vars(importlib.import_module("clabo.core.evidence")), **vars(module)}
        tests.addTests(doctest.DocTestSuite(module, globs=own))
    return tests


class Examples(unittest.TestCase):
    def test_there_are_examples_for_every_public_function_of_evidence(self) -> None:
        evidence = importlib.import_module("clabo.core.evidence")
        functions = [getattr(evidence, n) for n in evidence.__all__ if callable(getattr(evidence, n))]
        without = [
            f.__name__ for f in functions if not isinstance(f, type) and ">>> " not in (f.__doc__ or "")
        ]
        self.assertEqual(without, [])
