"""Money put in and money got out (definitions: "Money"). Decimals throughout."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import TypeVar

K = TypeVar("K")
CENT_OF_CENT = Decimal("0.000001")


def ratio(numerator: Decimal | int, denominator: Decimal | int) -> Decimal | None:
    """numerator / denominator, or None (shown as a dash) over zero."""
    return Decimal(numerator) / Decimal(denominator) if denominator else None


def cost_per_conversion(spend: Decimal, credited: Decimal) -> Decimal | None:
    """CPA: spend / credited conversions. None without spend, too: what was not paid has no cost."""
    return ratio(spend, credited) if spend else None


def roas(credited_value: Decimal, spend: Decimal) -> Decimal | None:
    """Credited value / spend."""
    return ratio(credited_value, spend)


def over_lifetime(value: Decimal | None, factor: Decimal | None) -> Decimal | None:
    """A value, or a ratio of values to spend, times what a customer is worth over a lifetime; None without either.

    Stands beside the plain value, never in its place.
    """
    return None if value is None or factor is None else round(value * factor, 4)


def break_even(margin: Decimal | None) -> float:
    """The ROAS at which ads pay for themselves: 1 / margin; 1 where no margin is given."""
    return 1 / float(margin) if margin else 1.0


def spread(amount: Decimal, weights: Mapping[K, int]) -> dict[K, Decimal]:
    """`amount` over the keys in proportion to their weights; the parts sum to `amount` exactly.

    The heaviest key takes what rounding leaves. Raises ValueError where no weight is positive.
    """
    positive = {key: weight for key, weight in weights.items() if weight > 0}
    total = sum(positive.values())
    if not total:
        raise ValueError("weights: at least one must be positive")
    parts = {key: (amount * weight / total).quantize(CENT_OF_CENT) for key, weight in positive.items()}
    heaviest = max(positive, key=positive.__getitem__)
    parts[heaviest] += amount - sum(parts.values(), Decimal(0))
    return parts


def apportion(count: int, weights: Mapping[K, int]) -> dict[K, int]:
    """`count` whole things over the keys in proportion to their weights; the parts sum to `count`.

    Each key gets its share rounded down, and what is left goes to the largest remainders (Hamilton's method); between
    equal ones to the heavier, then to the one named first. Raises ValueError where no weight is positive.

    >>> apportion(10, {"a": 1, "b": 1, "c": 1})
    {'a': 4, 'b': 3, 'c': 3}
    """
    positive = {key: weight for key, weight in weights.items() if weight > 0}
    whole = sum(positive.values())
    if not whole:
        raise ValueError("weights: at least one must be positive")
    parts = {key: count * weight // whole for key, weight in positive.items()}
    left = count - sum(parts.values())
    order = sorted(positive, key=lambda k: (-(count * positive[k] % whole), -positive[k]))
    for key in order[:left]:
        parts[key] += 1
    return parts


def click_through_rate(clicks: int, impressions: int) -> Decimal | None:
    """CTR: clicks / impressions."""
    return ratio(clicks, impressions)


def cost_per_click(spend: Decimal, clicks: int) -> Decimal | None:
    """CPC: spend / clicks. None without spend."""
    return ratio(spend, clicks) if spend else None


def cost_per_mille(spend: Decimal, impressions: int) -> Decimal | None:
    """CPM: 1000 · spend / impressions. None without spend."""
    return ratio(1000 * spend, impressions) if spend else None


def order_value(credited_value: Decimal, credited: Decimal) -> Decimal | None:
    """AOV: credited value / credited orders."""
    return ratio(credited_value, credited)


def profit(credited_value: Decimal, spend: Decimal, margin: Decimal | None) -> Decimal:
    """Credited value · margin - spend. Where no margin is given, the whole value counts as earned."""
    return credited_value * (Decimal(1) if margin is None else margin) - spend


def total(amounts: Sequence[Decimal]) -> Decimal:
    """Their sum, Decimal(0) for none."""
    return sum(amounts, Decimal(0))
