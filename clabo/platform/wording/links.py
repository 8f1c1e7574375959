"""What of an ad's link cannot be, and what of it will not join later."""

from __future__ import annotations

from django.utils.translation import gettext_noop as _

from clabo.platform.wording.words import texts

texts(
    {
        "no_destination": _("This is not a page’s address. It begins with https://."),
        "name_too_long": _("At most {most} characters: Clabo reads no more."),
        "name_required": _("The naming rules of this site ask for this."),
        "no_sub_id": _(
            "“{name}” is no sub-ID: those are sub1 to sub5, and the parameters named in the site’s settings."
        ),
        "link_too_long": _("The whole link has more than {most} characters; some programs cut it."),
        "host_not_ours": _(
            "{host} is none of this site’s hosts: nobody who comes there is seen. For a page that is not yours, make a bridge link under Conversions."
        ),
        "page_unseen": _(
            "Nobody was seen on this page yet. Open it once, or check under Pixel whether the tag is on it."
        ),
        "page_stopped": _("The tag on this page has stopped: visits there are not seen. See Pixel."),
        "said_after_fragment": _(
            "Something that looks like parameters stands after the “#”: no program reads it there."
        ),
        "not_https": _(
            "The address begins with http://. Where the page leads on to https://, what the link says may be lost."
        ),
        "not_paid": _(
            "With the medium “{medium}” visits count as {channel}, not as paid: their cost joins no paid touch. Use cpc, display or another paid medium."
        ),
        "spelt_otherwise": _(
            "“{name}” is spelt “{other}” so far. Cost joins visits only where both are spelt alike."
        ),
        "source_unseen": _(
            "No spend file or channel names the source “{source}” yet: what this costs will only join once one does."
        ),
        "looks_personal": _(
            "“{name}” looks like an e-mail address. Addresses of people do not belong into links."
        ),
    }
)
