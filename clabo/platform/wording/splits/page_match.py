"""What is wrong with the pages of a test."""

from __future__ import annotations

from django.utils.translation import gettext_noop

from clabo.platform.wording.words import texts

texts(
    {
        "places_no_list": gettext_noop("Pages are a list."),
        "places_too_many": gettext_noop("A test names at most {most} kinds of pages."),
        "places_ask_value": gettext_noop("Say what the address compares with, for example /kits."),
        "places_no_value": gettext_noop("An address has no spaces. Copy it as the browser shows it."),
    }
)
