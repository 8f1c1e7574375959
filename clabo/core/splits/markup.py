"""Markup that somebody wrote for a block: what of it may stand on a page, as nodes that are made one by one.

Whoever applies them parses nothing and sets nothing as markup, so that no page's policy is in the way and nothing that
a parser might see otherwise comes in (tag/src/changing.ts).
"""

from __future__ import annotations

from html.parser import HTMLParser
from typing import Any

import nh3

# Headings, text, lists, tables, pictures and links; nothing that runs, asks for anything or embeds.
TAGS = {
    *(
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "p",
        "div",
        "section",
        "aside",
        "header",
        "footer",
        "span",
        "blockquote",
    ),
    *(
        "strong",
        "em",
        "b",
        "i",
        "u",
        "s",
        "small",
        "sub",
        "sup",
        "mark",
        "br",
        "hr",
        "a",
        "img",
        "figure",
        "figcaption",
    ),
    *("ul", "ol", "li", "dl", "dt", "dd", "table", "thead", "tbody", "tr", "th", "td"),
}
ATTRIBUTES = {
    "*": {"class", "id", "title", "role", "lang", "dir", "aria-label", "aria-hidden"},
    "a": {"href"},
    "img": {"src", "alt", "width", "height", "loading"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan", "scope"},
}
_VOID = {"br", "hr", "img"}
# Elements within one another; what reads them on the way to a page calls itself for each.
DEEPEST = 30
# A text, or a tag's name, its attributes and what is in it.
Node = str | list[Any]
_CLEANER = nh3.Cleaner(
    tags=TAGS,
    attributes=ATTRIBUTES,
    url_schemes={"http", "https", "mailto", "tel"},
    link_rel=None,
    strip_comments=True,
)


def cleaned(html: str) -> str:
    """The same without what may not stand on a page: scripts, styles, handlers, forms, frames.

    >>> cleaned('<p onclick="x()">Hello <script>alert(1)</script><b>you</b></p>')
    '<p>Hello <b>you</b></p>'
    """
    return _CLEANER.clean(html).strip()


def depth_of(html: str) -> int:
    """How many elements stand within one another in what `cleaned` has left.

    >>> depth_of('<p>Hello <b>you</b></p><br>')
    2
    """
    reader = _Reader()
    reader.feed(html)
    reader.close()
    return reader.deepest


def nodes(html: str) -> list[Node]:
    """What `cleaned` has left, as a tree.

    Returns
    -------
    list of str or [name, attributes, list of the same]

    Examples
    --------
    >>> nodes('<p class="big">Hello <b>you</b><br></p>')
    [['p', {'class': 'big'}, ['Hello ', ['b', {}, ['you']], ['br', {}, []]]]]
    """
    reader = _Reader()
    reader.feed(cleaned(html))
    reader.close()
    return reader.top


class _Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.top: list[Node] = []
        self._open: list[list[Node]] = [self.top]
        self.deepest = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        inner: list[Node] = []
        self._open[-1].append([tag, {name: value or "" for name, value in attrs}, inner])
        self.deepest = max(self.deepest, len(self._open))
        if tag not in _VOID:
            self._open.append(inner)

    def handle_endtag(self, tag: str) -> None:
        if tag not in _VOID and len(self._open) > 1:
            self._open.pop()

    def handle_data(self, data: str) -> None:
        self._open[-1].append(data)
