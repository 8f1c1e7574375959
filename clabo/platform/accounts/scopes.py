"""What a program with a token may read or tell: a list of routes for each scope, and nothing that is in none.

A new route is closed to every token until it is named here (platform/config/tests/test_access.py holds the list against the URL
map). Routes are written as they are below `/api/sites/<site>/`, a `*` for each number.
"""

from __future__ import annotations

import re

from clabo.platform.accounts.models import ApiToken

# What reports show, and what they are made of: of nobody in particular.
_REPORTS = frozenset(
    [
        ".",
        "audiences",
        "audiences/overlap",
        "audiences/*/versions",
        "bridges",
        "bridges/*/brought",
        "budgets",
        "channels",
        "columns",
        "conversions",
        "conversions/*/steps",
        "conversions/*/versions",
        "coverage",
        "decisions",
        "forms",
        "lens",
        "links",
        "links/*/qr",
        "notes",
        "outcomes",
        "pages",
        "pages/beside",
        "pages/compare",
        "pages/series",
        "pages/worst",
        "pages/*/goal",
        "pages/*/pictures",
        "paths",
        "paths/proposed",
        "paths/report",
        "paths/*/report",
        "pictures",
        "pictures/*",
        "plans",
        "plans/*",
        "plans/*/results",
        "sources",
        "sources/hours",
        "spend",
        "tests",
        "tests/*",
        "tests/*/checklist",
        "tests/*/groups",
        "today",
        "two-counts",
        "uses",
        "views",
        "ways",
    ]
)
# What is known of single people besides, and who is in what.
_PEOPLE = frozenset(
    [
        "audiences/*/members",
        "audiences/*/takings",
        "channels/*/people",
        "channels/*/reports",
        "lists",
        "visitors",
        "visitors/*",
    ]
)
ROUTES: dict[str, frozenset[str]] = {
    ApiToken.Scope.REPORTS: _REPORTS,
    ApiToken.Scope.PEOPLE: _REPORTS | _PEOPLE,
    ApiToken.Scope.OUTCOMES: frozenset(),
}
# What programs tell, each with a scope of its own.
TELLING_POSTS: dict[str, frozenset[str]] = {ApiToken.Scope.OUTCOMES: frozenset({"outcomes"})}
# Routes that are read by another name than GET.
READING_POSTS = frozenset({"paths/report"})
_SITE = re.compile(r"/api/sites/\d+(?:/(.*))?")


def name_of(path: str) -> str | None:
    """How a path is named in ROUTES; None where it is not below a site.

    >>> name_of("/api/sites/3/pages/12/goal"), name_of("/api/sites/3"), name_of("/api/session")
    ('pages/*/goal', '.', None)
    """
    found = _SITE.fullmatch(path)
    return re.sub(r"(?<=/)\d+(?=/|$)", "*", found[1]) if found and found[1] else "." if found else None


def may_enter(scope: str, method: str, path: str) -> bool:
    """Whether a token of this scope is let in there."""
    name = name_of(path)
    if method == "POST" and name in TELLING_POSTS.get(scope, ()):
        return True
    if name is None or (method not in ("GET", "HEAD") and not (method == "POST" and name in READING_POSTS)):
        return False
    return name in ROUTES.get(scope, ())
