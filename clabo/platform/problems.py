"""Errors that a person can act on."""

from __future__ import annotations


class Problem(Exception):
    """Something asked for cannot be done. `detail` says what is wrong and what to do; `field` where."""

    def __init__(self, detail: str, field: str = "", status: int = 422) -> None:
        super().__init__(detail)
        self.detail, self.field, self.status = detail, field, status


def missing(what: str) -> Problem:
    """The answer for what does not exist, and for what is not this person's to know of."""
    return Problem(f"This {what} does not exist, or you have no access to it.", status=404)
