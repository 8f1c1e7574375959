"""What is wrong with a row of an outcome file, and why an outcome belongs to nobody."""

from __future__ import annotations

from django.utils.translation import gettext_noop

from clabo.platform.wording.words import texts

texts(
    {
        "stage_missing": gettext_noop("No stage is given: say what became of it."),
        "stage_not_known": gettext_noop("“{text}” is not one of the site's stages. Say which one it means."),
        "not_a_currency": gettext_noop("“{text}” is not a currency. Write three capital letters."),
        "not_an_email": gettext_noop(
            "This is no e-mail address and no SHA-256 of one. Write the address, or 64 hexadecimal digits."
        ),
        "no_identity": gettext_noop("No order number, e-mail address or customer id is given."),
        "outcome_no_order": gettext_noop("No conversion has this order number."),
        "outcome_unknown_person": gettext_noop("No visitor has stated this identity."),
        "outcome_shared_identity": gettext_noop("Too many browsers state this identity to tell whose it is."),
        "outcome_nothing_before": gettext_noop("This visitor had not converted before this outcome."),
        "outcome_other_currency": gettext_noop("The amount is in another currency than the order."),
    }
)
