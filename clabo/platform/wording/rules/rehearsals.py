"""What to do in a rehearsal, and what came of it."""

from __future__ import annotations

from typing import Any

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

from clabo.core.rules import parse
from clabo.core.rules.conditions.form import FormSubmitted
from clabo.platform.wording.rules.conditions import the_form
from clabo.platform.wording.rules.language import sentence
from clabo.platform.wording.words import texts, words_for


def _read(rule: Any) -> str:
    return sentence(parse(rule))


def _form(rule: Any) -> FormSubmitted:
    return FormSubmitted.read(rule["form"])


def _cap(text: str) -> str:
    return text[:1].upper() + text[1:]


@words_for("rehearse_do")
def _do(rule: Any) -> str:
    return _cap(_read(rule))


@words_for("rehearse_reach")
def _reach(where: str) -> str:
    return _("Reach {where} as a visitor does").format(where=where or _("a page that fits"))


@words_for("rehearse_send")
def _send(rule: Any) -> str:
    return _("{form}: send it").format(form=_cap(the_form(_form(rule))))


@words_for("rehearse_fail")
def _fail(rule: Any) -> str:
    return _("{form}: try to send it with a required field left empty").format(
        form=_cap(the_form(_form(rule)))
    )


@words_for("rehearse_click")
def _click(rule: Any) -> str:
    return _("{reading}: click it").format(reading=_cap(_read(rule)))


@words_for("rehearse_show")
def _show(rule: Any) -> str:
    return _("{reading}: make it appear").format(reading=_cap(_read(rule)))


def _there(where: str, same: bool) -> str:
    if same:
        return _(" on the same page")
    return _(" on {where}").format(where=where) if where else ""


@words_for("rehearse_other_form")
def _other_form(name: str, where: str, same: bool) -> str:
    return _("Send the form {name}{there}").format(
        name=name or _("without a name"), there=_there(where, same)
    )


@words_for("rehearse_other_click")
def _other_click(name: str, where: str, same: bool) -> str:
    return _("Click {name}{there}").format(name=name or _("without a name"), there=_there(where, same))


@words_for("rehearse_other_message")
def _other_message(name: str, where: str, same: bool) -> str:
    return _("Let the frame say {name}{there}").format(
        name=name or _("without a name"), there=_there(where, same)
    )


@words_for("counted_for")
def _counted_for(rule: Any) -> str:
    return _("it counted, for {rule}").format(rule=sentence(parse(rule)))


texts(
    {
        "rehearse_campaign": gettext_noop("Open {where} with campaign parameters behind it"),
        "rehearse_alike": gettext_noop("Open {where}, which only looks alike"),
        "rehearse_open": gettext_noop("Open {where}"),
        "rehearse_frame": gettext_noop("Finish the form in the frame of {origin}"),
        "rehearse_code": gettext_noop("Do what makes the code say {name}"),
        "bad_step": gettext_noop(
            "Line {line} cannot be read. Write open, click, fill, press or wait, for example: "
            "fill [name=email] ada@brackenhive.example"
        ),
        "too_many_steps": gettext_noop("A list has at most {most} steps."),
    }
)
