"""What does not fit is said when Django starts, and not when it is first called."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from unittest import TestCase
from unittest.mock import patch

from django.core import checks

from clabo.collect.pipeline.hooks import after_batch
from clabo.platform import registry
from clabo.platform.registry import Registry


class Registering(TestCase):
    def setUp(self) -> None:
        hidden = patch.object(registry, "_registries", [])
        hidden.start()
        self.addCleanup(hidden.stop)
        self.hooks: Registry[Callable[..., Any]] = Registry("hook", ("batch",))

    def said(self) -> list[str]:
        return [problem.msg for problem in registry.registered()]

    def test_what_fits_is_kept_in_order(self) -> None:
        self.hooks.add("b", lambda batch: None)
        self.hooks.add("a", lambda batch, more=1: None)
        self.assertEqual((list(self.hooks.all()), self.said()), (["b", "a"], []))
        with self.assertRaises(TypeError):
            self.hooks.all()["c"] = print  # type: ignore[index]

    def test_what_cannot_be_called_so_is_named(self) -> None:
        async def slow(batch: object) -> None: ...

        for name, function in (
            ("none", None),
            ("few", lambda: None),
            ("many", lambda a, b: None),
            ("slow", slow),
        ):
            self.hooks.add(name, function)  # type: ignore[arg-type]
        said = self.said()
        self.assertEqual([text.split("“")[1].split("”")[0] for text in said], ["none", "few", "many", "slow"])
        self.assertIn("cannot be called as it will be", said[1])

    def test_two_of_one_name_but_not_the_same_twice(self) -> None:
        self.hooks.add("a", print)
        self.hooks.add("a", print)
        self.assertEqual(self.said(), [])
        self.hooks.add("a", repr)
        self.assertEqual(self.said(), ["Two functions are registered as hook “a”."])


class Here(TestCase):
    def test_what_the_apps_register_fits(self) -> None:
        self.assertEqual(registry.registered(), [])
        self.assertEqual(list(after_batch.all()), ["presence", "conversions", "spend", "splits", "delivery"])

    def test_django_asks(self) -> None:
        with patch.dict(after_batch._functions, {"wrong": lambda: None}):
            found = [problem.id for problem in checks.run_checks()]
        self.assertIn("clabo.E002", found)
