"""Why a row of a spend file cannot be taken in."""

from __future__ import annotations

from datetime import date

from django.utils.translation import gettext
from django.utils.translation import gettext_noop as _

from clabo.core.message import Message
from clabo.platform.wording.words import say, texts, words_for

texts(
    {
        "row_too_short": _("The row has only {columns} columns. Perhaps a quote is missing."),
        "not_whole": _("“{text}” is not a whole number. Check the decimal mark."),
        "no_source": _("No source. Choose the column, or say which source the whole file is from."),
        "cell_too_long": _("Longer than {most} characters. Perhaps a quote is missing before it."),
        "odd_year": _("“{text}” is in the year {year}. Check the day order."),
        "no_cost": _("No cost."),
        "not_a_number": _("“{text}” is not a number with “{mark}” as the decimal mark."),
        "number_out_of_range": _("“{text}” is not between 0 and 10,000,000,000."),
    }
)


@words_for("imported_before")
def _imported_before(day: str, file: str) -> str:
    text = gettext(
        "{day} of this ad was imported before, from {file}. Undo that import, or leave these rows out."
    )
    return text.format(day=f"{date.fromisoformat(day):%-d %b}", file=file)


@words_for("not_a_day")
def _not_a_day(text: str) -> str:
    return gettext("“{text}” is not a day.").format(text=text) if text else gettext("No day.")


@words_for("not_a_day_so")
def _not_a_day_so(text: str, order: str) -> str:
    text_ = gettext("“{text}” is not a day when read as {order}. Check the day order.")
    return text_.format(text=text, order="-".join(order))


@words_for("bad_landing")
def _bad_landing(text: str, why: Message) -> str:
    return gettext("“{text}” is not an address: {why}.").format(text=text, why=say(why))
