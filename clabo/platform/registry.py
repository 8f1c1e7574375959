"""What apps add to each other: named functions, registered in `AppConfig.ready()` and checked when Django starts."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, Generic, TypeVar

from django.core import checks

F = TypeVar("F", bound=Callable[..., Any])
_registries: list[Registry[Any]] = []


class Registry(Generic[F]):
    """Functions of one kind by name, in the order of INSTALLED_APPS.

    `what` names the kind in error messages; `takes` are the names of what each function is called with, in order.
    """

    def __init__(self, what: str, takes: tuple[str, ...]) -> None:
        self.what, self.takes = what, takes
        self._functions: dict[str, F] = {}
        self._twice: list[str] = []
        _registries.append(self)

    def add(self, name: str, function: F) -> None:
        """Register `function`; the system check says so where the name is taken or the function does not fit."""
        if self._functions.get(name, function) is not function:
            self._twice.append(name)
        self._functions[name] = function

    def all(self) -> Mapping[str, F]:
        """What is registered, by name."""
        return MappingProxyType(self._functions)

    def problems(self) -> list[checks.Error]:
        """What is wrong with what is registered."""
        found = [
            checks.Error(f"Two functions are registered as {self.what} “{name}”.", id="clabo.E001")
            for name in self._twice
        ]
        for name, function in self._functions.items():
            if misfit := self._misfit(function):
                hint = f"It is called with: {', '.join(self.takes) or 'nothing'}."
                found.append(checks.Error(f"The {self.what} “{name}” {misfit}.", hint=hint, id="clabo.E002"))
        return found

    def _misfit(self, function: Any) -> str:
        if not callable(function):
            return "is no function"
        try:
            inspect.signature(function).bind(*self.takes)
        except TypeError as error:
            return f"cannot be called as it will be: {error}"
        return "is a coroutine, which nobody awaits" if inspect.iscoroutinefunction(function) else ""


@checks.register
def registered(**kwargs: Any) -> list[checks.Error]:
    """Every registry's problems."""
    return [problem for registry in _registries for problem in registry.problems()]
