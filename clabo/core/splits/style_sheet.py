"""A style sheet that somebody wrote for a variant: its rules one by one, without what would ask for anything outside."""

from __future__ import annotations

import re
from typing import Any

import tinycss2

from clabo.core.rules.errors import RuleError

MOST_RULES = 100
# What a value may not do: load from anywhere, or run.
_NO_FUNCTIONS = {
    "url",
    "src",
    "image",
    "image-set",
    "-webkit-image-set",
    "expression",
    "element",
    "paint",
    "attr",
}
# What says how something looks (CSS Snapshot 2024), and nothing that loads or runs.
PROPERTIES = frozenset(
    [
        "align-content",
        "align-items",
        "align-self",
        "animation",
        "animation-delay",
        "animation-direction",
        "animation-",
        "duration",
        "animation-fill-mode",
        "animation-iteration-count",
        "animation-name",
        "animation-play-state",
        "animation-timing-function",
        "appearance",
        "aspect-ratio",
        "backdrop-filter",
        "backface-visibility",
        "background",
        "background-attachment",
        "background-blend-mode",
        "background-clip",
        "background-color",
        "background-image",
        "background-origin",
        "background-position",
        "background-repeat",
        "background-size",
        "block-size",
        "border",
        "border-block",
        "border-bottom",
        "border-bottom-color",
        "border-bottom-left-radius",
        "border-bottom-right-",
        "radius",
        "border-bottom-style",
        "border-bottom-width",
        "border-collapse",
        "border-color",
        "border-inline",
        "border-left",
        "border-left-color",
        "border-left-style",
        "border-left-width",
        "border-radius",
        "border-right",
        "border-right-color",
        "border-right-style",
        "border-right-width",
        "border-spacing",
        "border-style",
        "border-top",
        "border-top-color",
        "border-top-left-radius",
        "border-top-right-radius",
        "border-top-style",
        "border-top-",
        "width",
        "border-width",
        "bottom",
        "box-decoration-break",
        "box-shadow",
        "box-sizing",
        "break-after",
        "break-before",
        "break-inside",
        "caption-side",
        "caret-color",
        "clear",
        "clip-path",
        "color",
        "column-count",
        "column-fill",
        "column-gap",
        "column-rule",
        "column-rule-color",
        "column-rule-style",
        "column-rule-width",
        "column-span",
        "column-width",
        "columns",
        "contain",
        "content",
        "counter-increment",
        "counter-reset",
        "cursor",
        "direction",
        "display",
        "empty-cells",
        "filter",
        "flex",
        "flex-basis",
        "flex-direction",
        "flex-flow",
        "flex-grow",
        "flex-shrink",
        "flex-wrap",
        "float",
        "font",
        "font-",
        "family",
        "font-feature-settings",
        "font-kerning",
        "font-size",
        "font-size-adjust",
        "font-stretch",
        "font-style",
        "font-variant",
        "font-variant-caps",
        "font-variant-ligatures",
        "font-variant-numeric",
        "font-weight",
        "gap",
        "grid",
        "grid-area",
        "grid-auto-columns",
        "grid-auto-flow",
        "grid-auto-rows",
        "grid-column",
        "grid-column-end",
        "grid-",
        "column-start",
        "grid-row",
        "grid-row-end",
        "grid-row-start",
        "grid-template",
        "grid-template-areas",
        "grid-",
        "template-columns",
        "grid-template-rows",
        "height",
        "hyphens",
        "image-rendering",
        "inline-size",
        "inset",
        "inset-block",
        "inset-inline",
        "isolation",
        "justify-content",
        "justify-items",
        "justify-self",
        "left",
        "letter-spacing",
        "line-",
        "height",
        "list-style",
        "list-style-position",
        "list-style-type",
        "margin",
        "margin-block",
        "margin-bottom",
        "margin-",
        "inline",
        "margin-left",
        "margin-right",
        "margin-top",
        "max-block-size",
        "max-height",
        "max-inline-size",
        "max-width",
        "min-block-size",
        "min-height",
        "min-inline-size",
        "min-width",
        "mix-blend-mode",
        "object-fit",
        "object-position",
        "opacity",
        "order",
        "orphans",
        "outline",
        "outline-color",
        "outline-offset",
        "outline-style",
        "outline-width",
        "overflow",
        "overflow-wrap",
        "overflow-x",
        "overflow-y",
        "overscroll-behavior",
        "padding",
        "padding-block",
        "padding-bottom",
        "padding-inline",
        "padding-left",
        "padding-right",
        "padding-top",
        "perspective",
        "perspective-origin",
        "place-",
        "content",
        "place-items",
        "place-self",
        "pointer-events",
        "position",
        "quotes",
        "resize",
        "right",
        "rotate",
        "row-gap",
        "scale",
        "scroll-behavior",
        "scroll-margin",
        "scroll-padding",
        "scroll-snap-align",
        "scroll-snap-type",
        "tab-size",
        "table-",
        "layout",
        "text-align",
        "text-align-last",
        "text-decoration",
        "text-decoration-color",
        "text-decoration-line",
        "text-decoration-style",
        "text-decoration-thickness",
        "text-indent",
        "text-overflow",
        "text-shadow",
        "text-",
        "transform",
        "text-underline-offset",
        "text-wrap",
        "top",
        "transform",
        "transform-origin",
        "transform-style",
        "transition",
        "transition-delay",
        "transition-duration",
        "transition-property",
        "transition-timing-function",
        "translate",
        "unicode-bidi",
        "user-select",
        "vertical-align",
        "visibility",
        "white-space",
        "widows",
        "width",
        "will-",
        "change",
        "word-break",
        "word-spacing",
        "writing-mode",
        "z-index",
    ]
)
_OWN = re.compile(r"--[a-z0-9_-]{1,60}")
# Blocks and functions within one another; what reads and writes them calls itself for each.
DEEPEST = 20
_MEDIA = {"media", "supports", "container"}


