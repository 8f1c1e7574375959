"""What a variant changes on a page: elements by selector, and what becomes of them (definitions: "Split tests").

JSON is a list of objects with one key each, the kind of change. The tag applies the same JSON (tag/src/parts/changes.ts),
with text set as text, so that nothing in here is ever read as markup or as code.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from typing import Any, ClassVar, Literal, Self, cast, get_args
from urllib.parse import urlsplit

from clabo.core.rules.errors import RuleError, maybe_text, one_of, only, text
from clabo.core.splits import style_sheet
from clabo.core.splits.markup import DEEPEST, cleaned, depth_of, nodes

MOST_CHANGES = 30
MOST_SELECTOR = 300
MOST_WORDS = 2000
MOST_MARKUP = 20_000
Place = Literal["before", "after"]
PLACES: tuple[Place, ...] = get_args(Place)
Template = Literal["banner", "panel", "notice"]
TEMPLATES: tuple[Template, ...] = get_args(Template)
# Properties that change how something looks, and nothing else.
STYLES = (
    *("color", "background-color", "border-color", "border-radius", "border-width"),
    *("font-size", "font-weight", "line-height", "text-align", "text-transform"),
    *("margin", "padding", "width", "max-width", "opacity", "order"),
)
_STYLE = re.compile(r"[\w#%.,() -]{1,60}", re.ASCII)
# What would end a rule of a style sheet, or begin another.
_NOT_IN_SELECTORS = re.compile(r"[{}<;@]|/\*")
# Between the selector of an element and one of what stands in its open shadow tree.
INTO_SHADOW = " >> "
_SCHEMES = {"http", "https", "mailto", "tel"}


class Change(ABC):
    """One change of the elements that fit `selector`: frozen, and equal to what its JSON reads."""

    key: ClassVar[str]
    selector: str
    # Where the selector finds nothing, this one is asked; empty for none.
    fallback: str

    @classmethod
    @abstractmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """What JSON `data` under the key states; raises RuleError."""

    def json(self) -> dict[str, Any]:
        """The whole JSON, key included; what is empty is left out."""
        values = asdict(cast(Any, self))
        return {self.key: {name: value for name, value in values.items() if value}}

    def for_tag(self) -> dict[str, Any]:
        """The JSON as the tag applies it."""
        return self.json()


@dataclass(frozen=True, slots=True)
class Words(Change):
    """The element says something else."""

    selector: str
    text: str
    fallback: str = ""
    key: ClassVar[str] = "words"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector and text."""
        only(data, {"selector", "text"})
        return cls(_selector(data), text(data, "text", "change_ask_words", MOST_WORDS))


@dataclass(frozen=True, slots=True)
class Link(Change):
    """The link leads elsewhere."""

    selector: str
    to: str
    fallback: str = ""
    key: ClassVar[str] = "link"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector and address."""
        only(data, {"selector", "to"})
        return cls(_selector(data), _address(data, "to", required=True))


@dataclass(frozen=True, slots=True)
class Picture(Change):
    """The picture is another one; `alt` says what it shows, if that changes too."""

    selector: str
    address: str
    alt: str = ""
    fallback: str = ""
    key: ClassVar[str] = "picture"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector, address, and words for whoever does not see it."""
        only(data, {"selector", "address", "alt"})
        return cls(
            _selector(data), _address(data, "address", required=True, web=True), maybe_text(data, "alt", 300)
        )


@dataclass(frozen=True, slots=True)
class Hidden(Change):
    """The element is not shown."""

    selector: str
    fallback: str = ""
    key: ClassVar[str] = "hide"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """A selector."""
        only(data, {"selector"})
        return cls(_selector(data))


@dataclass(frozen=True, slots=True)
class Shown(Change):
    """An element that the page hides is shown."""

    selector: str
    fallback: str = ""
    key: ClassVar[str] = "show"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """A selector."""
        only(data, {"selector"})
        return cls(_selector(data))


