"""What a split test is read by besides what decides it: guards, which must not get worse, and further measures.

JSON is a list of objects: {"what": "rate", "conversion": 3}, {"what": "bounce", "guard": true, "margin": 0.1}.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

from clabo.core.rules.errors import RuleError, one_of, only, whole

What = Literal["rate", "value", "bounce"]
WHATS: tuple[What, ...] = get_args(What)
MOST_MEASURES = 6


@dataclass(frozen=True, slots=True)
class Measure:
    """`what` of each visitor: whether they had a conversion, what those were worth, whether the visit bounced.

    `margin`: of a guard, by what part of the control's it may be worse. `lower_is_better`: for refunds and their like;
    of bounces always.
    """

    what: What
    conversion: int | None = None
    guard: bool = False
    margin: float = 0.0
    lower_is_better: bool = False

    def json(self) -> dict[str, Any]:
        """As `read_measures` reads it."""
        return {
            "what": self.what,
            **({"conversion": self.conversion} if self.conversion else {}),
            **({"guard": True, "margin": self.margin} if self.guard else {}),
            **({"lower_is_better": True} if self.lower_is_better and self.what != "bounce" else {}),
        }


def read_measures(data: Any) -> list[Measure]:
    """The measures that JSON states.

    Parameters
    ----------
    data : object
        Whatever came as JSON.

    Returns
    -------
    list of Measure

    Raises
    ------
    RuleError
        Its `field` is the path to what is wrong, such as `[1].margin`.

    Examples
    --------
    >>> read_measures([{"what": "bounce", "guard": True, "margin": 0.1}])
    [Measure(what='bounce', conversion=None, guard=True, margin=0.1, lower_is_better=True)]
    """
    if not isinstance(data, Sequence) or isinstance(data, str | bytes) or len(data) > MOST_MEASURES:
        raise RuleError("", "measures_list", most=MOST_MEASURES)
    found: list[Measure] = []
    for place, one in enumerate(data):
        try:
            measure = _measure(one)
        except RuleError as error:
            field = "" if error.field in ("", "rule") else f".{error.field}"
            raise RuleError(f"[{place}]{field}", error.told.code, **error.told.params) from None
        if any((m.what, m.conversion) == (measure.what, measure.conversion) for m in found):
            raise RuleError(f"[{place}]", "measure_twice")
        found.append(measure)
    return found


def _measure(data: Any) -> Measure:
    if not isinstance(data, Mapping):
        raise RuleError("", "measure_no_object")
    only(data, {"what", "conversion", "guard", "margin", "lower_is_better"})
    what: What = one_of(data, "what", WHATS)  # type: ignore[assignment]
    bounce = what == "bounce"
    guard, lower = data.get("guard", False), data.get("lower_is_better", False)
    if not isinstance(guard, bool) or not isinstance(lower, bool):
        raise RuleError("guard" if not isinstance(guard, bool) else "lower_is_better", "measure_yes_or_no")
    margin = data.get("margin", 0) or 0
    if isinstance(margin, bool) or not isinstance(margin, int | float) or not 0 <= margin <= 1:
        raise RuleError("margin", "measure_margin")
    return Measure(
        what,
        None if bounce else whole(data, "conversion", 1, 2**63 - 1),
        guard,
        float(margin) if guard else 0.0,
        lower or bounce,
    )
