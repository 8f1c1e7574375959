"""A column of one's own: one number of a report's row over another."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Literal, get_args

from clabo.core.evidence import Interval, count_ratio, rate_interval

Measure = Literal[
    "entries",
    "views",
    "begun_views",
    "bounces",
    "exits",
    "visitors",
    "new_visitors",
    "converted",
    "conversions",
    "revenue",
    "spend",
    "profit",
    "impressions",
    "clicks",
]
MEASURES: tuple[str, ...] = get_args(Measure)
AMOUNTS = frozenset({"revenue", "spend", "profit"})
# The first is a part of the second: a share of trials.
_PARTS = frozenset(
    {
        ("bounces", "entries"),
        ("converted", "entries"),
        ("new_visitors", "visitors"),
        ("exits", "views"),
        ("clicks", "impressions"),
    }
)
# Several come with one visit or one purchase of places: they are no independent events.
_IN_BUNCHES = frozenset({"views", "begun_views", "impressions"})
Number = int | float | Decimal | None


@dataclass(frozen=True, slots=True)
class Ratio:
    """The column: `numerator` over `denominator`, both names of measures. Raises ValueError for others."""

    numerator: str
    denominator: str

    def __post_init__(self) -> None:
        for name in ("numerator", "denominator"):
            if getattr(self, name) not in MEASURES:
                raise ValueError(f"{name}: must be one of {', '.join(MEASURES)}")
        if self.numerator == self.denominator:
            raise ValueError("denominator: must differ from the numerator")

    @property
    def share(self) -> bool:
        """The numerator is a part of the denominator."""
        return (self.numerator, self.denominator) in _PARTS

    def of(self, numerator: Number, denominator: Number, level: float = 0.95) -> Interval | None:
        """The ratio; None over nothing, or where either is not known.

        Its limits are Wilson's where the one is a part of the other; of two counts of single events those of
        `count_ratio`. Amounts, counts that come in bunches, and parts of conversions have none: nan.
        """
        if numerator is None or not denominator:
            return None
        estimate = float(numerator) / float(denominator)
        a, b = float(numerator), float(denominator)
        counts = a.is_integer() and b.is_integer() and a >= 0
        if self.share and counts and a <= b:
            return rate_interval(int(a), int(b), level)
        kinds = {self.numerator, self.denominator}
        if counts and not kinds & (AMOUNTS | _IN_BUNCHES):
            return count_ratio(int(a), int(b), level)
        return Interval(float("nan"), estimate, float("nan"))
