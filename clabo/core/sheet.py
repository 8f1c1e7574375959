"""A style sheet that somebody wrote for a variant: its rules one by one, without what would ask for anything outside."""

from __future__ import annotations

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
_NO_PROPERTIES = {"behavior", "-moz-binding", "src"}
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
    found = _rules(tinycss2.parse_stylesheet(css, skip_comments=True, skip_whitespace=True), field)
    if not found:
        raise RuleError(field, "sheet_empty")
    if len(found) > MOST_RULES:
        raise RuleError(field, "sheet_too_long", most=MOST_RULES)
    return found


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
        if one.lower_name in _NO_PROPERTIES:
            raise RuleError(field, "sheet_loads", line=one.source_line)
        _check(one.value, field)
        value = tinycss2.serialize(one.value).strip()
        said += f"{one.name}:{value}{'!important' if one.important else ''};"
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
