"""The words of the install kit: how each way to put the tag in is called, where the lines go, and how to see that it worked."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop


@dataclass(frozen=True, slots=True)
class PieceWords:
    """Of one way: what it is for, where the lines go, on which pages, and how to see that it worked."""

    title: str
    where: str
    pages: str
    proof: str


def piece_words(piece: str) -> PieceWords:
    """The words for the way with this id."""
    return PieceWords(*map(_, _PIECES[piece]))


_PIECES = {
    "site": (
        gettext_noop("The whole site at once"),
        gettext_noop(
            "In the template that all pages share, inside <head>, as high up as you can put it. Right in HTML and XHTML, with and without a content policy."
        ),
        gettext_noop("All of them. Thank-you pages too: they are forgotten most often."),
        gettext_noop("Open one of the pages. Within seconds it stands under Coverage with its first hit."),
    ),
    "page": (
        gettext_noop("A single page"),
        gettext_noop(
            "Inside the page’s own <head>, once. If the template has the line already, the page needs nothing."
        ),
        gettext_noop("Every page that the template does not cover."),
        gettext_noop(
            "Open one of the pages. Within seconds it stands under Coverage with its first hit. If the tag is on it twice, it says so there."
        ),
    ),
    "early": (
        gettext_noop("A page whose inline code calls Clabo before the tag is there"),
        gettext_noop(
            'In place of the usual line. Its first part is inline code: a policy with nonces needs yours on it. Scripts in files need no such part: (window.clabo=window.clabo||{q:[]}).q.push(["order",{value:59.9}]) works before and after.'
        ),
        gettext_noop("Pages that call clabo.mark or clabo.consent in their own inline code."),
        gettext_noop("Open one of the pages. Within seconds it stands under Coverage with its first hit."),
    ),
    "data": (
        gettext_noop("An order said by the page itself, without any code"),
        gettext_noop(
            "The usual line in <head>; the second line anywhere, with the order’s own value and number. It is data and never runs, so no policy keeps it out."
        ),
        gettext_noop("The page that a server sends after an order."),
        gettext_noop("Place an order. Live shows “order” with its value."),
    ),
    "person": (
        gettext_noop("Who somebody is, where the page knows it"),
        gettext_noop(
            "The usual line in <head>; the second line anywhere, with their e-mail address, your own id for them, or both. It is hashed in the browser: the address itself is never sent. In code: clabo.person({ email: … })."
        ),
        gettext_noop(
            "Pages behind a sign-in, and the one after an order. Not where several people share an address."
        ),
        gettext_noop(
            "Open one of the pages, then find yourself under Audiences, One person, by your e-mail address."
        ),
    ),
    "body": (
        gettext_noop("A builder that takes code in the body only"),
        gettext_noop(
            "In a code or HTML block, the first in <body>. It works there too, and loads a moment later."
        ),
        gettext_noop("Every page of that builder. Split tests need the line in <head>."),
        gettext_noop("Open one of the pages. Within seconds it stands under Coverage with its first hit."),
    ),
    "frame": (
        gettext_noop("A form’s own page that is shown in a frame"),
        gettext_noop(
            "On the form’s page, not on the one around it, anywhere in <head>. Then allow the form’s origin under Settings."
        ),
        gettext_noop("The page that the frame shows. The page around it has the usual line."),
        gettext_noop("Send the form once. Live shows “form … sent” on the page around it."),
    ),
    "policy": (
        gettext_noop("A site with a strict Content-Security-Policy"),
        gettext_noop(
            "Add these sources to the directives that the header has already; a header of its own would forbid the rest."
        ),
        gettext_noop("Wherever the server sends the header."),
        gettext_noop("Check a page, below: it says whether the page’s own policy keeps the tag out."),
    ),
    "pixel": (
        gettext_noop("No scripts at all: mails and simple pages"),
        gettext_noop("Anywhere in the body. It counts a view, and hears no clicks and no forms."),
        gettext_noop(
            "Pages and mails where scripts do not run. Not beside the script line: the view would count twice."
        ),
        gettext_noop("Open it once. The view stands in Live; mail programs that hide pictures hide it too."),
    ),
}
