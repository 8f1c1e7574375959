"""A kept view asked anew: what its words mean today."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import ValidationError

from clabo.judge.columns.services import columns_of
from clabo.judge.reports.answers import pages_out
from clabo.judge.reports.lens_params import LensIn, lens_from
from clabo.judge.reports.schemas import PageRowOut, PagesOut
from clabo.judge.saved.models import SavedView
from clabo.judge.sources.answers import sources_out
from clabo.judge.sources.dimensions import read_within
from clabo.judge.sources.schemas import SourceRowOut, SourcesIn, SourcesOut
from clabo.platform.outputs.answering import own_of
from clabo.platform.outputs.tables import Table, table_of
from clabo.platform.problems import Problem
from clabo.platform.shapes import Shape

S = TypeVar("S", bound=Shape)
_DISTINCT = {"visitors", "new_visitors", "views_per_visitor"}


def answer_of(view: SavedView, only_read: bool = False) -> PagesOut | SourcesOut | None:
    """What the view shows now; with `only_read` nothing but its words are looked at. Raises Problem.

    None for a view that has no table of its own here (a path).
    """
    if view.place == SavedView.Place.PAGES:
        words = _read(LensIn, view.words)
        words.visitors = _distinct(view)
        lens = lens_from(view.site, words)
        return None if only_read else pages_out(lens, words)
    if view.place == SavedView.Place.SOURCES:
        asked = _read(SourcesIn, view.words)
        if asked.by == "hour":
            asked.by = ""
        lens = lens_from(view.site, asked)
        read_within(asked.at)
        return None if only_read else sources_out(lens, asked)
    return None


def _distinct(view: SavedView) -> bool:
    """Whether one of its columns needs distinct visitors to be counted."""
    keys = set(str(view.words.get("columns", "")).split(","))
    own = [c for c in columns_of(view.site) if f"own:{c.pk}" in keys]
    return bool(_DISTINCT & (keys | {n for c in own for n in (c.numerator, c.denominator)}))


def _read(shape: type[S], words: dict[str, Any]) -> S:
    try:
        return shape(**{k: v for k, v in words.items() if k in shape.model_fields})
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(map(str, first["loc"]))
        raise Problem(f"{field}: {first['msg']}.", "words") from None


def table_in(view: SavedView, answer: PagesOut | SourcesOut) -> Table:
    """The answer as a table for a file."""
    about = [("What is looked at", answer.lens.says), ("Saved view", view.name)]
    own = own_of(answer.lens)
    if isinstance(answer, PagesOut):
        return table_of("Landing pages", PageRowOut, answer.rows, about, own)
    return table_of("Sources", SourceRowOut, [*answer.rows, answer.total], about, own)
