"""What a kind of spend file must do."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Protocol


class Format(Protocol):
    """A module that reads one kind of file into rows of texts."""

    def is_mine(self, start: bytes) -> bool:
        """Whether a file that begins with `start` is of this kind."""

    def ways(self, path: Path) -> Iterable[tuple[str, str]]:
        """The ways the file could be read, as (encoding, delimiter); raises Problem where there is none."""

    def rows(self, path: Path, encoding: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
        """(line number from 1, cells) of every row read that way; raises Problem naming the line."""
