"""What is wrong with a split test's further measures."""

from __future__ import annotations

from django.utils.translation import gettext_noop

from clabo.platform.wording.words import texts

texts(
    {
        "measures_list": gettext_noop("Give a list of at most {most} measures."),
        "measure_no_object": gettext_noop("A measure is an object that says what is measured."),
        "measure_twice": gettext_noop("This measure is there already."),
        "measure_yes_or_no": gettext_noop("Say true or false."),
        "measure_margin": gettext_noop("Give a part of the control’s from 0 to 1, for example 0.1 for 10 %."),
    }
)
