"""What is wrong with an address."""

from __future__ import annotations

from django.utils.translation import gettext_noop as _

from clabo.platform.wording.words import texts

texts(
    {
        "address_too_long": _("the address is longer than {most} characters"),
        "address_too_long_escaped": _("the address is longer than {most} characters when escaped"),
        "address_unreadable": _("not a web address: {reason}"),
        "address_scheme": _("a web address begins with http:// or https://"),
        "address_host": _("the address has no valid host name"),
        "address_user": _("leave the user name out"),
    }
)
