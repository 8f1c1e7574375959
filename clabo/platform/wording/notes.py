"""What Clabo itself notes on a day."""

from __future__ import annotations


def rule_made(name: str) -> str:
    return f"The conversion {name.replace('_', ' ')} was made."


def rule_changed(name: str) -> str:
    return f"What counts as {name.replace('_', ' ')} was changed."


def test_started(name: str) -> str:
    return f"The split test “{name}” began."


def test_ended(name: str) -> str:
    return f"The split test “{name}” ended."


def spend_taken_in(file_name: str) -> str:
    return f"The spend file {file_name} was taken in."


def page_changed(path: str) -> str:
    return f"The page {path} was seen to have changed."
