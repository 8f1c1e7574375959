"""The language in which conversions are defined (definitions: "Conversions").

A rule is a tree of plain JSON: conditions, joined by any, all and not. For example, a form that is
sent on one page and not on another:

    {"all": [{"form": {"id": "booking"}}, {"not": {"on": {"match": "begins", "value": "/staff"}}}]}

`parse` turns JSON into a `Rule`, `as_json` back; `meets` holds it against one `Occurrence`, `checks` says why and why
not. Every condition is decided by one event and what that event knows of its visit, and is made of `Fact`s, so that it
can be put to the database as well as to one visitor. Conditions stand in conditions/, one file each.

>>> rule = parse({"all": [{"form": {"id": "booking"}}, {"not": {"on": {"match": "begins", "value": "/staff"}}}]})
>>> from clabo.core.pages.addresses import Address
>>> meets(rule, Occurrence("form", Address("shop.example", "/book"), element={"id": "booking"}))
True
"""

from clabo.core.rules.condition import Condition, ElementCondition
from clabo.core.rules.conditions import CONDITIONS
from clabo.core.rules.counting import COUNTINGS, Counting, by_mode, count, first_received
from clabo.core.rules.errors import MAX_VALUE, RuleError
from clabo.core.rules.facts import (
    MATCHES,
    Fact,
    HasParameter,
    Match,
    Named,
    OfKind,
    OnElement,
    PageFits,
    PropertyTest,
    Reached,
    ViewsSoFar,
)
from clabo.core.rules.language import (
    AllOf,
    AnyOf,
    Check,
    Not,
    Rule,
    as_json,
    checks,
    leaves,
    meets,
    misses,
    parse,
    part_of,
)
from clabo.core.rules.occurrence import KINDS, Kind, Occurrence

__all__ = [
    "CONDITIONS",
    "COUNTINGS",
    "KINDS",
    "MATCHES",
    "MAX_VALUE",
    "AllOf",
    "AnyOf",
    "Check",
    "Condition",
    "Counting",
    "ElementCondition",
    "Fact",
    "HasParameter",
    "Kind",
    "Match",
    "Named",
    "Not",
    "Occurrence",
    "OfKind",
    "OnElement",
    "PageFits",
    "PropertyTest",
    "Reached",
    "Rule",
    "RuleError",
    "ViewsSoFar",
    "as_json",
    "by_mode",
    "checks",
    "count",
    "first_received",
    "leaves",
    "meets",
    "misses",
    "parse",
    "part_of",
]