def rules_of(css: str, field: str) -> list[str]:
    """The rules of a sheet, each as text of its own.

    Parameters
    ----------
    css : str
        Rules, and media, supports and container queries around them.
    field : str
        What an error names.

    Returns
    -------
    list of str

    Raises
    ------
    RuleError
        Where a rule cannot be read, is of another kind, or would load something.

    Examples
    --------
    >>> rules_of("h1 { color: #5b2a66; font-size: 2em }", "text")
    ['h1{color:#5b2a66;font-size:2em;}']
    """
    if _deepest(css) > DEEPEST:
        raise RuleError(field, "sheet_too_deep", most=DEEPEST)
    found = _rules(tinycss2.parse_stylesheet(css, skip_comments=True, skip_whitespace=True), field)
    if not found:
        raise RuleError(field, "sheet_empty")
    if len(found) > MOST_RULES:
        raise RuleError(field, "sheet_too_long", most=MOST_RULES)
    return found


def _deepest(css: str) -> int:
    """How many brackets of any kind stand within one another, those in texts and comments included."""
    deepest = depth = 0
    for character in css:
        if character in "({[":
            depth += 1
            deepest = max(deepest, depth)
        elif character in ")}]" and depth:
            depth -= 1
    return deepest


def touched(css: str) -> list[str]:
    """The selectors of its rules, those within queries included."""
    return list(dict.fromkeys(_selectors(tinycss2.parse_stylesheet(css, True, True))))


def _selectors(parsed: list[Any]) -> list[str]:
    found = []
    for rule in parsed:
        if rule.type == "qualified-rule":
            found.append(tinycss2.serialize(rule.prelude).strip())
        elif rule.type == "at-rule" and rule.content is not None:
            found += _selectors(tinycss2.parse_rule_list(rule.content, True, True))
    return found


def _rules(parsed: list[Any], field: str) -> list[str]:
    found = []
    for rule in parsed:
        if rule.type == "qualified-rule":
            found.append(_rule(rule, field))
        elif rule.type == "at-rule" and rule.lower_at_keyword in _MEDIA and rule.content is not None:
            inner = _rules(tinycss2.parse_rule_list(rule.content, True, True), field)
            _check(rule.prelude, field)
            found.append(
                f"@{rule.lower_at_keyword} {tinycss2.serialize(rule.prelude).strip()}{{{''.join(inner)}}}"
            )
        else:
            raise RuleError(field, "sheet_unreadable", line=rule.source_line)
    return found


def _rule(rule: Any, field: str) -> str:
    selector = tinycss2.serialize(rule.prelude).strip()
    if not selector or "<" in selector:
        raise RuleError(field, "sheet_unreadable", line=rule.source_line)
    _check(rule.prelude, field)
    said = ""
    for one in tinycss2.parse_declaration_list(rule.content, True, True):
        if one.type != "declaration":
            raise RuleError(field, "sheet_unreadable", line=one.source_line)
        # As it is read, escapes resolved: whoever writes one out of characters that end a name writes no property.
        name = one.lower_name
        if name.removeprefix("-webkit-") not in PROPERTIES and not _OWN.fullmatch(name):
            raise RuleError(field, "sheet_no_property", line=one.source_line, name=one.name[:60])
        _check(one.value, field)
        value = tinycss2.serialize(one.value).strip()
        said += f"{name}:{value}{'!important' if one.important else ''};"
    return f"{selector}{{{said}}}"


def _check(tokens: list[Any], field: str) -> None:
    """Nothing in a value may load something from outside, or close what it stands in."""
    for token in tokens:
        if token.type == "error" or token.type == "url":
            raise RuleError(
                field, "sheet_loads" if token.type == "url" else "sheet_unreadable", line=token.source_line
            )
        if token.type == "function":
            if token.lower_name in _NO_FUNCTIONS:
                raise RuleError(field, "sheet_loads", line=token.source_line)
            _check(token.arguments, field)
        elif token.type in ("() block", "[] block", "{} block"):
            _check(token.content, field)