@dataclass(frozen=True, slots=True)
class Moved(Change):
    """The element stands before or after another one."""

    selector: str
    place: Place
    of: str
    fallback: str = ""
    key: ClassVar[str] = "move"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector, one of PLACES, and the other element's selector."""
        only(data, {"selector", "place", "of"})
        return cls(_selector(data), one_of(data, "place", PLACES), _selector(data, "of"))  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Styled(Change):
    """One property of how the element looks is different."""

    selector: str
    property: str
    value: str
    fallback: str = ""
    key: ClassVar[str] = "style"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector, one of STYLES, and a plain value: numbers, units, names and colours."""
        only(data, {"selector", "property", "value"})
        value = text(data, "value", "change_ask_style", 60)
        if not _STYLE.fullmatch(value) or "url" in value.lower():
            raise RuleError("value", "change_plain_style")
        return cls(_selector(data), one_of(data, "property", STYLES), value)


@dataclass(frozen=True, slots=True)
class Block(Change):
    """Something new stands before or after an element, made of a template and its fields."""

    selector: str
    place: Place
    template: Template
    title: str
    text: str = ""
    button: str = ""
    to: str = ""
    picture: str = ""
    fallback: str = ""
    key: ClassVar[str] = "block"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The fields; a button needs an address, and an address a button."""
        only(data, {f.name for f in fields(cls)} - {"fallback"})
        button, to = maybe_text(data, "button", 80), _address(data, "to")
        if bool(button) != bool(to):
            raise RuleError("to" if button else "button", "change_button_and_address")
        return cls(
            _selector(data),
            one_of(data, "place", PLACES),  # type: ignore[arg-type]
            one_of(data, "template", TEMPLATES),  # type: ignore[arg-type]
            text(data, "title", "change_ask_title", 200),
            maybe_text(data, "text", MOST_WORDS),
            button,
            to,
            _address(data, "picture", web=True),
        )


@dataclass(frozen=True, slots=True)
class Markup(Change):
    """A piece of markup of one's own stands before or after an element."""

    selector: str
    place: Place
    html: str
    fallback: str = ""
    key: ClassVar[str] = "html"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """Selector, one of PLACES, and markup, of which only what may stand on a page is kept (core/splits/markup.py)."""
        only(data, {"selector", "place", "html"})
        html = cleaned(text(data, "html", "change_ask_markup", MOST_MARKUP))
        if not html:
            raise RuleError("html", "change_no_markup")
        # Written out in full it may have grown, and it is read again out of what is stored.
        if len(html) > MOST_MARKUP:
            raise RuleError("html", "too_long", most=MOST_MARKUP)
        if depth_of(html) > DEEPEST:
            raise RuleError("html", "change_too_deep", most=DEEPEST)
        return cls(_selector(data), one_of(data, "place", PLACES), html)  # type: ignore[arg-type]

    def for_tag(self) -> dict[str, Any]:
        """With the nodes that are made, in place of the markup."""
        inner = {k: v for k, v in self.json()[self.key].items() if k != "html"}
        return {self.key: {**inner, "nodes": nodes(self.html)}}


