"""Changes of a page read out, and what is wrong with one."""

from __future__ import annotations

from functools import singledispatch

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

from clabo.core.splits.changes import (
    Block,
    Change,
    Hidden,
    Link,
    Markup,
    Moved,
    Picture,
    Place,
    Sheet,
    Shown,
    Styled,
    Template,
    Words,
    touched,
)
from clabo.platform.wording.words import listed, texts, words_for

PLACES: dict[Place, str] = {"before": gettext_noop("before"), "after": gettext_noop("after")}
TEMPLATES: dict[Template, str] = {
    "banner": gettext_noop("a banner"),
    "panel": gettext_noop("a panel"),
    "notice": gettext_noop("a notice"),
}


@singledispatch
def change_says(change: Change) -> str:
    """The change in plain English, to stand by itself."""
    raise NotImplementedError(type(change).__name__)


@change_says.register
def _words(c: Words) -> str:
    return _("{selector} says “{text}”").format(selector=c.selector, text=c.text)


@change_says.register
def _link(c: Link) -> str:
    return _("{selector} leads to {to}").format(selector=c.selector, to=c.to)


@change_says.register
def _picture(c: Picture) -> str:
    return _("{selector} shows {address}").format(selector=c.selector, address=c.address)


@change_says.register
def _hidden(c: Hidden) -> str:
    return _("{selector} is hidden").format(selector=c.selector)


@change_says.register
def _shown(c: Shown) -> str:
    return _("{selector} is shown").format(selector=c.selector)


@change_says.register
def _moved(c: Moved) -> str:
    return _("{selector} stands {place} {of}").format(selector=c.selector, place=_(PLACES[c.place]), of=c.of)


@change_says.register
def _styled(c: Styled) -> str:
    return _("{selector} has {property} {value}").format(
        selector=c.selector, property=c.property, value=c.value
    )


@change_says.register
def _block(c: Block) -> str:
    return _("{template} “{title}” stands {place} {selector}").format(
        template=_(TEMPLATES[c.template]), title=c.title, place=_(PLACES[c.place]), selector=c.selector
    )


@change_says.register
def _markup(c: Markup) -> str:
    return _("markup of its own stands {place} {selector}").format(
        place=_(PLACES[c.place]), selector=c.selector
    )


@change_says.register
def _sheet(c: Sheet) -> str:
    return _("a style sheet of its own for {selectors}").format(selectors=", ".join(touched([c])[:3]))


@words_for("change_one")
def _one_change(known: list[str]) -> str:
    return _("A change is an object with one key: {known}.").format(known=listed(known))


texts(
    {
        "change_no_list": gettext_noop("Changes are a list."),
        "change_too_many": gettext_noop("A variant has at most {most} changes."),
        "change_too_deep": gettext_noop(
            "At most {most} elements may be nested. Remove those that hold nothing but another."
        ),
        "change_ask_words": gettext_noop("Say what it is to say."),
        "change_ask_title": gettext_noop("Give the block a title."),
        "change_ask_element": gettext_noop("Say which element, as a CSS selector, for example h1 or #order."),
        "change_no_element": gettext_noop("This is no selector of one element: leave out {{ }} < ; and @."),
        "change_ask_where_to": gettext_noop(
            "Say which address, for example /order or https://partner.example/."
        ),
        "change_no_where_to": gettext_noop(
            "Give an address on the site, beginning with /, or one that begins with https://; links may be mailto: and tel: too."
        ),
        "change_ask_markup": gettext_noop("Write the markup of the block."),
        "change_no_markup": gettext_noop(
            "Nothing of this may stand on a page: scripts, styles, forms and frames are left out. Use headings, text, lists, tables, links and pictures."
        ),
        "sheet_empty": gettext_noop("Write at least one rule, for example h1 {{ color: #5b2a66 }}."),
        "sheet_too_long": gettext_noop("A sheet has at most {most} rules."),
        "sheet_unreadable": gettext_noop(
            "Line {line} is no rule that a variant can have: selectors with properties, within @media, @supports or @container if need be."
        ),
        "sheet_too_deep": gettext_noop("At most {most} brackets may stand within one another in a sheet."),
        "sheet_no_property": gettext_noop(
            "Line {line}: “{name}” is no property that a variant can set. Write it without escapes, or leave it out."
        ),
        "sheet_loads": gettext_noop(
            "Line {line} would load something from elsewhere. Use colours, sizes and gradients; a picture is a change of its own."
        ),
        "change_ask_style": gettext_noop("Give a value, for example 20px or #5b2a66."),
        "change_plain_style": gettext_noop("Give a plain value: a number with its unit, a name or a colour."),
        "change_button_and_address": gettext_noop(
            "A button needs words and an address; give both or neither."
        ),
    }
)
