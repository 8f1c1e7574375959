"""Made-up rules and events that have a good chance of meeting one another (Hypothesis)."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from clabo.core import rules

PATHS = ["/a", "/a/b", "/thank-you", "/journal/thank-you-all", "/A"]
QUERIES = ["", "?step=1", "?step=2&x=%C3%A4", "?x=ä&step=1", "?step", "?step=1%26step=2", "?sstep=1"]
NAMES = ["order", "signup"]
FORMS: list[dict[str, Any]] = [
    {"id": "booking", "fields": ["email", "name"]},
    {"id": "newsletter", "action": "https://shop.example/letter", "fields": ["email"]},
    {"name": "booking"},
]
CLICKS: list[dict[str, Any]] = [
    {"what": "phone", "to": "tel:+00123"},
    {"what": "outbound", "to": "https://partner.example/suits", "text": "See the suits", "fits": [".cta"]},
    {"what": "button", "text": "Book"},
]
MESSAGES: list[dict[str, Any]] = [
    {
        "origin": "https://forms.example",
        "keys": {"type": "text", "data.mail": "text"},
        "values": {"type": "sent"},
    },
    {"origin": "https://forms.example", "keys": {"type": "text"}, "values": {"type": "resize"}},
    {"origin": "https://other.example", "keys": {"type": "text"}, "values": {"type": "sent"}},
]
SHOWN: list[dict[str, Any]] = [{"selector": "#thanks"}, {"text": "Thank you"}]
PROPERTIES = st.dictionaries(
    st.sampled_from(["value", "plan", "new"]),
    st.sampled_from(
        [
            "basic",
            "pro basic",
            "5",
            " 59.90",
            "-1.5",
            "1e3",
            "5,0",
            5.0,
            59.9,
            0.0,
            -1.5,
            True,
            False,
            None,
            "",
        ]
    ),
    max_size=3,
)


def _page(key: str) -> st.SearchStrategy[dict[str, Any]]:
    pairs = [
        ("equals", "/thank-you"),
        ("equals", "shop.example/a"),
        ("begins", "/a"),
        ("begins", "/a/"),
        ("contains", "thank"),
        ("pattern", r"/a/?.*b$"),
    ]
    return st.sampled_from([{key: {"match": match, "value": value}} for match, value in pairs])


TESTS = st.one_of(
    st.builds(
        lambda p, c, v: {"property": p, "comparison": c, "value": v},
        st.sampled_from(["value", "plan"]),
        st.sampled_from(["at_least", "at_most", "above", "below"]),
        st.sampled_from([5.0, 59.9, 0.0, -2.0]),
    ),
    st.builds(
        lambda p, c, v: {"property": p, "comparison": c, "value": v},
        st.sampled_from(["value", "plan", "new"]),
        st.sampled_from(["is", "is_not"]),
        st.sampled_from(["basic", "5", 5.0, True, False, ""]),
    ),
    st.builds(
        lambda v: {"property": "plan", "comparison": "contains", "value": v},
        st.sampled_from(["basic", "%", "pro"]),
    ),
)
CODE_EVENTS: st.SearchStrategy[dict[str, Any]] = st.builds(
    lambda n, w: {"event": {"name": n, "where": w}}, st.sampled_from(NAMES), st.lists(TESTS, max_size=2)
)
CONDITIONS: st.SearchStrategy[dict[str, Any]] = st.one_of(
    _page("page"),
    _page("on"),
    st.builds(
        lambda n, v: {"parameter": {"name": n, "value": v}},
        st.sampled_from(["step", "x"]),
        st.sampled_from(["", "1", "2", "ä", "1&step=2"]),
    ),
    st.sampled_from(
        [
            {},
            {"id": "booking"},
            {"name": "booking"},
            {"action": "/letter"},
            {"field": "name"},
            {"stage": "begun"},
            {"stage": "tried", "name": "booking"},
        ]
    ).map(lambda f: {"form": f}),
    st.sampled_from(
        [
            {},
            {"what": "phone"},
            {"text": "see THE"},
            {"to": "partner.example"},
            {"selector": ".cta", "what": "outbound"},
        ]
    ).map(lambda c: {"click": c}),
    st.builds(
        lambda o, v: {"message": {"origin": o, "at": "type", "value": v}},
        st.sampled_from(["https://forms.example", "https://third.example"]),
        st.sampled_from(["sent", "resize"]),
    ),
    st.sampled_from(SHOWN).map(lambda s: {"shown": s}),
    CODE_EVENTS,
    st.integers(1, 3).map(lambda n: {"seen": {"pages": n}}),
    st.sampled_from([10, 30]).map(lambda n: {"stay": {"seconds": n}}),
    st.sampled_from([50, 75]).map(lambda n: {"scroll": {"percent": n}}),
)


def _says_what_happens(data: dict[str, Any]) -> bool:
    try:
        rules.parse(data)
    except rules.RuleError:
        return False
    return True


def _saying(data: dict[str, Any]) -> dict[str, Any]:
    """A rule that says what happens, so that few are thrown away."""
    return data if _says_what_happens(data) else {"all": [data, {"form": {}}]}


RULES: st.SearchStrategy[dict[str, Any]] = (
    st.recursive(
        CONDITIONS,
        lambda inner: st.one_of(
            st.lists(inner, min_size=1, max_size=3).map(lambda parts: {"all": parts}),
            st.lists(inner, min_size=1, max_size=3).map(lambda parts: {"any": parts}),
            inner.map(lambda part: {"not": part}),
        ),
        max_leaves=5,
    )
    .map(_saying)
    .filter(_says_what_happens)
)


def _acted(kind: str, elements: list[dict[str, Any]]) -> st.SearchStrategy[dict[str, Any]]:
    return st.sampled_from(elements).map(lambda e: {"kind": kind, "element": e})


MARKS: st.SearchStrategy[dict[str, Any]] = st.builds(
    lambda n, p: {"kind": "mark", "name": n, "properties": p}, st.sampled_from(NAMES), PROPERTIES
)
# What a beacon's event says besides its address.
EVENTS: st.SearchStrategy[dict[str, Any]] = st.one_of(
    st.just({"kind": "view"}),
    st.just({"kind": "view"}),
    _acted("form", FORMS),
    _acted("tried", FORMS),
    _acted("begun", FORMS),
    _acted("click", CLICKS),
    _acted("message", MESSAGES),
    _acted("shown", SHOWN),
    st.sampled_from([10, 30, 45]).map(lambda n: {"kind": "stay", "reached": n}),
    st.sampled_from([50, 75]).map(lambda n: {"kind": "scroll", "reached": n}),
    MARKS,
)
ADDRESSES = st.builds(str.__add__, st.sampled_from(PATHS), st.sampled_from(QUERIES))