@dataclass(frozen=True, slots=True)
class Sheet(Change):
    """Rules of a style sheet that hold while the variant is shown. It touches what they select, and needs none of it."""

    css: str
    selector: ClassVar[str] = ""  # type: ignore[misc]
    fallback: ClassVar[str] = ""  # type: ignore[misc]
    key: ClassVar[str] = "sheet"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The rules (core/splits/style_sheet.py)."""
        only(data, {"css"})
        css = text(data, "css", "sheet_empty", MOST_MARKUP)
        style_sheet.rules_of(css, "css")
        return cls(css)

    def for_tag(self) -> dict[str, Any]:
        """With the rules one by one, in place of the sheet."""
        return {self.key: {"rules": style_sheet.rules_of(self.css, "css")}}


CHANGES: dict[str, type[Change]] = {
    c.key: c for c in (Words, Link, Picture, Hidden, Shown, Moved, Styled, Block, Markup, Sheet)
}


def read_changes(data: Any) -> list[Change]:
    """The changes that JSON states.

    Parameters
    ----------
    data : object
        Whatever came as JSON.

    Returns
    -------
    list of Change

    Raises
    ------
    RuleError
        Its `field` is the path to what is wrong, such as `[2].words.text`.

    Examples
    --------
    >>> read_changes([{"words": {"selector": "h1", "text": "Start with one hive"}}])
    [Words(selector='h1', text='Start with one hive', fallback='')]
    """
    if not isinstance(data, Sequence) or isinstance(data, str | bytes):
        raise RuleError("", "change_no_list")
    if len(data) > MOST_CHANGES:
        raise RuleError("", "change_too_many", most=MOST_CHANGES)
    found = []
    for place, one in enumerate(data):
        if not isinstance(one, Mapping) or len(one) != 1:
            raise RuleError(f"[{place}]", "change_one", known=sorted(CHANGES))
        key, inner = next(iter(one.items()))
        if key not in CHANGES:
            raise RuleError(f"[{place}]", "change_one", known=sorted(CHANGES))
        if not isinstance(inner, Mapping):
            raise RuleError(f"[{place}].{key}", "needs_object", key=key)
        try:
            found.append(_read(CHANGES[key], inner))
        except RuleError as error:
            field = "" if error.field == "rule" else f".{error.field}"
            raise RuleError(f"[{place}].{key}{field}", error.told.code, **error.told.params) from None
    return found


def _read(kind: type[Change], data: Mapping[str, Any]) -> Change:
    """A change, and the fallback of its selector, if it has one."""
    if "fallback" not in data or kind is Sheet:
        return kind.read(data)
    change = kind.read({name: value for name, value in data.items() if name != "fallback"})
    fallback = _selector(data, "fallback") if data["fallback"] else ""
    found: Change = replace(cast(Any, change), fallback="" if fallback == change.selector else fallback)
    return found


def touched(changes: Sequence[Change]) -> list[str]:
    """Every selector of what looks different and was there before, fallbacks included, each once.

    What stands in a shadow tree is out of a page's reach: there it is the element that holds the tree.
    """
    unseen = (Block, Link, Markup, Shown)
    seen = [c for c in changes if not isinstance(c, unseen)]
    found = dict.fromkeys(selectors(seen))
    found |= dict.fromkeys(c.fallback for c in seen if c.fallback)
    found |= dict.fromkeys(one for c in seen if isinstance(c, Sheet) for one in style_sheet.touched(c.css))
    return list(dict.fromkeys(one.partition(INTO_SHADOW)[0] for one in found))


def selectors(changes: Sequence[Change]) -> list[str]:
    """Every selector that must find something for the changes to be made, each once."""
    found = dict.fromkeys(c.selector for c in changes if c.selector)
    found |= dict.fromkeys(c.of for c in changes if isinstance(c, Moved))
    return list(found)


def _selector(data: Mapping[str, Any], key: str = "selector") -> str:
    found = text(data, key, "change_ask_element", MOST_SELECTOR)
    if _NOT_IN_SELECTORS.search(found) or any(ord(c) < 32 for c in found):
        raise RuleError(key, "change_no_element")
    return found


def _address(data: Mapping[str, Any], key: str, required: bool = False, web: bool = False) -> str:
    """An address that a page may lead to or, with `web`, load a picture from."""
    found = text(data, key, "change_ask_where_to", 2000) if required else maybe_text(data, key, 2000)
    if not found:
        return ""
    if any(ord(c) <= 32 or c == "\\" for c in found):
        raise RuleError(key, "change_no_where_to")
    try:
        scheme = urlsplit(found).scheme.lower()
    except ValueError:
        raise RuleError(key, "change_no_where_to") from None
    # Without a scheme it lies on the site.
    known = scheme in ({"http", "https"} if web else _SCHEMES)
    if not known and (scheme or not found.startswith(("/", "#", "?"))):
        raise RuleError(key, "change_no_where_to")
    return found
