"""The same work for many, of whom none may keep the others from theirs."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable
from typing import TypeVar

from django.db import InterfaceError, OperationalError

T = TypeVar("T")
log = logging.getLogger(__name__)


def for_each(things: Iterable[T], work: Callable[[T], object], name: str) -> None:
    """Do `work` with each of `things`; what it raises for one is logged under `name`, and the next is taken.

    Raises the database's error when it is away: that is nobody's own trouble.
    """
    for thing in things:
        try:
            work(thing)
        except (OperationalError, InterfaceError):
            raise
        except Exception:
            log.exception("%s failed for %r; the others go on", name, thing)
