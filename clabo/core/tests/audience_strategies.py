"""Made-up definitions and histories that have a good chance of meeting one another (Hypothesis)."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from hypothesis import strategies as st

from clabo.core.audiences.definition import parse
from clabo.core.audiences.predicates import Arrival, Happening
from clabo.core.pages.addresses import Address
from clabo.core.rules import Occurrence
from clabo.core.rules.errors import RuleError

HOST = "shop.example"
# A day begins at midnight of UTC in these histories.
TODAY = datetime(2026, 10, 20, tzinfo=UTC)
PATHS = ["/kit", "/kit-b", "/guide", "/order"]
EVENTS = ["configured", "asked"]

WHATS: st.SearchStrategy[dict[str, Any]] = st.one_of(
    st.sampled_from(PATHS).map(lambda p: {"page": {"match": "equals", "value": p}}),
    st.just({"page": {"match": "begins", "value": "/kit"}}),
    st.just({"any": [{"page": {"match": "equals", "value": p}} for p in PATHS[1:3]]}),
    st.just({"all": [{"event": {"name": "asked"}}, {"on": {"match": "equals", "value": "/kit"}}]}),
    st.sampled_from(EVENTS).map(lambda n: {"event": {"name": n}}),
    st.just({"conversion": 1}),
    st.sampled_from(
        [{"source": "meadow"}, {"channel": "paid"}, {"channel": "email", "campaign": "spring"}]
    ).map(lambda c: {"came": c}),
    st.sampled_from(["phone", "desktop"]).map(lambda d: {"device": d}),
    st.sampled_from(["any", "new", "returning"]).map(lambda w: {"visit": w}),
    st.sampled_from("AB").map(lambda letter: {"variant": {"test": 1, "letter": letter}}),
)
AGES = st.sampled_from([(0, 1), (0, 3), (0, 21), (1, 2), (2, 5), (3, 730), (0, 730)])


def part(times: Any = st.sampled_from([1, 1, 1, 2, 3])) -> st.SearchStrategy[dict[str, Any]]:
    return st.builds(
        lambda what, ages, n: {"what": what, "from": ages[0], "to": ages[1], "times": n}, WHATS, AGES, times
    )


STEPS = st.one_of(
    part(st.just(1)),
    st.lists(part(st.just(1)), min_size=2, max_size=2).map(lambda p: {"any": p}),
)
SEQUENCES = st.builds(
    lambda steps, within: {"sequence": steps, **({"within": within} if within else {})},
    st.lists(STEPS, min_size=1, max_size=3),
    st.sampled_from([0, 1, 60, 7200, 86_400]),
)
NODES: st.SearchStrategy[dict[str, Any]] = st.recursive(
    st.one_of(part(), SEQUENCES),
    lambda inner: st.builds(
        lambda key, nodes: {key: nodes},
        st.sampled_from(["all", "any"]),
        st.lists(inner, min_size=1, max_size=3),
    ),
    max_leaves=3,
)


def _allowed(definition: Any) -> bool:
    """Whether it has no more parts than one may have."""
    try:
        parse(definition)
    except RuleError as error:
        return error.told.code != "too_many_parts"
    return True


DEFINITIONS = st.builds(
    lambda include, exclude: {"include": include, **({"exclude": exclude} if exclude else {})},
    NODES,
    st.one_of(st.none(), NODES),
).filter(_allowed)


def _happening(at: int, what: Any) -> Happening:
    time = TODAY + timedelta(days=1) - timedelta(seconds=at)
    kind, value = what
    if kind == "visit":
        return Happening(time, time.date(), arrival=value)
    if kind == "variant":
        return Happening(time, time.date(), variant=(1, value))
    if kind == "conversion":
        return Happening(time, time.date(), conversion=value)
    return Happening(time, time.date(), event=value)


_ARRIVALS = st.builds(
    lambda where, device, first: ("visit", Arrival(*where, device=device, first=first)),
    st.sampled_from([("paid", "meadow"), ("email", "letter", "", "spring"), ("direct",)]),
    st.sampled_from(["phone", "desktop", "tablet"]),
    st.booleans(),
)
_VIEWS = st.sampled_from(PATHS).map(lambda p: ("event", Occurrence("view", Address(HOST, p))))
_MARKS = st.builds(
    lambda n, p: ("event", Occurrence("mark", Address(HOST, p), name=n)),
    st.sampled_from(EVENTS),
    st.sampled_from(PATHS[:2]),
)
# Seconds before midnight, so that days and the seconds between things both have edges within reach.
_AGO = st.builds(
    lambda day, second: day * 86_400 + second,
    st.sampled_from([0, 0, 1, 2, 4, 20, 21, 729, 730]),
    st.sampled_from([1, 2, 60, 61, 7200, 7201, 86_400]),
)
HISTORIES = st.lists(
    st.builds(
        _happening,
        _AGO,
        st.one_of(_VIEWS, _VIEWS, _MARKS, _ARRIVALS, st.just(("conversion", 1)), st.just(("variant", "A"))),
    ),
    max_size=9,
).map(lambda h: sorted(h, key=lambda x: x.time))
