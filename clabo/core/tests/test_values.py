"""What the core hands out cannot be changed by whoever gets it."""

from __future__ import annotations

import dataclasses
import importlib
import pkgutil
from unittest import TestCase

import clabo.core

# Built up step by step while they are read, or handed on from hit to hit.
GROWING = {"Stretch", "Hit", "_Script", "_Reader", "Guess", "_Lines"}


class Values(TestCase):
    def test_each_is_frozen_and_slotted(self) -> None:
        seen = 0
        for module in pkgutil.walk_packages(clabo.core.__path__, "clabo.core."):
            if ".tests" in module.name:
                continue
            for name, one in vars(importlib.import_module(module.name)).items():
                if (
                    not (isinstance(one, type) and dataclasses.is_dataclass(one))
                    or one.__module__ != module.name
                ):
                    continue
                growing = not one.__dataclass_params__.frozen  # type: ignore[attr-defined]
                with self.subTest(f"{module.name}.{name}"):
                    self.assertEqual(growing, name in GROWING)
                    self.assertTrue(growing or hasattr(one, "__slots__"))
                seen += 1
        self.assertGreater(seen, 40)
