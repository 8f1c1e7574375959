"""What Today proposes, in a few words: for lists of what was answered."""

from __future__ import annotations

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

_PAGES = {
    "loses_money": gettext_noop("{path} loses money"),
    "earns": gettext_noop("{path} earns most"),
    "converts_badly": gettext_noop("{path} converts badly"),
}


def move_about(give: str, give_source: str, take: str, take_source: str) -> str:
    """Money moved between two pages under sources."""
    return _("Money from {give} by {give_source} to {take} by {take_source}").format(
        give=give, give_source=give_source, take=take, take_source=take_source
    )


def page_about(kind: str, path: str) -> str:
    """A finding about a page."""
    return _(_PAGES[kind]).format(path=path)


def test_about(name: str) -> str:
    """A test that can be ended."""
    return _("The split test “{name}” can end").format(name=name)


def audience_about(name: str) -> str:
    """An audience that nobody has used."""
    return _("The audience “{name}” is used nowhere").format(name=name)
