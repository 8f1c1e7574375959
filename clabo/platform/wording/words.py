"""Codes and the words for them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from django.utils.translation import gettext

from clabo.core.message import Message

Sentence = Callable[..., str]
_sentences: dict[str, Sentence] = {}


def texts(by_code: Mapping[str, str]) -> None:
    """Register texts with the parameters in braces, by code. They are marked for translation with `gettext_noop`."""
    for code, text in by_code.items():
        _add(code, _filled(text))


def _filled(words: str) -> Sentence:
    """A sentence from its words; its parameters may have any name."""

    def sentence(**params: Any) -> str:
        return gettext(words).format(**params)

    return sentence


def words_for(code: str) -> Callable[[Sentence], Sentence]:
    """Register a function that makes the sentence from the parameters."""

    def register(sentence: Sentence) -> Sentence:
        _add(code, sentence)
        return sentence

    return register


def _add(code: str, sentence: Sentence) -> None:
    if code in _sentences:
        raise ValueError(f"{code}: has words already")
    _sentences[code] = sentence


def known() -> frozenset[str]:
    """The codes that there are words for."""
    return frozenset(_sentences)


def say(what: Message) -> str:
    """The sentence, or part of one, for what the core has to say. Raises KeyError for a code without words."""
    return _sentences[what.code](**what.params)


def say_all(whats: Iterable[Message]) -> str:
    """Several things, in one line."""
    return "; ".join(map(say, whats))


def listed(items: Iterable[Any]) -> str:
    """Items with commas between them."""
    return ", ".join(map(str, items))
