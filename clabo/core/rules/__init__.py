"""The language in which conversions are defined (definitions: "Conversions").

A rule is a tree of plain JSON: conditions, joined by any, all and not. For example, a form that is
sent on one page and not on another:

    {"all": [{"form": {"id": "booking"}}, {"not": {"on": {"match": "begins", "value": "/staff"}}}]}

`parse` turns JSON into a `Rule`, `as_json` back; `meets` holds it against one `Occurrence`, `checks`
says why and why not, `sentence` reads it out. Every condition is decided by one event and what
that event knows of its visit, so that it can be put to the database as well as to one visitor.
"""

from clabo.core.rules.counting import COUNTINGS, Counting, by_mode, count, first_received
from clabo.core.rules.elements import Clicked, ElementShown, FormSubmitted, FrameMessage
from clabo.core.rules.errors import MAX_VALUE, RuleError
from clabo.core.rules.language import (
    AllOf,
    AnyOf,
    Check,
    Leaf,
    Not,
    Rule,
    as_json,
    checks,
    leaves,
    meets,
    misses,
    parse,
    sentence,
)
from clabo.core.rules.occurrence import KINDS, Kind, Occurrence
from clabo.core.rules.pages import MATCHES, Match, OnPage, PageReached, Parameter
from clabo.core.rules.signals import (
    BridgeStep,
    CodeEvent,
    PagesSeen,
    PropertyTest,
    SaleReported,
    Scrolled,
    Stayed,
)

__all__ = [
    "COUNTINGS",
    "KINDS",
    "MATCHES",
    "MAX_VALUE",
    "AllOf",
    "AnyOf",
    "BridgeStep",
    "Check",
    "Clicked",
    "CodeEvent",
    "Counting",
    "ElementShown",
    "FormSubmitted",
    "FrameMessage",
    "Kind",
    "Leaf",
    "Match",
    "Not",
    "Occurrence",
    "OnPage",
    "PageReached",
    "PagesSeen",
    "Parameter",
    "PropertyTest",
    "Rule",
    "RuleError",
    "SaleReported",
    "Scrolled",
    "Stayed",
    "as_json",
    "by_mode",
    "checks",
    "count",
    "first_received",
    "leaves",
    "meets",
    "misses",
    "parse",
    "sentence",
]
