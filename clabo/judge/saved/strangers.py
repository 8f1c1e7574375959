"""What whoever has a link may read: the columns that a view shows, and nothing else of the site."""

from __future__ import annotations

from decimal import Decimal
from typing import Any, TypeVar

from clabo.judge.reports.schemas import LensOut, MeasuredOut, PagesOut, UnjoinedCost
from clabo.judge.saved.models import SavedView
from clabo.judge.sources.schemas import SourcesOut

R = TypeVar("R", bound=MeasuredOut)

# The fields that each column of the interface shows (web/src/features/report/columns.tsx); entries are in all.
_FIELDS: dict[str, tuple[str, ...]] = {
    "entries": (),
    "views": ("views",),
    "begun_views": ("begun_views",),
    "bounce_rate": ("bounces", "bounce_rate"),
    "exit_rate": ("exits", "views", "exit_rate"),
    "visitors": ("visitors",),
    "new_visitors": ("new_visitors",),
    "views_per_visitor": ("views_per_visitor",),
    "conversion_rate": ("converted", "conversion_rate"),
    "conversions": ("conversions",),
    "revenue": ("revenue", "lifetime_revenue"),
    "spend": ("spend",),
    "impressions": ("impressions",),
    "clicks": ("clicks",),
    "ctr": ("ctr",),
    "cpc": ("cpc",),
    "cpm": ("cpm",),
    "aov": ("aov",),
    "profit": ("profit",),
    "cost": ("cost_per_conversion",),
    "roas": ("roas", "roas_interval", "lifetime_roas"),
}
_USUAL = (
    *("entries", "views", "begun_views", "bounce_rate", "conversion_rate", "conversions", "revenue", "spend"),
    *("cost", "roas"),
)
# Steps of a path are asked for in the address itself.
_ALWAYS = {"steps", "kind", "page_id", "host", "path", "title", "value", "name", "entries", "thin"}


def shown_columns(view: SavedView) -> set[str]:
    """The keys of the columns that the view shows."""
    said = {
        k for k in str(view.words.get("columns") or "").split(",") if k in _FIELDS or k.startswith("own:")
    }
    return said or set(_USUAL)


def for_strangers(view: SavedView, answer: PagesOut | SourcesOut) -> PagesOut | SourcesOut:
    """The answer with its shown columns only; what is not shown is nought or missing."""
    keys = shown_columns(view)
    lens = _lens(answer.lens, keys)
    # Each field is named: what is added to an answer is seen by nobody else until somebody decides so here.
    if isinstance(answer, PagesOut):
        return PagesOut(
            lens=lens,
            path=answer.path,
            findings=[],
            together=None,
            thin=0,
            nearest=None,
            rows=[_row(r, keys) for r in answer.rows],
            to_come=answer.to_come if "conversions" in keys else None,
            before={k: _row(r, keys) for k, r in answer.before.items()},
            cost=UnjoinedCost(total=Decimal(0), unjoined=Decimal(0), by_address=Decimal(0)),
        )
    return SourcesOut(
        lens=lens,
        by=answer.by,
        rows=[_row(r, keys) for r in answer.rows],
        total=_row(answer.total, keys),
        before={k: _row(r, keys) for k, r in answer.before.items()},
    )


def _row(row: R, keys: set[str]) -> R:
    kept = _ALWAYS | {field for key in keys for field in _FIELDS.get(key, ())}
    hidden: dict[str, Any] = {
        name: _nothing(getattr(row, name)) for name in type(row).model_fields if name not in kept
    }
    hidden["own"] = {number: value for number, value in row.own.items() if f"own:{number}" in keys}
    return row.model_copy(update=hidden)


def _nothing(value: Any) -> Any:
    """What stands for a number that is not shown."""
    if isinstance(value, bool):
        return False
    return type(value)(0) if isinstance(value, int | float | Decimal) else None


def _lens(read: LensOut, keys: set[str]) -> LensOut:
    """The words of the lens, and what the shown columns cannot be read without.

    Nothing of what else the site has: its other conversions, sources, audiences and columns. The margin shows in the
    profit, and a lifetime's factor in the revenue over a lifetime: without those they stay here.
    """
    money = keys & {"revenue", "roas"}
    return LensOut(
        says=read.says,
        first=read.first,
        last=read.last,
        origin=read.origin,
        device=read.device,
        conversion=read.conversion,
        model=read.model,
        audience=read.audience,
        audiences=[],
        conversions=[read.conversion] if read.conversion else [],
        channels=[],
        sources=[],
        currency=read.currency,
        attribution_window_days=read.attribution_window_days,
        lifetime_factor=read.lifetime_factor if money else None,
        break_even_roas=read.break_even_roas if "profit" in keys else None,
        own_columns=[c for c in read.own_columns if f"own:{c.id}" in keys],
    )
