"""Audiences: people described by what they did and did not do (definitions: "Audiences").

A definition is JSON: `{"include": node, "exclude": node}`. A node is `{"all": [node…]}`, `{"any": [node…]}`,
`{"sequence": [step…], "within": seconds}` or a part `{"what": …, "from": a, "to": b, "times": n}`: it happened at least
`n` times in the days of age `a` to `b` - 1. What happened is a condition as conversions' rules state it, or one of
`whats.py`.

The meaning stands twice: `person.py` holds a definition against one person's history, step by step; `evaluate.py`
computes everybody at once, over sets of visitor numbers a day. Property tests hold the two equal.
"""

from clabo.core.audiences.definition import (
    LONGEST,
    All,
    Any,
    Definition,
    Node,
    Part,
    Sequence,
    as_json,
    nodes,
    parse,
    parts,
)
from clabo.core.audiences.evaluate import Source, Step, members, staircase
from clabo.core.audiences.lengths import band, first_part, with_length
from clabo.core.audiences.predicates import (
    Came,
    Converted,
    Happened,
    InAudience,
    InList,
    OnDevice,
    SawVariant,
    Visited,
    What,
)

__all__ = [
    "LONGEST",
    "All",
    "Any",
    "Came",
    "Converted",
    "Definition",
    "Happened",
    "InAudience",
    "InList",
    "Node",
    "OnDevice",
    "Part",
    "SawVariant",
    "Sequence",
    "Source",
    "Step",
    "Visited",
    "What",
    "as_json",
    "band",
    "first_part",
    "members",
    "nodes",
    "parse",
    "parts",
    "staircase",
    "with_length",
]
